"""The way over a peak, from bells of any width gone over by any steps."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.bench.peak_trace import PeakTrace, TracePoint, peak_trace
from glowdial.core.language.quantities import turns


def gone_over(top: float, width: float, places: list[float]) -> list[TracePoint]:
    """Readings on a resonance at ``top`` turns from where the movement began."""
    return [TracePoint(p, 2.5 / math.hypot(1.0, (p - top) / width)) for p in places]


def traced(points: list[TracePoint]) -> PeakTrace:
    found = peak_trace(points)
    assert found is not None
    return found


@given(
    top=st.floats(-1.0, 1.0),
    width=st.floats(0.2, 2.0),
    step=st.sampled_from([1 / 16, 1 / 8, 1 / 4]),
)
def test_what_it_says_leads_to_the_best_place_that_was_tried(
    top: float, width: float, step: float
) -> None:
    found = traced(gone_over(top, width, [-1.5 + n * step for n in range(int(3.0 / step) + 1)]))
    values = [p.value for p in found.points]
    assert found.best.value == max(values)
    assert found.points[-1].turns + found.back_turns == pytest.approx(found.best.turns)
    assert found.below == pytest.approx(1.0 - values[-1] / max(values))
    # its best is within a step of the true top
    assert abs(found.best.turns - top) <= step


def test_each_stretch_of_the_way_has_its_own_words() -> None:
    assert peak_trace([]) is None
    way = [0.0, 0.125, 0.25, 0.375, 0.5, 0.625, 0.75]
    whole = gone_over(0.375, 0.3, way)
    assert traced(whole[:1]).next_words == "Turn either way and watch."
    assert traced(whole[:3]).next_words == "Rising: go on clockwise, until it falls."
    other = gone_over(-0.375, 0.3, [-w for w in way])
    assert "go on counter-clockwise" in traced(other[:3]).next_words
    past = traced(whole)
    assert past.next_words == f"Past it: go back {turns(-0.375)}."
    assert "below the best, 2.500" in past.words
    back = traced([*whole, *gone_over(0.375, 0.3, [0.5, 0.375])])
    assert back.next_words == "It falls off both ways: this is the peak. Keep it."
    assert back.words == "best so far, 2.500" and back.back_turns == 0.0


def test_a_needles_own_wander_is_no_peak() -> None:
    still = [TracePoint(n / 8, 2.0 * (1.0 + 0.001 * (-1) ** n)) for n in range(6)]
    words = traced(still).next_words
    assert "Past it" not in words and "this is the peak" not in words
