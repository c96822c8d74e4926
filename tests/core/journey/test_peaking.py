"""A peak and a mark: what was lost is outside, and nobody looks as far as the image."""

from __future__ import annotations

import pytest

from builders import a_record, an_answer, slipway_facts, tidewater_facts
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.dial_marks import dial_recipe, search_span_hz
from glowdial.core.journey.peaking import peak_step
from glowdial.core.journey.steps import Status, Step
from glowdial.core.model.facts import ReceiverFacts

FACTS = tidewater_facts()
SETS = (FACTS, slipway_facts())


@pytest.mark.parametrize(
    ("before_v", "after_v", "lost"),
    [
        (2.0, 3.1, False),
        (2.0, 2.0, False),
        # within what a needle is read to
        (2.0, 1.96, False),
        (2.0, 1.8, True),
        (2.0, 0.2, True),
        (-2.0, -0.2, True),
    ],
)
def test_a_peak_that_was_lost_is_outside(before_v: float, after_v: float, lost: bool) -> None:
    adjuster = FACTS.adjusters[0]
    values = {"before": before_v, "after": after_v, "turns": 0.25}
    record = a_record(an_answer(1, "peak.one", "peak", values))
    recipe = Recipe(Doing.PEAK, setting(line_v=230.0))
    step = Step("peak.one", "a stage", "", "")
    after = peak_step(record, step, adjuster, recipe=recipe, level_v=1e-3)
    assert after.results[0].judgement.verdict.outside is lost
    assert (after.status is Status.TROUBLE) is lost


@pytest.mark.parametrize("facts", SETS, ids=lambda f: f.title)
@pytest.mark.parametrize("mark_hz", [150e3, 600e3, 1.6e6, 6e6, 18e6, 30e6])
def test_no_search_reaches_the_image(facts: ReceiverFacts, mark_hz: float) -> None:
    """The image comes in at twice the IF from the mark, the IF itself half of that away."""
    span_hz = search_span_hz(facts, mark_hz)
    assert 0.0 < span_hz < facts.intermediate_frequency_hz
    assert span_hz < mark_hz / 2.0


@pytest.mark.parametrize("facts", SETS, ids=lambda f: f.title)
def test_every_mark_is_looked_for_within_that_span(facts: ReceiverFacts) -> None:
    for band in facts.bands:
        for mark_hz in band.dial_marks_hz:
            recipe = dial_recipe(facts, band, mark_hz, Doing.FIND_FREQUENCY)
            assert recipe.span_hz == search_span_hz(facts, mark_hz)
            # and wide enough for a dial that is out by twice what it may be
            assert recipe.span_hz > 2.0 * band.tolerance_hz(mark_hz)
