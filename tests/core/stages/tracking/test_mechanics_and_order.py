"""The dial's mechanics, the order of the bands, schools, rocking and unknown adjusters."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import Answer, JobRecord, Move
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Status, Step, find_ask
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import BandFacts, Bandspread, ReceiverFacts
from glowdial.core.stages.tracking.mechanics import MECHANICS, mechanics_steps
from glowdial.core.stages.tracking.plan import band_order, progress_table
from glowdial.core.stages.tracking.rock import RockedEnd, RockGoal, rock_steps
from glowdial.core.stages.tracking.room import ROOM
from glowdial.core.stages.tracking.steps import tracking_steps
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet

FACTS = tidewater_facts()
BC = FACTS.bands[0]
FOUR = receiver_facts(read_sheet(demo_sheet("breakwater-eight")))
RIGHT = (
    an_answer(1, MECHANICS, "stops", state="on its mark"),
    an_answer(2, MECHANICS, "drive", state="free"),
)


def check_of(facts: ReceiverFacts, *answers: object) -> Step:
    return mechanics_steps(facts, a_record(*answers))[0]  # type: ignore[arg-type]


def test_a_pointer_off_its_mark_shouts_until_it_was_put_right() -> None:
    off = an_answer(1, MECHANICS, "stops", state="pointer off its mark")
    bad = check_of(FACTS, off, RIGHT[1])
    assert bad.status is Status.TROUBLE and bad.closable and bad.ask is not None
    assert bad.ask.key == "stops" and "before" not in bad.cost
    again = an_answer(3, MECHANICS, "stops", state="on its mark")
    assert check_of(FACTS, off, RIGHT[1], again).status is Status.DONE
    assert check_of(FACTS).status is Status.OPEN


@pytest.mark.parametrize("main_hz", [7.3e6, 7.0e6])
@pytest.mark.parametrize("wrong", [False, True])
def test_a_bandspread_half_a_turn_wrong_is_found_by_its_direction(
    main_hz: float, wrong: bool
) -> None:
    """By the capacitor itself: C = Cmin + (Cmax - Cmin)(1 - cos a)/2, the reference at one end."""
    spread = Bandspread("7 MHz", main_hz, 7.0e6, 7.3e6, (7.0e6, 7.1e6, 7.2e6, 7.3e6))
    band = replace(FOUR.bands[2], spreads=(spread,))
    facts = replace(FOUR, bands=(*FOUR.bands[:2], band, FOUR.bands[3]))
    at_high = main_hz == 7.3e6

    def tuned_hz(angle: float) -> float:
        # at angle 0 the reference, right or half a turn wrong
        turned = angle + (0.0 if at_high else math.pi) + (math.pi if wrong else 0.0)
        least, most = 100e-12, 100e-12 * (7.3 / 7.0) ** 2
        c = least + (most - least) * (1.0 - math.cos(turned)) / 2.0
        start = 7.3e6 if at_high is not wrong else 7.0e6
        first = (
            least
            if math.cos((0.0 if at_high else math.pi) + (math.pi if wrong else 0)) > 0
            else most
        )
        return start * math.sqrt(first / c)

    read = {"reference": tuned_hz(0.0), "tried": tuned_hz(math.pi / 2.0)}
    step = check_of(facts, *RIGHT, an_answer(3, MECHANICS, "spread", read))
    said = " ".join(step.advice)
    assert ("half a turn wrong" in said) is wrong
    assert (step.status is Status.TROUBLE) is wrong


def test_a_bandspread_that_moves_nothing_is_said() -> None:
    step = check_of(
        FOUR, *RIGHT, an_answer(3, MECHANICS, "spread", {"reference": 7.3e6, "tried": 7.299e6})
    )
    assert "next to nothing" in step.advice[0] and step.status is Status.TROUBLE


def test_the_far_core_of_a_can_comes_first_and_its_reason_is_said() -> None:
    assert [b.key for b in band_order(FOUR)] == ["a", "b", "d", "c"]
    rows = progress_table(FOUR, a_record()).rows
    assert [r.label for r in rows] == ["1. Band A", "2. Band B", "3. Band D", "4. Band C"]
    assert "before Band C" in rows[2].does and "after Band D" in rows[3].does


def test_cans_that_want_each_other_first_still_give_every_band_once() -> None:
    rings = {"c-rf-core": True, "d-rf-core": False, "c-aerial-core": False, "d-aerial-core": True}
    cans = {"c-rf-core": "one", "d-rf-core": "one", "c-aerial-core": "two", "d-aerial-core": "two"}
    adjusters = tuple(
        replace(a, can=cans.get(a.key, ""), far=rings.get(a.key, False)) for a in FOUR.adjusters
    )
    order = band_order(replace(FOUR, adjusters=adjusters))
    assert sorted(b.key for b in order) == ["a", "b", "c", "d"]


def keys(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[str]:
    steps = tracking_steps(Situation(facts, record))
    prefix = f"osc.{band.key}."
    return [s.key.removeprefix(prefix) for s in steps if s.key.startswith(prefix)]


def surveyed(high: float, low: float, decision: str, *more: object) -> JobRecord:
    return a_record(
        *RIGHT,
        *more,  # type: ignore[arg-type]
        an_answer(5, "osc.bc.set-up", "ready", done="done"),
        an_answer(6, "osc.bc.survey", "high", {"frequency": BC.high_mark_hz * high}),
        an_answer(7, "osc.bc.survey", "low", {"frequency": BC.low_mark_hz * low}),
        an_answer(8, "osc.bc.decide", "decision", decision=decision),
    )


def school(order: str, peaking: str) -> object:
    return an_answer(3, MECHANICS, "school", order=order, peaking=peaking)


def test_schools_change_what_comes_first_and_what_is_peaked() -> None:
    usual = surveyed(1.03, 1.0, "align")
    assert keys(FACTS, usual, BC)[4] == "round1.middle"
    signal = surveyed(1.03, 1.0, "align", school("RF and aerial first", "leave what is right"))
    assert keys(FACTS, signal, BC)[4:6] == ["aerial", "round1.middle"]
    left = surveyed(1.0, 1.0, "leave it")
    assert keys(FACTS, left, BC) == ["set-up", "survey", "move", "decide"]
    everything = surveyed(1.0, 1.0, "leave it", school("oscillator first", "peak all"))
    assert keys(FACTS, everything, BC) == ["set-up", "survey", "move", "decide", "aerial"]


def read_until_a_move(record: JobRecord, stands: dict[str, float]) -> Step | None:
    """The next turn that the rounds want, every mark read as it stands until then; None where they
    are over."""
    for n in range(12):
        steps = tracking_steps(Situation(FACTS, record))
        due = [s for s in steps if s.key.startswith("osc.bc.round") and not s.status.finished]
        if not due or due[0].ask is None or due[0].ask.key.startswith("move"):
            return due[0] if due else None
        read = {"frequency": stands[due[0].key.rpartition(".")[2]]}
        answer = an_answer(30 + n, due[0].key, due[0].ask.key, read)
        record = replace(record, answers=(*record.answers, answer))
    return None


def once_turned(stands: dict[str, float]) -> tuple[Answer, ...]:
    """The mark between read, then the high end turned to where it stands."""
    moved = {"turns": 0.5, "frequency": stands["high"]}
    return (
        an_answer(20, "osc.bc.round1.middle", "check", {"frequency": 1010e3}),
        an_answer(21, "osc.bc.round1.high", "move1", moved),
    )


def test_who_wants_all_peaked_has_an_aligned_oscillator_brought_to_its_middle() -> None:
    off = {"high": (BC.high_mark_hz, -0.55), "low": (BC.low_mark_hz, -0.05)}
    off["middle"] = (1000e3, -0.1)
    stands = {name: hz + share * BC.tolerance_hz(hz) for name, (hz, share) in off.items()}
    begun = once_turned(stands)
    due = {}
    for peaking in ("leave what is right", "peak all"):
        record = surveyed(1.03, 1.0, "align", school("oscillator first", peaking))
        record = replace(record, answers=(*record.answers, *begun))
        due[peaking] = read_until_a_move(record, stands)
    assert due["leave what is right"] is None
    touch = due["peak all"]
    assert touch is not None and touch.adjuster == BC.high_adjuster
    assert "All marks are inside. Everything is to be at its best" in " ".join(touch.advice)
    # what comes in is too low: less capacity
    assert "counter-clockwise" in touch.title


def test_a_band_that_was_turned_is_not_left_with_what_is_between_far_out() -> None:
    """All inside, and nothing but the usual wanted: the one between could stand much nearer."""
    off = {"high": (BC.high_mark_hz, -0.5), "low": (BC.low_mark_hz, -0.4)}
    off["middle"] = (1000e3, -0.6)
    stands = {name: hz + share * BC.tolerance_hz(hz) for name, (hz, share) in off.items()}
    begun = once_turned(stands)
    record = surveyed(1.03, 1.0, "align")
    touch = read_until_a_move(replace(record, answers=(*record.answers, *begun)), stands)
    assert touch is not None and "counter-clockwise" in touch.title
    assert "this band was turned, and what is between" in " ".join(touch.advice)


def due_after(*made: tuple[str, str, dict[str, float]]) -> Step:
    """What is due once the high end was turned, by what was typed since."""
    record = surveyed(1.03, 1.0, "align")
    before = an_answer(20, "osc.bc.round1.middle", "check", {"frequency": 1010e3})
    typed = [an_answer(21 + n, step, ask, values) for n, (step, ask, values) in enumerate(made)]
    record = replace(record, answers=(*record.answers, before, *typed))
    steps = tracking_steps(Situation(FACTS, record))
    return next(s for s in steps if ".round" in s.key and not s.status.finished)


def test_it_is_said_why_a_mark_is_read_again() -> None:
    high_hz, tolerance_hz = BC.high_mark_hz, BC.tolerance_hz(BC.high_mark_hz)
    turn = ("osc.bc.round1.high", "move1")
    rest = (
        ("osc.bc.round1.low", "check", {"frequency": BC.low_mark_hz}),
        ("osc.bc.round2.middle", "check", {"frequency": 1000e3}),
    )

    def turned_to(high: float) -> tuple[str, str, dict[str, float]]:
        return (*turn, {"turns": 0.5, "frequency": high})

    inside = due_after(turned_to(high_hz + 0.5 * tolerance_hz), *rest)
    assert "a drive has slack" in " ".join(inside.advice)
    again = ("osc.bc.round2.high", "check", {"frequency": high_hz + 0.1 * tolerance_hz})
    torn = due_after(turned_to(high_hz + 0.7 * tolerance_hz), *rest, again)
    assert "Its two readings disagree" in " ".join(torn.advice)
    little = due_after(turned_to(1.03 * high_hz - 0.6 * tolerance_hz))
    assert little.ask is not None and little.ask.key.startswith("again")
    assert "the drive's slack may be all of it" in " ".join(little.advice)


def test_who_wants_all_peaked_is_advised_to_align_also_what_is_inside() -> None:
    for peaking, wanted in (("leave what is right", "leave it"), ("peak all", "align")):
        record = surveyed(1.0, 1.0, "align", school("oscillator first", peaking))
        record = replace(record, answers=record.answers[:-1])
        steps = {s.key: s for s in tracking_steps(Situation(FACTS, record))}
        decide = steps["osc.bc.decide"]
        assert decide.ask is not None and decide.ask.example == wanted
        advice = " ".join(decide.advise() if decide.advise else decide.advice)
        assert ("Peak all" in advice) is (wanted == "align")


def test_by_the_other_school_the_aerial_is_peaked_once_more_after_the_oscillator() -> None:
    peak = an_answer(9, "osc.bc.aerial", "peak", {"before": -1.0, "after": -1.5, "turns": 0.25})
    turned = an_answer(
        12, "osc.bc.round1.high", "move1", {"turns": 0.5, "frequency": BC.high_mark_hz}
    )
    record = surveyed(1.03, 1.0, "align", school("RF and aerial first", "leave what is right"))
    moved = Move(11, BC.high_adjuster, 0.5, "osc.bc.round1.high")
    record = replace(record, answers=(*record.answers, peak, turned), moves=(moved,))
    steps = [s for s in tracking_steps(Situation(FACTS, record)) if s.key.startswith("osc.bc.")]
    open_rounds = [s for s in steps if ".round" in s.key and not s.status.finished]
    aerial = next(s for s in steps if s.key == "osc.bc.aerial")
    if open_rounds:
        assert aerial.status is Status.DONE
    else:
        assert aerial.status is Status.RECHECK


@pytest.mark.parametrize("off", [-0.03, -0.004, 0.002, 0.006, 0.02])
def test_the_best_place_inside_the_tolerance_is_within_a_decibel_of_the_best(off: float) -> None:
    """Against a search over every place inside, with the circuit's own impedance."""
    mark, tolerance, q = 600e3, 3e3, 75.0
    end = RockedEnd(mark, mark * (1.0 + off), tolerance)

    def level(place: float) -> float:
        tuned = mark * place / end.peak_hz
        farad, w = 200e-12, 2.0 * math.pi * mark
        henry = 1.0 / ((2.0 * math.pi * tuned) ** 2 * farad)
        loss_ohm = q * 2.0 * math.pi * tuned * henry
        return abs(1.0 / (1.0 / loss_ohm + 1j * w * farad + 1.0 / (1j * w * henry)))

    places = np.linspace(mark - tolerance, mark + tolerance, 201)
    best = max(level(float(p)) for p in places)
    mine = level(end.place_hz(RockGoal.BOTH))
    assert 20.0 * math.log10(best / mine) < 1.0
    assert abs(end.place_hz(RockGoal.BOTH) - mark) < tolerance
    # the cost that is told, by the same impedance
    told = end.loss_db(mark)
    assert told == pytest.approx(
        20.0 * math.log10(level(end.peak_hz) / level(mark)), rel=0.03, abs=0.05
    )


def test_a_low_end_left_for_sensitivity_is_not_turned_back() -> None:
    low = BC.low_mark_hz
    rocked = {"before": -1.8, "after": -2.6, "turns": 0.4, "dial": low * 1.02}
    record = surveyed(1.0, 1.0, "align")
    moved = (Move(10, BC.low_adjuster or "", 0.4, "osc.bc.rock"),)
    answers = (*record.answers, an_answer(11, "osc.bc.rock", "rocked", rocked))
    back = replace(record, answers=answers, moves=moved)
    assert any(".round" in k or "round" in k for k in keys(FACTS, back, BC))
    goal = an_answer(12, "osc.bc.rock", "goal", goal="the highest peak")
    left = replace(record, answers=(*answers, goal), moves=moved)
    rounds = [
        s
        for s in tracking_steps(Situation(FACTS, left))
        if ".round" in s.key and s.key.endswith(".low")
    ]
    assert not [s for s in rounds if not s.status.finished]
    said = rock_steps(FACTS, left, BC)[0]
    assert "+12.0 kHz" in said.advice[0] and said.decision == "the highest peak"


NUDGES = [
    ("+1/8 -4 same not screw by V1", "the oscillator's, about -32 kHz a turn"),
    ("1/8 0 stronger every can on top", "the IF's"),
    ("-1/8 0 weaker this trimmer at the back", "RF or aerial of this band"),
    ("1/8 0 weaker not trimmer at the back", "try it on another band"),
    ("1/8 0 same not round one", "nothing: another band's"),
]


@pytest.mark.parametrize(("line", "told"), NUDGES)
def test_a_nudge_tells_what_an_unknown_adjuster_belongs_to(line: str, told: str) -> None:
    record = a_record(*RIGHT)
    step = next(s for s in tracking_steps(Situation(FACTS, record)) if s.key == "osc.unknown")
    ask = find_ask(step, "nudge1")
    assert ask is not None
    entry = read_entry(ask, line, {})
    ROOM.check(Situation(FACTS, record), step, ask, Entering(entry.values, entry.texts))
    made = replace(an_answer(5, "osc.unknown", "nudge1", entry.values), texts=entry.texts)
    after = a_record(*RIGHT, made)
    shown = next(s for s in tracking_steps(Situation(FACTS, after)) if s.key == "osc.unknown")
    assert told in shown.advice[0]


@pytest.mark.parametrize("turned", [0.0, 0.5, -1.0])
def test_more_than_a_nudge_is_refused(turned: float) -> None:
    step = next(
        s for s in tracking_steps(Situation(FACTS, a_record(*RIGHT))) if s.key == "osc.unknown"
    )
    entering = Entering({"turns": turned, "moved": 0.0}, {})
    with pytest.raises(BadInput, match="nudge"):
        ROOM.check(Situation(FACTS, a_record()), step, step.others[0], entering)
