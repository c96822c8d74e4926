"""The way to the set as people note it, and what it does to a sensitivity."""

from __future__ import annotations

import math

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.level_path import PATH_STEP, level_path, path_words, read_parts
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.sensitivity import sensitivity_step
from glowdial.core.journey.sensitivity_figure import LEFT, measured, numbered_points
from glowdial.core.journey.steps import find_ask, looked_at
from glowdial.core.language.errors import BadInput
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
        ("cable, 0.5, 0.1, 9", "line 1"),
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
        through = next(p.through for p in step.chain.points if p.letter == "G")
        assert ("pad of 20" in through) is bool(record.answers)
        return float(step.ask.example.split()[0])

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
