"""The way to the set as people note it, and what it does to a sensitivity."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.level_path import PATH_STEP, level_path, path_words
from glowdial.core.journey.path_parts import read_parts
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.sensitivity import sensitivity_step
from glowdial.core.journey.sensitivity_figure import (
    FOUND,
    LEFT,
    as_stated,
    compares,
    measured,
    numbered_points,
)
from glowdial.core.journey.steps import find_ask, looked_at
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.level_path import LeadKind, StatedAt
from glowdial.core.plan.journey import journey
from glowdial.core.stages.proof.room import ROOM

FACTS = tidewater_facts()
POINT = numbered_points(FACTS)[0]
PARTS = "cable, 0.5, 0.1\npad of 20, 20.0, 0.2\nmatching, ?\n"
# 20 dB down at 0.5 MHz, 22 dB at 1.5 MHz, amplitude and angle
SWEPT = "# MHz S DB R 50\n" + "".join(
    f"{f} -30 0 {-19.0 - 2.0 * f} 0 -40 0 -30 0\n" for f in [0.1 * n for n in range(5, 21)]
)


def noted(**texts: str) -> JobRecord:
    answers = [
        an_answer(n + 1, PATH_STEP, ask, table=text) for n, (ask, text) in enumerate(texts.items())
    ]
    return a_record(*answers)


def test_parts_add_up_and_an_unknown_loss_is_a_doubt() -> None:
    path = level_path(noted(parts=PARTS), 1e6)
    assert path is not None and path.loss_db == pytest.approx(21.5)
    assert path.doubt_db == pytest.approx(math.sqrt(0.1**2 + 0.2**2 + 1.0))
    assert "matching 1.0 dB" in path_words(path) and level_path(a_record(), 1e6) is None


def test_a_network_counts_where_it_is_used_and_less_surely_beyond_its_ends() -> None:
    inside = level_path(noted(network=SWEPT), 1.0e6)
    assert inside is not None and inside.loss_db == pytest.approx(21.0, abs=0.02)
    beyond = level_path(noted(network=SWEPT), 10e6)
    assert beyond is not None and beyond.doubt_db > 10.0 * inside.doubt_db


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("cable", "line 1"),
        ("cable, 0.5\n, 3", "line 2"),
        ("cable, much", "line 1"),
        ("cable, 0.5, 0.1, 50, 9", "line 1"),
        ("cable, 0.5, 0.1, wide", "line 1"),
        ("balun, 1, , 75 to", "line 1"),
        ("balun, 1, , 75 to 300 to 9", "line 1"),
        ("pad, series 43 over 33, 1 %, 50", "line 1"),
        ("pad, series 43 across 33, 1 %", "line 1"),
        ("pad, series 0, 1 %, 50", "line 1"),
        ("pad, series 43, 90 %, 50", "line 1"),
        ("pad, series much, , 50", "line 1"),
        (f"pad, {'series 4 ' * 13}, , 50", "line 1"),
        ("cable, 0.5, 0.1, 0 to 50", "line 1"),
        ("cable, 900", "line 1"),
        ("\n\n", "0 lines"),
    ],
)
def test_parts_that_are_not_understood_are_refused_with_their_line(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        read_parts(text)


@pytest.mark.parametrize(("ask", "text"), [("parts", "cable"), ("network", "no network at all")])
def test_the_page_is_told_before_it_is_kept(ask: str, text: str) -> None:
    record = walked(FACTS, "proof.found")
    step = journey(FACTS, record).standing(PATH_STEP)
    question = find_ask(step, ask)
    assert question is not None
    entry = read_entry(question, None, {"table": text})
    with pytest.raises(BadInput):
        ROOM.check(Situation(FACTS, record), step, question, Entering(entry.values, entry.texts))


def test_it_is_asked_for_only_once_the_set_may_have_power() -> None:
    keys = [s.key for s in journey(FACTS, a_record()).steps]
    assert PATH_STEP not in keys


def test_a_figure_is_at_the_set_and_its_doubt_holds_that_of_the_way() -> None:
    pair = {"level": 200e-6, "on": 0.9487, "off": 0.3, "readings": 30.0}
    spread = {"on_spread": 0.1, "off_spread": 0.1}
    answer = an_answer(9, POINT.key(LEFT), "pair1", {**pair, **spread})
    plain = measured(a_record(answer), POINT, LEFT)
    path = an_answer(1, PATH_STEP, "parts", table=PARTS)
    through = measured(a_record(path, answer), POINT, LEFT)
    assert plain is not None and through is not None
    assert plain.found is not None and through.found is not None
    assert through.level_v == pytest.approx(plain.level_v * 10 ** (-21.5 / 20))
    assert through.found.doubt_95_db == pytest.approx(
        math.hypot(plain.found.doubt_95_db, math.sqrt(0.05 + 1.0)), rel=0.01
    )


def test_what_is_noted_of_the_way_later_does_not_change_what_was_read_before() -> None:
    pair = {"level": 200e-6, "on": 0.9487, "off": 0.3}
    answer = an_answer(4, POINT.key(LEFT), "pair1", pair)
    plain = measured(a_record(answer), POINT, LEFT)
    later = a_record(answer, an_answer(5, PATH_STEP, "parts", table=PARTS))
    after = measured(later, POINT, LEFT)
    assert plain is not None and after is not None and plain.found == after.found
    # and what counts for the next reading is the way as it stands
    assert level_path(later, 1e6) is not None and level_path(later, 1e6, answer) is None


def test_the_first_level_is_what_the_generator_is_set_to_for_the_limit_at_the_set() -> None:
    def first(record: JobRecord) -> float:
        step = looked_at(sensitivity_step(Situation(FACTS, record), POINT, "proof", LEFT))
        assert step.ask is not None and step.chain is not None
        point = next(p for p in step.chain.points if p.letter == "G")
        drawn = [(w.kind, w.name, w.counted) for w in point.way]
        wanted = [
            (LeadKind.CABLE, "cable", True),
            (LeadKind.PAD, "pad of 20", True),
            (LeadKind.MATCHING, "matching", True),
        ]
        assert drawn == (wanted if record.answers else [])
        assert point.through == "200 pF in series"
        return float(step.ask.example.split()[0])

    def behind_the_aerial(record: JobRecord) -> list[str]:
        step = looked_at(sensitivity_step(Situation(FACTS, record), POINT, "proof", LEFT))
        assert step.chain is not None
        return [b.expected for b in step.chain.blocks]

    # the generator is turned up by what the way takes, so the set has the same
    assert behind_the_aerial(noted(parts=PARTS)) == behind_the_aerial(a_record())
    assert first(noted(parts=PARTS)) == pytest.approx(
        first(a_record()) * 10 ** (21.5 / 20), rel=0.01
    )


def test_what_the_case_leaks_is_a_doubt_of_weak_levels() -> None:
    leak = an_answer(1, PATH_STEP, "leak", {"level": 1e-6})
    path = level_path(a_record(leak), 1e6)
    assert path is not None and path.loss_db == 0.0
    # a microvolt beside ten: 20 log 1.1; beside a thousand nothing that counts
    assert path.doubt_at_db(10e-6) == pytest.approx(20.0 * math.log10(1.1))
    assert path.doubt_at_db(1e-3) < 0.01


MATCHED = "cable, 0.5, 0.1\nbalun, ?, 0.8, 75 to 300\n"
PAIR = {"level": 20e-6, "on": 0.9487, "off": 0.3, "readings": 30.0}
SPREAD = {"on_spread": 0.1, "off_spread": 0.1}


def stated(at: StatedAt) -> JobRecord:
    return a_record(
        an_answer(1, PATH_STEP, "parts", table=MATCHED),
        an_answer(2, PATH_STEP, "stated", stated=at.value),
        an_answer(9, POINT.key(LEFT), "pair1", {**PAIR, **SPREAD}),
    )


def test_a_figure_is_stated_where_the_school_wants_it_and_the_limit_with_it() -> None:
    """3 uV of 300 ohm are 1.5 uV of 75; with 1 dB in the balun the figure is 1 dB apart in power,
    by which the verdicts differ."""
    given = replace(POINT.given, limit_v=30e-6, source_ohm=300.0)
    told = {}
    for at in StatedAt:
        record = stated(at)
        answer = record.of_step(POINT.key(LEFT))[0]
        figure = measured(record, POINT, LEFT)
        limit_v = as_stated(record, given, answer).limit_v
        assert figure is not None and limit_v is not None
        told[at] = (figure, limit_v)
    known, matched = told[StatedAt.KNOWN], told[StatedAt.SET]
    assert known[1] == pytest.approx(15e-6) and matched[1] == pytest.approx(30e-6)
    over_db = [20.0 * math.log10(f.level_v / limit_v) for f, limit_v in (known, matched)]
    assert over_db[0] - over_db[1] == pytest.approx(1.0)
    assert known[0].found is not None and matched[0].found is not None
    assert known[0].found.doubt_95_db < matched[0].found.doubt_95_db


def test_a_school_chosen_later_does_not_change_what_was_read_before() -> None:
    before = stated(StatedAt.SET)
    later = replace(
        before,
        answers=(*before.answers, an_answer(12, PATH_STEP, "stated", stated=StatedAt.KNOWN.value)),
    )
    assert measured(before, POINT, LEFT) == measured(later, POINT, LEFT)
    changed = level_path(later, 1e6)
    assert changed is not None and [p.name for p in changed.beyond] == ["balun"]


def test_the_step_says_of_what_its_levels_are_and_draws_what_is_not_taken_off() -> None:
    facts = replace(
        FACTS,
        sensitivity=tuple(replace(p, limit_v=30e-6, source_ohm=300.0) for p in FACTS.sensitivity),
    )
    point = numbered_points(facts)[0]
    step = looked_at(
        sensitivity_step(Situation(facts, stated(StatedAt.KNOWN)), point, "proof", LEFT)
    )
    words = " ".join(step.advice)
    assert "stated of 75 ohm, with balun as a part of the set" in words
    assert "30.0 uV EMF are of 300 ohm: 15.0 uV carry as much" in words
    assert step.chain is not None
    # what is noted after a reading tells nothing of it, and the next one's way is drawn
    before = stated(StatedAt.KNOWN)
    moved = (replace(a, seq=a.seq + 20) if a.step == PATH_STEP else a for a in before.answers)
    late = replace(before, answers=tuple(sorted(moved, key=lambda a: a.seq)))
    untold = looked_at(sensitivity_step(Situation(facts, late), point, "proof", LEFT))
    assert "stated of" not in " ".join(untold.advice) and untold.chain is not None
    drawn = next(p.way for p in step.chain.points if p.letter == "G")
    assert [(w.name, w.loss, w.counted) for w in drawn] == [
        ("cable", "0.5 dB", True),
        ("balun", "1 ± 1 dB", False),
    ]


def test_a_ratio_near_the_generators_own_is_said_to_be_bounded() -> None:
    loud = {**PAIR, "level": 1e-3, "on": 1.0, "off": 0.01}
    own = an_answer(1, PATH_STEP, "own", {"noise": 42.0, "distortion": 1.5})
    for answers, bounded in (((), False), ((own,), True)):
        record = a_record(*answers, an_answer(9, POINT.key(LEFT), "pair1", {**loud, **SPREAD}))
        step = sensitivity_step(Situation(FACTS, record), POINT, "proof", LEFT)
        assert ("the set may be better" in " ".join(step.advice)) is bounded


def test_resistors_are_a_part_by_their_values() -> None:
    part = read_parts("pad, series 26 across 35.2 series 26, 1 %, 50 to 50")[0]
    assert part.kind is LeadKind.PAD and part.emf_loss_db == pytest.approx(10.0, abs=0.05)
    assert 0.0 < part.doubt_db < 0.2 and part.to_ohm == pytest.approx(50.0, rel=0.01)
    typed = read_parts("Pad, Series 4k7  ACROSS 33 ohm, , from 50")[0]
    assert typed.from_ohm == 50.0 and typed.emf_loss_db > 40.0


@pytest.mark.parametrize("changed", [False, True])
def test_what_was_stated_elsewhere_is_not_told_as_won(changed: bool) -> None:
    """The same readings before and after, with the school changed between: nothing was won."""
    parts = an_answer(1, PATH_STEP, "parts", table=MATCHED)
    before = an_answer(2, POINT.key(FOUND), "pair1", {**PAIR, **SPREAD})
    school = an_answer(5, PATH_STEP, "stated", stated=StatedAt.KNOWN.value)
    after = an_answer(9, POINT.key(LEFT), "pair1", {**PAIR, **SPREAD})
    record = a_record(parts, before, *([school] if changed else []), after)
    assert compares(record, POINT) is not changed
    words = " ".join(sensitivity_step(Situation(FACTS, record), POINT, "proof", LEFT).advice)
    assert ("dB won" in words) is not changed
    assert ("stated elsewhere" in words) is changed
    rows = ROOM.report(Situation(FACTS, record), ()).rows
    assert ("stated elsewhere" in rows[0].found) is changed
