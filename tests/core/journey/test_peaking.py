"""A peak and a mark: what was lost is outside, and nobody looks as far as the image."""

from __future__ import annotations

import pytest

from builders import a_record, an_answer, slipway_facts, tidewater_facts
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.dial_marks import dial_recipe, search_span_hz
from glowdial.core.journey.peaking import peak_step, typed_trace
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


def test_places_that_were_typed_show_the_way_over_the_peak() -> None:
    """Typed where no bench turns: absolute turns, so that nothing is counted twice."""
    facts = tidewater_facts()
    adjuster = facts.adjuster("t1-primary")
    step = Step("if.pass1.t1-primary", "IF", "", "")
    recipe = Recipe(Doing.PEAK, setting())
    places = ((0.0, -1.9), (0.125, -2.4), (0.25, -2.6), (0.375, -2.3))
    answers = [
        an_answer(n, step.key, f"trial{n}", {"turned": turned, "avc": avc})
        for n, (turned, avc) in enumerate(places, start=1)
    ]
    begun = peak_step(a_record(*answers[:1]), step, adjuster, recipe=recipe, level_v=1e-3)
    assert begun.trace is not None and "Turn either way" in begun.trace.next_words
    shown = peak_step(a_record(*answers), step, adjuster, recipe=recipe, level_v=1e-3)
    assert shown.trace is not None
    assert [(p.turns, p.value) for p in shown.trace.points] == [(t, -v) for t, v in places]
    assert shown.trace.best.turns == 0.25 and "go back 1/8" in shown.trace.next_words
    assert shown.status is Status.OPEN and shown.others[0].key == "trial5"
    # on the way nothing is moved in the ledger: only the movement's own turn counts
    assert a_record(*answers).turns_of("t1-primary") == 0.0
    done = an_answer(9, step.key, "peak", {"before": -1.9, "after": -2.6, "turns": 0.25})
    over = peak_step(a_record(*answers, done), step, adjuster, recipe=recipe, level_v=1e-3)
    assert over.trace is None and over.others == ()


def test_a_peak_that_is_gone_over_again_begins_its_way_anew() -> None:
    first = an_answer(1, "if.pass1.t1-primary", "trial1", {"turned": 0.5, "avc": -2.0})
    peak = an_answer(
        2, "if.pass1.t1-primary", "peak", {"before": -1.9, "after": -2.6, "turns": 0.2}
    )
    assert typed_trace(a_record(first, peak), "if.pass1.t1-primary") is None
    second = an_answer(3, "if.pass1.t1-primary", "trial2", {"turned": 0.0, "avc": -2.4})
    again = typed_trace(a_record(first, peak, second), "if.pass1.t1-primary")
    assert again is not None and [p.turns for p in again.points] == [0.0]
    assert again.now_text == "2.40 V"
