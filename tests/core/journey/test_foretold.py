"""Readings of a mark that can hardly be: images, false answers, slips of the pen."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.steps import Ask
from glowdial.core.plan.journey import situation_of
from glowdial.core.stages.tracking.steps import tracking_steps

FACTS = tidewater_facts()
IF_KHZ = FACTS.intermediate_frequency_hz / 1e3


def asked(high_side: bool = True) -> Ask:
    """The low mark as found, after the high one was read to be right."""
    record = a_record(an_answer(1, "osc.bc.survey", "high", {"frequency": 1404e3}))
    band = FACTS.bands[0]
    band = replace(band, tracked=replace(band.tracked, high_side=high_side))
    facts = replace(FACTS, bands=(band, *FACTS.bands[1:]))
    steps = tracking_steps(situation_of(facts, record))
    ask = next(s for s in steps if s.key == "osc.bc.survey").ask
    assert ask is not None and ask.key == "low"
    return ask


@pytest.mark.parametrize("typed", ["600", "604.5", "596", "612"])
def test_what_a_set_of_this_age_reads_is_not_asked_about(typed: str) -> None:
    assert read_entry(asked(), typed, {}).doubts == ()


@pytest.mark.parametrize(
    ("typed", "told"),
    [
        (f"{600 + 2 * IF_KHZ:.0f}", "image"),
        (f"{600 + IF_KHZ / 2:.1f}", "half an IF"),
        ("300", "own harmonic"),
        ("200", "own harmonic"),
        ("6000", "A figure too many"),
        ("60.2", "A figure too few"),
        ("730", "no state of this set"),
    ],
)
def test_a_false_answer_or_a_slip_is_asked_about(typed: str, told: str) -> None:
    doubts = " ".join(read_entry(asked(), typed, {}).doubts)
    assert told in doubts


def test_the_span_to_look_in_is_said_and_leaves_the_image_out() -> None:
    ask = asked()
    assert ask.recipe is not None and ask.recipe.span_hz is not None
    assert ask.recipe.span_hz < 2.0 * FACTS.intermediate_frequency_hz
    assert f"at most {ask.recipe.span_hz / 1e3:.0f} kHz either way" in ask.prompt
