"""Proof of performance as people type it: sensitivity with its doubt, conditions, what is not
wanted, and output over level."""

from __future__ import annotations

import cmath
import math
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.bench.equipment import Equipment, GeneratorLimits
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.level_path import PATH_STEP
from glowdial.core.journey.record import Answer, JobRecord, Move
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.sensitivity import sensitivity_step
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT, figure_of, numbered_points
from glowdial.core.journey.steps import Ask, Status, Step, find_ask, looked_at
from glowdial.core.journey.within_equipment import within_equipment
from glowdial.core.language.errors import BadInput
from glowdial.core.language.verdicts import Verdict
from glowdial.core.model.circuit import AerialKind
from glowdial.core.model.facts import Microvolts, ReceiverFacts
from glowdial.core.model.performance import Figure, PerformanceLimit
from glowdial.core.stages.proof.room import ROOM
from glowdial.core.stages.proof.steps import STAGE, as_left_steps

FACTS = tidewater_facts()
KEY = "proof.left.bc.1"
LIMIT_V = 25e-6


def with_limit(limit_v: float | None, **more: object) -> ReceiverFacts:
    points = tuple(replace(p, limit_v=limit_v, **more) for p in FACTS.sensitivity)
    return replace(FACTS, sensitivity=points)


def step_of(facts: ReceiverFacts, record: JobRecord, phase: str = LEFT) -> Step:
    return sensitivity_step(Situation(facts, record), numbered_points(facts)[0], STAGE, phase)


def typed(facts: ReceiverFacts, record: JobRecord, line: str) -> JobRecord:
    """A line typed for the sensitivity, checked as the page does it."""
    step = step_of(facts, record)
    assert step.ask is not None
    entry = read_entry(step.ask, line, {})
    ROOM.check(Situation(facts, record), step, step.ask, Entering(entry.values, entry.texts))
    seq = len(record.answers) + 1
    answer = Answer(seq, step.key, step.ask.key, entry.values, entry.texts)
    return replace(record, answers=(*record.answers, answer))


def levels_at(true_v: float, swing_db: float, *levels_v: float) -> list[str]:
    """Lines of somebody who sees the needle wander so far to either side, of a set whose 10 dB
    stand at ``true_v``: the tone has nine times the noise's power there."""
    lines = []
    for level in levels_v:
        on = 0.3 * math.hypot(1.0, 3.0 * level / true_v)
        ends = [v * 10.0 ** (s * swing_db / 20.0) for v in (on, 0.3) for s in (-1.0, 1.0)]
        lines.append("{:.3f} {:.4f}-{:.4f} {:.4f}-{:.4f}".format(level * 1e6, *ends))
    return lines


def searched(facts: ReceiverFacts, true_v: float, swing_db: float, count: int) -> Step:
    record = a_record()
    for _ in range(count):
        ask = step_of(facts, record).ask
        if ask is None:
            break
        level = float(ask.example.split()[0]) * 1e-6
        record = typed(facts, record, levels_at(true_v, swing_db, level)[0])
    return step_of(facts, record)


def test_a_limit_outside_of_the_doubt_is_met_or_not() -> None:
    met = searched(with_limit(LIMIT_V), 12e-6, 0.5, 8)
    assert met.status is Status.DONE and met.results[0].judgement.words == "met"
    missed = searched(with_limit(LIMIT_V), 50e-6, 0.5, 8)
    assert missed.status is Status.TROUBLE and missed.ask is not None
    assert missed.results[0].judgement.verdict is Verdict.HIGH
    assert "not met, by" in missed.results[0].judgement.words and "dB short" in missed.cost


def test_a_limit_inside_of_the_doubt_cannot_be_told_and_more_is_asked_for() -> None:
    after_three = searched(with_limit(LIMIT_V), 24e-6, 3.0, 3)
    assert after_three.status is Status.OPEN and after_three.ask is not None
    assert any("cannot be told" in w for w in after_three.advice)
    last = searched(with_limit(LIMIT_V), 24e-6, 3.0, 20)
    assert last.status is Status.DONE and last.results[0].judgement.verdict is Verdict.NOT_KNOWN
    assert "cannot tell" in last.results[0].judgement.words and last.cost == ""


def test_steady_readings_are_enough_soon_and_wandering_ones_later() -> None:
    def levels(swing_db: float) -> int:
        step = searched(with_limit(None), 15e-6, swing_db, 20)
        return len(step.results) - 1

    assert levels(0.1) <= 3 < levels(3.0) <= 5


def test_a_set_that_nothing_comes_through_is_not_asked_for_ever() -> None:
    """Far off its dial as found, not even the most that a generator gives is heard."""

    def after(phase: str, *levels_v: float, on: float = 0.033) -> Step:
        key = f"proof.{phase}.bc.1"
        pairs = [{"level": level, "on": on, "off": 0.033} for level in levels_v]
        read = [an_answer(n, key, f"pair{n}", pair) for n, pair in enumerate(pairs, start=1)]
        return step_of(FACTS, a_record(*read), phase)

    found = after("found", 1e-3, 1e-2, 0.1, 0.1)
    assert (found.status, found.results[0].text) == (Status.DONE, "no tone, with 100 mV")
    # once is not enough, nor is less than the generator gives, nor where a tone came through
    assert after("found", 1e-3, 1e-2, 0.1).status is Status.OPEN
    assert after("found", 1e-3, 1e-3, 1e-2, 1e-2).status is Status.OPEN
    assert after("found", 0.1, 0.1, on=0.06).results[0].text != found.results[0].text
    # as left it stays open, and may be left with a reason at once
    left = after("left", 1e-3, 1e-2, 0.1, 0.1)
    assert left.status is Status.OPEN and left.leave
    assert not after("left", 1e-3, 1e-2, 0.1).leave


def test_the_figure_comes_with_its_doubt() -> None:
    step = searched(with_limit(None), 15e-6, 0.3, 20)
    result = step.results[0]
    assert result.value == pytest.approx(15e-6, rel=0.03) and "EMF (" in result.text


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("25 0.95-0.82 0.3", "lower end first"),
        ("25 0.82 0.95 0.26 0.34", "a dash between"),
        ("25 0.92 0.90 0.26 0.34", "a dash between"),
        ("25 0.2 0.9", "larger with the tone on"),
        ("25 0.82 - 0.95 0.3", "tone off"),
        ("25 0-0.95 0.3", "lower end first"),
        ("25 0 0.3", "above zero"),
    ],
)
def test_slips_of_a_wandering_needle_are_refused(line: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        typed(FACTS, a_record(), line)


@pytest.mark.parametrize(
    "line", ["25 0.82-0.95 0.27..0.31", "25 820m\u2013950m 0.29", "25 0,82-0,95 .3"]
)
def test_ends_are_typed_as_people_type_them(line: str) -> None:
    record = typed(FACTS, a_record(), line)
    values = record.answers[0].values
    assert values["on_low"] == pytest.approx(0.82) and values["on_high"] == pytest.approx(0.95)
    assert values["on"] == pytest.approx(math.sqrt(0.82 * 0.95))


def test_a_run_without_any_scatter_is_a_run() -> None:
    record = typed(FACTS, a_record(), "25 0.92 0.29 0 0 30")
    assert record.answers[0].values["on_spread"] == 0.0
    assert step_of(FACTS, record).results[0].label == "for 10 dB"


def test_a_power_of_ten_is_no_swing() -> None:
    values = typed(FACTS, a_record(), "25 9e-1 3e-1").answers[0].values
    assert values["on"] == pytest.approx(0.9) and "on_low" not in values


def test_what_the_maker_means_by_microvolts_is_said() -> None:
    told = searched(with_limit(LIMIT_V, told_in=Microvolts.PD), 12e-6, 0.2, 3)
    assert any("12.5 uV across a matched load (PD)" in w for w in told.advice)
    assert "at 50 %" in step_of(with_limit(LIMIT_V, modulation=0.5), a_record()).reason


# ---- conditions


def conditions(seq: int, phase: str, *, cabinet: str) -> Answer:
    return an_answer(
        seq,
        f"proof.{phase}.conditions",
        "noted",
        {"reference": 0.5},
        cabinet=cabinet,
        control="working",
        around="off",
        switches="wide",
    )


def begun(phase: str = LEFT) -> Answer:
    return an_answer(1, f"proof.{phase}.bc.1", "pair1", {"level": 15e-6, "on": 0.95, "off": 0.3})


def left_steps(record: JobRecord, facts: ReceiverFacts = FACTS) -> dict[str, Step]:
    return {s.key: s for s in as_left_steps(Situation(facts, record))}


def test_conditions_travel_with_the_figure_and_tell_what_does_not_compare() -> None:
    now = conditions(2, LEFT, cabinet="in")
    record = a_record(begun(), now)
    assert any("in its cabinet" in w and "wide" in w for w in left_steps(record)[KEY].advice)
    other = a_record(
        begun(), conditions(2, LEFT, cabinet="in"), conditions(3, FOUND, cabinet="out")
    )
    assert any("do not compare" in w for w in left_steps(other)[KEY].advice)
    same = a_record(begun(), now, conditions(3, FOUND, cabinet="in"))
    assert not any("do not compare" in w for w in left_steps(same)[KEY].advice)


def test_nothing_else_is_offered_before_a_sensitivity_was_taken() -> None:
    assert all(s.key.rsplit(".", 1)[1].isdigit() for s in left_steps(a_record()).values())
    assert "proof.left.output" in left_steps(a_record(begun()))


# ---- what is not wanted


def limited(figure: Figure, limit: float, offset_hz: float = 0.0) -> ReceiverFacts:
    return replace(FACTS, performance=(PerformanceLimit(figure, limit, "bc", offset_hz),))


def asked(step: Step, name: str) -> Ask:
    found = find_ask(step, name)
    assert found is not None
    return found


def answers_with(facts: ReceiverFacts, name: str, line: str) -> Step:
    record = a_record(begun())
    step = left_steps(record, facts)["proof.left.bc.answers"]
    entry = read_entry(asked(step, name), line, {})
    answer = an_answer(2, step.key, name, entry.values)
    return left_steps(a_record(begun(), answer), facts)["proof.left.bc.answers"]


@pytest.mark.parametrize(
    ("limit", "verdict"),
    [
        (40.0, Verdict.INSIDE),
        (50.0, Verdict.LOW),
        (46.5, Verdict.NOT_KNOWN),
        (45.5, Verdict.NOT_KNOWN),
    ],
)
def test_image_rejection_is_level_over_level_and_judged_by_its_doubt(
    limit: float, verdict: Verdict
) -> None:
    step = answers_with(limited(Figure.IMAGE, limit), "image", "100 20m")
    result = step.results[0]
    assert result.value == pytest.approx(20.0 * math.log10(200.0))
    assert result.judgement.verdict is verdict
    assert (step.status is Status.TROUBLE) is (verdict is Verdict.LOW)


def test_the_image_is_asked_for_where_it_stands() -> None:
    step = left_steps(a_record(begun()))["proof.left.bc.answers"]
    band = FACTS.bands[0]
    recipe = asked(step, "image").recipe
    assert recipe is not None and recipe.second_hz == pytest.approx(
        band.high_mark_hz + 2.0 * FACTS.intermediate_frequency_hz
    )
    through = asked(step, "intermediate").recipe
    assert through is not None and through.second_hz == FACTS.intermediate_frequency_hz


def test_selectivity_is_judged_at_the_offset_that_it_is_given_for() -> None:
    facts = limited(Figure.SELECTIVITY, 30.0, 10e3)
    assert answers_with(facts, "off-tune1", "-10 100 10m").results[0].judgement.words == "met"
    elsewhere = answers_with(facts, "off-tune1", "5 100 1m").results[0]
    assert elsewhere.judgement.verdict is Verdict.NOT_KNOWN and elsewhere.label == "+5 kHz"


def test_by_ear_is_marked_as_such_and_never_judged() -> None:
    step = answers_with(FACTS, "by-ear1", "1400 2")
    assert "by ear" in step.results[0].text and step.results[0].as_found


def test_a_move_spoils_what_was_read_as_left() -> None:
    record = a_record(
        begun(), an_answer(2, "proof.left.bc.answers", "image", {"wanted": 1e-4, "other": 1e-2})
    )
    moved = replace(record, moves=(Move(3, FACTS.if_adjusters()[0], 0.25, "x"),))
    step = left_steps(moved)["proof.left.bc.answers"]
    assert step.status is Status.RECHECK and step.ask is not None and step.ask.key == "image"


MOVED = Move(3, FACTS.if_adjusters()[0], 0.25, "x")


def test_what_is_read_again_at_its_place_counts_alone() -> None:
    """A reading of a series after a move: a question with a new number takes the place of the old
    one, and the two are not counted together."""
    key = "proof.left.bc.answers"
    before = an_answer(2, key, "off-tune1", {"offset": 10e3, "wanted": 1e-4, "other": 1e-2})
    record = replace(a_record(begun(), before), moves=(MOVED,))
    stale = left_steps(record)[key]
    assert stale.status is Status.RECHECK and stale.ask is not None
    assert stale.ask.key == "off-tune2"
    after = an_answer(4, key, "off-tune2", {"offset": 10e3, "wanted": 1e-4, "other": 2e-2})
    again = left_steps(replace(record, answers=(*record.answers, after)))[key]
    assert again.status is Status.DONE and len(again.results) == 1
    assert again.results[0].value == pytest.approx(20.0 * math.log10(200.0))


def test_a_curve_of_before_a_move_does_not_meet_one_of_after_it() -> None:
    key = "proof.left.output"

    def curve(first: int, factor: float) -> list[Answer]:
        values = [{"level": 10.0**-n, "on": factor * 10.0 ** (-0.1 * n)} for n in (1, 3, 5)]
        return [an_answer(first + n, key, f"curve{first + n - 1}", v) for n, v in enumerate(values)]

    record = replace(a_record(begun(), *curve(2, 1.0)), moves=(replace(MOVED, seq=6),))
    stale = left_steps(record)[key]
    assert stale.status is Status.RECHECK and stale.ask is not None
    again = looked_at(left_steps(replace(record, answers=(*record.answers, *curve(7, 9.0))))[key])
    assert again.status is Status.DONE
    assert again.results[0].value == pytest.approx(8.0, abs=0.05)


# ---- output over level


def output(
    *lines: tuple[str, str], facts: ReceiverFacts = FACTS, noted: Answer | None = None
) -> Step:
    record = a_record(begun(), *([noted] if noted else []))
    for name, line in lines:
        step = left_steps(record, facts)["proof.left.output"]
        ask = next(a for a in step.others if a.key.startswith(name))
        entry = read_entry(ask, line, {})
        answer = an_answer(len(record.answers) + 1, step.key, ask.key, entry.values)
        record = replace(record, answers=(*record.answers, answer))
    return looked_at(left_steps(record, facts)["proof.left.output"])


def test_a_straight_law_has_the_figure_of_merit_of_its_slope() -> None:
    """Output that rises by 1 dB for 5 dB of input: 10 dB are 50 dB of input, 80 dB are 16 dB."""
    lines = []
    for level_db in range(-100, -19, 10):
        level_uv = 1e6 * 10.0 ** (level_db / 20.0)
        lines.append(("curve", f"{level_uv:.4f} {10.0 ** (level_db / 100.0):.6f}"))
    step = output(*lines, facts=replace(FACTS, performance=(PerformanceLimit(Figure.AVC, 20.0),)))
    assert any("fall by 50 dB" in w for w in step.advice)
    assert step.results[0].value == pytest.approx(16.0, abs=0.05)
    assert step.results[0].judgement.words == "met" and step.plot is not None


def test_output_at_ten_per_cent_lies_between_what_was_read() -> None:
    # a law of distortion rising with the square of power: 10 % where 1 W has 2.5 %
    lines = [("distortion", f"{math.sqrt(w * 4.0):.4f} 4 {2.5 * w**2:.4f}") for w in (1.0, 3.0)]
    step = output(*lines)
    assert step.results[0].value == pytest.approx(2.0, rel=1e-3)
    assert any("outside of what was read" in w for w in output(lines[0]).advice)


@pytest.mark.parametrize("phase", [0.0, 0.3, 0.5, 0.8, 1.0])
def test_a_generator_that_distorts_makes_the_output_doubtful_by_what_it_may_add(
    phase: float,
) -> None:
    """The set reaches 10 % at 2 W; its harmonic and the generator's 2 % add as phasors."""
    lines = []
    for watts in (1.0, 1.6, 2.4, 3.0):
        own = 2.5 * watts**2
        read = abs(complex(own, 0.0) + 2.0 * cmath.exp(1j * math.pi * phase))
        lines.append(("distortion", f"{math.sqrt(watts * 4.0):.4f} 4 {read:.4f}"))
    noted = an_answer(2, PATH_STEP, "own", {"noise": 46.0, "distortion": 2.0})
    step = output(*lines, noted=noted)
    told = step.results[0]
    assert told.value is not None
    doubt_db = float(told.text.split("±")[1].removesuffix(" dB"))
    assert abs(10.0 * math.log10(told.value / 2.0)) <= doubt_db + 0.05
    assert doubt_db > float(output(*lines).results[0].text.split("±")[1].removesuffix(" dB"))


def test_a_generator_that_gives_ten_per_cent_itself_tells_nothing() -> None:
    noted = an_answer(2, PATH_STEP, "own", {"noise": 46.0, "distortion": 12.0})
    lines = [("distortion", "2 4 4"), ("distortion", "3 4 15")]
    assert any("generator's own distortion hides" in w for w in output(*lines, noted=noted).advice)


def test_marks_of_the_sets_own_meter_become_decibels() -> None:
    lines = [("meter", f"{10.0 ** (6.0 * n / 20.0):.4f} {n}") for n in range(1, 6)]
    assert any("6.0 dB a mark" in w for w in output(*lines).advice)


# ---- elsewhere, and the room


def elsewhere(*lines: str) -> Step:
    record = a_record(begun())
    for line in lines:
        step = left_steps(record)["proof.left.bc.answers"]
        ask = next(a for a in step.others if a.key.startswith("pair-at-any"))
        entry = read_entry(ask, line, {})
        ROOM.check(Situation(FACTS, record), step, ask, Entering(entry.values, entry.texts))
        answer = an_answer(len(record.answers) + 1, step.key, ask.key, entry.values, **entry.texts)
        record = replace(record, answers=(*record.answers, answer))
    return left_steps(record)["proof.left.bc.answers"]


def test_levels_of_one_place_and_mode_become_its_figure() -> None:
    swings = [line.partition(" ") for line in levels_at(8e-6, 0.3, 12e-6, 8.5e-6)]
    lines = [f"1200 {level} {rest} CW  narrow" for level, _, rest in swings]
    other = "1200 40 0.90 0.29 AM wide"
    labels = {r.label: r for r in elsewhere(*lines, other).results}
    assert labels["1200 kHz CW narrow"].value == pytest.approx(8e-6, rel=0.05)
    # what is told apart by its words is another place
    assert "1200 kHz AM wide" in labels


@pytest.mark.parametrize("words", ["AM", "CW narrow", "SSB, filter 2", "wide 6 kHz", ""])
def test_a_mode_follows_in_any_words(words: str) -> None:
    labels = [r.label for r in elsewhere(f"1.2 MHz 40 uV 900 mV 0.29 {words}").results]
    assert labels == [f"1200 kHz {words}".strip()]


def test_one_reading_far_from_the_ratio_asks_for_another() -> None:
    step = elsewhere("1200 2000 3.0 0.01 AM")
    assert "another level needed" in step.results[0].text


def noise_of(line: str, facts: ReceiverFacts = FACTS) -> Step:
    record = a_record(begun())
    step = left_steps(record, facts)["proof.left.noise"]
    ask = asked(step, "noise")
    entry = read_entry(ask, line, {})
    ROOM.check(Situation(facts, record), step, ask, Entering(entry.values, entry.texts))
    kept = an_answer(2, step.key, "noise", entry.values)
    return left_steps(a_record(begun(), kept), facts)["proof.left.noise"]


def test_the_rooms_noise_is_what_the_aerial_adds_in_power() -> None:
    # 3:1 in volts lifts by 9.54 dB, and leaves the root of eight for the room
    words = " ".join(noise_of("0.9 0.3").advice)
    assert "by 9.5 dB" in words and "+9.0 dB" in words and "nothing is taken off" in words
    assert "would be heard" in " ".join(noise_of("0.31 0.3").advice)
    assert "not be heard" in " ".join(noise_of("1.2 0.3").advice)


def test_of_a_set_that_listens_by_itself_the_room_is_taken_off() -> None:
    loop = replace(FACTS.circuit, aerial=replace(FACTS.circuit.aerial, kind=AerialKind.LOOP))
    words = " ".join(noise_of("0.9 0.3", replace(FACTS, circuit=loop)).advice)
    assert "lower by 9.5 dB" in words


@pytest.mark.parametrize("line", ["0.2 0.9", "0 0.3", "0.3 0"])
def test_an_aerial_that_lowers_the_noise_is_a_slip(line: str) -> None:
    with pytest.raises(BadInput, match="cannot be"):
        noise_of(line)


def test_a_bare_frequency_of_a_short_wave_band_is_in_megahertz() -> None:
    step = left_steps(a_record(begun()))["proof.left.sw.answers"]
    band = FACTS.band("sw")
    for name in ("pair-at-any", "by-ear"):
        ask = next(a for a in step.others if a.key.startswith(name))
        assert read_entry(ask, ask.example, {}).values["frequency"] in (
            pytest.approx(band.low_mark_hz),
            pytest.approx(band.high_mark_hz),
        )


def planned(step: Step) -> list[Ask]:
    return [a for a in step.others if a.key.startswith("pair-at") and a.point]


def test_low_middle_and_high_of_every_band_are_offered_to_the_bench() -> None:
    for band in FACTS.bands:
        asks = planned(left_steps(a_record(begun()))[f"proof.left.{band.key}.answers"])
        places = [dict(a.point)["at_hz"] for a in asks]
        assert places[0] == band.low_mark_hz and places[2] == band.high_mark_hz
        assert places[0] < places[1] < places[2] and all(a.recipe for a in asks)


def test_a_planned_place_is_searched_from_its_own_readings() -> None:
    record = a_record(begun())
    key = "proof.left.bc.answers"
    for _ in range(4):
        ask = planned(left_steps(record)[key])[1]
        level = float(ask.example.split()[0]) * 1e-6
        entry = read_entry(ask, levels_at(9e-6, 0.3, level)[0], {})
        seq = len(record.answers) + 1
        answer = Answer(seq, key, ask.key, entry.values, {}, point=ask.point)
        record = replace(record, answers=(*record.answers, answer))
    (found,) = left_steps(record)[key].results
    assert found.value == pytest.approx(9e-6, rel=0.05)
    # the other places begin where nothing is known
    assert planned(left_steps(record)[key])[0].example.startswith("50.0 ")


@pytest.mark.parametrize("step_db", [0.0, 3.0, 10.0, 20.0])
@pytest.mark.parametrize("true_v", [4e-6, 11e-6, 26e-6, 90e-6, 420e-6, 1.5e-3])
def test_a_generator_of_coarse_steps_ends_the_search_as_well(true_v: float, step_db: float) -> None:
    """It goes on to the step beyond instead of reading the same level for ever."""
    limits = GeneratorLimits(least_v=2e-6, greatest_v=0.1, step_db=step_db)
    facts, equipment = with_limit(LIMIT_V), Equipment(generator=limits)
    record, levels = a_record(), []
    while True:
        situation = Situation(facts, record, equipment)
        step = within_equipment(
            sensitivity_step(situation, numbered_points(facts)[0], STAGE, LEFT), equipment, 0.0
        )
        if step.ask is None or step.retake or len(levels) > 12:
            break
        assert step.ask.recipe is not None
        level_v = float(step.ask.recipe.change.get("generator_emf_v"))
        # what is said is what the generator gives
        assert float(step.ask.example.split()[0]) * 1e-6 == pytest.approx(level_v, rel=0.03)
        levels.append(level_v)
        record = typed(facts, record, levels_at(true_v, 0.4, level_v)[0])
    assert len(levels) <= 8, levels
    figure = figure_of(record, numbered_points(facts)[0].given, record.of_step(KEY))
    assert figure is not None and figure.found is not None
    assert figure.found.low_95_v <= true_v <= figure.found.high_95_v
