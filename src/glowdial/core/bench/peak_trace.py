"""The way over a peak: where an adjuster was turned to, what was read there, what comes next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from glowdial.core.bench.movements import PAST_THE_PEAK, STILL_SHARE
from glowdial.core.language.quantities import turns

MOST_POINTS = 400


@dataclass(frozen=True, slots=True)
class TracePoint:
    """Turns since the movement began (clockwise is positive), and the indicator's reading there."""

    turns: float
    value: float


@dataclass(frozen=True, slots=True)
class PeakTrace:
    """Every place that was tried in order, the best of them, and where the reading stands.

    ``below`` is the distance from the best as a share of it; ``back_turns`` the turn that leads
    there; ``words`` say both, ``next_words`` what the hand does now.
    """

    points: tuple[TracePoint, ...]
    best: TracePoint
    below: float
    back_turns: float
    words: str
    next_words: str

    @property
    def now_text(self) -> str:
        """The reading where it stands, as a meter shows it."""
        return f"{self.points[-1].value:.2f} V"

    @property
    def at_best(self) -> bool:
        """Whether the reading stands at the best, within what a needle moves by itself."""
        return self.below <= STILL_SHARE


def peak_trace(points: Sequence[TracePoint]) -> PeakTrace | None:
    """The trace of a movement so far; None before it has begun."""
    if not points:
        return None
    now, best = points[-1], max(points, key=lambda p: p.value)
    below = 1.0 - now.value / best.value if best.value > 0.0 else 0.0
    back = best.turns - now.turns
    if below <= STILL_SHARE:
        words = f"best so far, {best.value:.3f}"
    else:
        words = f"{100.0 * below:.1f} % below the best, {best.value:.3f}"
    return PeakTrace(tuple(points), best, below, back, words, _next_words(points, best, below))


def _next_words(points: Sequence[TracePoint], best: TracePoint, below: float) -> str:
    now = points[-1]
    if len(points) == 1:
        return "Turn either way and watch."
    falls = [p.turns - best.turns for p in points if p.value < (1.0 - STILL_SHARE) * best.value]
    both_sides = any(t > 0.0 for t in falls) and any(t < 0.0 for t in falls)
    if below > STILL_SHARE and (both_sides or below >= PAST_THE_PEAK):
        return f"Past it: go back {turns(best.turns - now.turns)}."
    if both_sides:
        return "It falls off both ways: this is the peak. Keep it."
    way = "clockwise" if now.turns >= points[-2].turns else "counter-clockwise"
    if below <= STILL_SHARE:
        return f"Rising: go on {way}, until it falls."
    return "A little past, or the needle's own wander: one step more, then back."
