"""The IF that a set has itself, and what a tool does to a circuit."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.circuit import Conversion
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intermediate.own_if import own_if_words, settled_hz
from glowdial.core.stages.intermediate.steps import check_if, if_steps
from glowdial.core.stages.intermediate.tools import tool_words

FACTS = tidewater_facts()
CORE = "t1-primary"
SURVEYED = (
    an_answer(1, "if.set-up", "ready"),
    an_answer(2, "if.baseline", "avc", {"avc": -0.05}),
    an_answer(3, "if.survey", "reference@reading=0.45", {"level": 90e-6}),
    *(
        an_answer(4 + n, "if.survey", f"point@generator_hz={449e3 + 4e3 * n}", {"avc": -v})
        for n, v in enumerate((0.1, 0.2, 0.4, 0.45, 0.42, 0.3, 0.2, 0.1, 0.05))
    ),
)
ALIGN = an_answer(20, "if.decide", "decision", decision="align")


def step_of(record: JobRecord, key: str, facts: ReceiverFacts = FACTS) -> Step:
    return next(s for s in if_steps(Situation(facts, record)) if s.key == key)


def test_another_if_is_aligned_to_and_its_cost_is_said() -> None:
    said = an_answer(15, "if.decide", "own-if", {"own-if": 460e3}, how="a label or other papers")
    record = a_record(*SURVEYED, said, ALIGN)
    assert settled_hz(FACTS, record) == 460e3
    step = step_of(record, f"if.pass1.{CORE}")
    assert step.ask is not None and step.ask.recipe is not None
    assert step.ask.recipe.change.get("generator_hz") == 460e3
    advice = " ".join(step_of(record, "if.decide").advice)
    assert "-5.0 kHz from the sheet" in advice and "once the oscillator follows" in advice


def test_behind_a_fixed_second_conversion_it_is_not_free() -> None:
    fixed = replace(FACTS, circuit=replace(FACTS.circuit, conversion=Conversion(2.0e6, 2.465e6)))
    words = own_if_words(fixed, a_record())
    assert "465 kHz" in words[0] and "sets this one" in words[0]
    said = an_answer(15, "if.decide", "own-if", {"own-if": 460e3}, how="a label or other papers")
    assert any("everything follows it" in w for w in own_if_words(fixed, a_record(said)))


@pytest.mark.parametrize(
    ("at_hz", "told"),
    [
        ((466e3, 459e3), "may well be right"),
        ((261e3, 264e3), "usual ones near it are 262 kHz"),
        ((300e3, 302e3), "hardly 465 kHz."),
    ],
)
def test_the_cans_say_about_where_it_was_meant_to_be(at_hz: tuple[float, float], told: str) -> None:
    values = dict(zip((t.key for t in FACTS.transformers), at_hz, strict=True))
    words = own_if_words(FACTS, a_record(an_answer(5, "if.decide", "cans-at", values)))
    assert told in words[-1]


def a_tool(with_it: float, without: float, key: str = CORE) -> JobRecord:
    values = {"with_it": -with_it, "without": -without}
    return a_record(an_answer(5, f"if.pass1.{key}", "tool", values))


def test_a_tool_that_detunes_is_noted_by_how_much_at_the_next_visit_too() -> None:
    adjuster = FACTS.adjuster(CORE)
    [words] = tool_words(FACTS, a_tool(0.35, 0.50), adjuster)
    q = FACTS.transformers[0].primary_q
    shift_hz = FACTS.intermediate_frequency_hz * math.sqrt((0.5 / 0.35) ** 2 - 1.0) / (2.0 * q)
    assert f"{shift_hz / 1e3:.1f} kHz or more" in words and "30 % lower" in words
    record = a_tool(0.35, 0.50)
    peaked = replace(record, answers=(*SURVEYED, ALIGN, *record.answers))
    assert words in step_of(peaked, f"if.pass1.{CORE}").notes


def test_one_that_does_not_is_said_to_be_good_and_a_higher_reading_is_no_peak() -> None:
    adjuster = FACTS.adjuster(CORE)
    assert "does not detune" in tool_words(FACTS, a_tool(0.5, 0.51), adjuster)[0]
    assert "not on its peak" in tool_words(FACTS, a_tool(0.5, 0.4), adjuster)[0]


def test_what_one_tool_did_is_said_of_every_adjuster_that_it_fits() -> None:
    adjuster = FACTS.adjuster("t2-secondary")
    told = tool_words(FACTS, a_tool(0.35, 0.5), adjuster)
    same_tool = adjuster.tool == FACTS.adjuster(CORE).tool
    assert bool(told) == same_tool
    assert tool_words(FACTS, a_record(), adjuster) == ()


@pytest.mark.parametrize("typed_hz", [4.65e6, 46.5e3])
def test_an_if_that_slipped_by_ten_is_refused(typed_hz: float) -> None:
    decide = step_of(a_record(*SURVEYED), "if.decide")
    ask = next(a for a in decide.others if a.key == "own-if")
    with pytest.raises(BadInput):
        check_if(Situation(FACTS, a_record()), decide, ask, Entering({"own-if": typed_hz}, {}))
    check_if(Situation(FACTS, a_record()), decide, ask, Entering({"own-if": 175e3}, {}))
