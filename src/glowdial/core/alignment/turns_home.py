"""The turns that bring the marks of a band home.

Those that do so together are each sample's own least squares, in tolerances, and of those the
middle one. One adjuster alone is turned as far as brings most samples inside: an effect that is not
well known is thereby aimed at short of the mark. Source: expected loss, as in textbooks of decision
theory.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from glowdial.core.alignment.band_marks import Mark, error_hz, is_idle
from glowdial.core.alignment.oscillator_state import FittedOscillator

Floats = NDArray[np.float64]

# a turn is tried at these shares of what the squared error asks for
SHARES = (0.6, 0.7, 0.8, 0.85, 0.9, 0.95, 1.0, 1.05, 1.1, 1.2)
# where the other one can still put it right
JOINT_SHARE, RIDGE = 0.9, 1e-6
# one adjuster will do where it brings every mark this far inside
ENOUGH_INSIDE = 0.7
FIRST_STEP, ROUNDS = 1.0 / 8.0, 4


def unknown_way(fit: FittedOscillator, marks: Sequence[Mark]) -> Mark | None:
    """A mark whose adjuster may as well go the other way."""
    for mark in marks:
        assert mark.adjuster is not None
        if 0.1 < _share_of_way(fit, mark.adjuster) < 0.9:
            return mark
    return None


def _share_of_way(fit: FittedOscillator, key: str) -> float:
    place = [t.key for t in fit.turners].index(key)
    return float(np.mean(fit.ways[:, place] > 0.0))


def best_single(
    fit: FittedOscillator, marks: Sequence[Mark], travel_turns: Mapping[str, float]
) -> tuple[float, Mark, float] | None:
    """The one turn that brings the worst mark nearest, by how much, the hand's own error counted
    in; of those that do anything, in a direction that is known."""
    now = expected_worst(fit, marks, {})
    best: tuple[float, Mark, float] | None = None
    for mark in marks:
        if mark.adjuster is None or is_idle(fit, mark) or unknown_way(fit, [mark]):
            continue
        turns = middle_of(fit, all_together(fit, marks, [mark.adjuster], travel_turns))
        gain = now - expected_worst(fit, marks, turns)
        if best is None or gain > best[0]:
            best = (gain, mark, turns[mark.adjuster])
    return best


def one_alone(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    candidates: Sequence[Mark],
    travel_turns: Mapping[str, float],
) -> tuple[Mark, float] | None:
    """The one adjuster that by itself brings every mark well inside, and its turns."""
    best: tuple[float, Mark, float] | None = None
    for mark in candidates:
        assert mark.adjuster is not None
        wanted = middle_of(fit, all_together(fit, marks, [mark.adjuster], travel_turns))
        turns = _most_inside(fit, marks, wanted)
        worst = worst_of(fit, marks, turns)
        if worst <= ENOUGH_INSIDE and (best is None or worst < best[0]):
            best = (worst, mark, turns[mark.adjuster])
    return None if best is None else (best[1], best[2])


def first_of(
    fit: FittedOscillator, marks: Sequence[Mark], usable: Sequence[Mark], joint: Mapping[str, float]
) -> tuple[Mark, float]:
    """Of those that have to turn, the one that was turned less often, so that all are soon known;
    of two alike the one that moves the other's mark more, in tolerances."""

    def disturbs(mark: Mark) -> float:
        assert mark.adjuster is not None
        turns = {mark.adjuster: joint[mark.adjuster]}
        others = [m for m in marks if m is not mark]
        return max(
            (
                abs(float(np.mean(error_hz(fit, m, turns) - error_hz(fit, m)))) / m.tolerance_hz
                for m in others
            ),
            default=0.0,
        )

    def nearer(mark: Mark) -> bool:
        """Whether it brings its own mark nearer by itself, and not only once the other followed."""
        assert mark.adjuster is not None
        turns = {mark.adjuster: JOINT_SHARE * joint[mark.adjuster]}
        after, now = (abs(float(np.mean(error_hz(fit, mark, t)))) for t in (turns, None))
        return after <= now

    def order(mark: Mark) -> tuple[bool, int, float]:
        assert mark.adjuster is not None
        return (nearer(mark), -fit.moves_of(mark.adjuster), disturbs(mark))

    first = max(usable, key=order)
    assert first.adjuster is not None
    return first, JOINT_SHARE * joint[first.adjuster]


def all_together(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    keys: Sequence[str],
    travel_turns: Mapping[str, float],
) -> dict[str, Floats]:
    """Turns of some adjusters that bring the marks home together: each sample's own, by least
    squares in tolerances."""
    turns: dict[str, Floats] = {key: np.zeros(len(fit.samples)) for key in keys}
    most = np.array([0.5 * travel_turns.get(key, 2.0) for key in keys])
    for _ in range(ROUNDS):
        error = np.stack([error_hz(fit, m, turns) / m.tolerance_hz for m in marks], axis=1)
        slopes = np.empty((*error.shape, len(keys)))
        for n, key in enumerate(keys):
            on = {**turns, key: turns[key] + FIRST_STEP}
            there = np.stack([error_hz(fit, m, on) / m.tolerance_hz for m in marks], axis=1)
            slopes[:, :, n] = (there - error) / FIRST_STEP
        now = np.stack([turns[key] for key in keys], axis=1)
        wanted = now + _least_squares(slopes, error)
        over = np.abs(wanted) / most
        # what the one furthest beyond its travel cannot do is left to the others
        ended = (over > 1.0) & (over >= np.max(over, axis=1, keepdims=True))
        held = np.where(ended, np.clip(wanted, -most, most) - now, 0.0)
        left = error + np.einsum("smi,si->sm", slopes, held)
        rest = _least_squares(np.where(ended[:, None, :], 0.0, slopes), left)
        then = np.clip(now + np.where(ended, held, rest), -most, most)
        turns = {key: then[:, n] for n, key in enumerate(keys)}
    return turns


def _least_squares(slopes: Floats, error: Floats) -> Floats:
    """Steps that take an error away (samples, marks), by slopes (samples, marks, adjusters)."""
    square = np.einsum("smi,smj->sij", slopes, slopes)
    pull = np.einsum("smi,sm->si", slopes, error)
    unit = np.eye(slopes.shape[2])
    ridge = RIDGE * (1.0 + np.trace(square, axis1=1, axis2=2))[:, None, None] * unit
    return np.asarray(-np.linalg.solve(square + ridge, pull[:, :, None])[:, :, 0])


def middle_of(fit: FittedOscillator, turns: Mapping[str, Floats]) -> dict[str, float]:
    """The middle one of the turns of all samples in which an adjuster does anything."""
    keys = [t.key for t in fit.turners]
    live = {key: fit.alive[:, keys.index(key)] > 0.0 for key in turns}
    return {
        key: float(np.median(of[live[key]] if np.any(live[key]) else of))
        for key, of in turns.items()
    }


def _most_inside(
    fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]
) -> dict[str, float]:
    """The same turns, more or less of them, where most samples come inside: what is far out anyway
    does not count more for being further."""

    tried = ({k: share * t for k, t in turns.items()} for share in SHARES)
    return min(tried, key=lambda some: _loss(fit, marks, some))


def worst_of(fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]) -> float:
    """How far out the worst mark is by the middle sample, in tolerances."""
    return max(abs(float(np.median(error_hz(fit, m, turns)))) / m.tolerance_hz for m in marks)


def expected_worst(
    fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]
) -> float:
    """How far out the worst mark will be, on the average, in tolerances."""
    error = np.stack([np.abs(error_hz(fit, m, turns)) / m.tolerance_hz for m in marks])
    return float(np.mean(np.max(error, axis=0)))


def _loss(fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]) -> float:
    """From 0, all marks right in all samples, to 1, all far out."""
    error = np.stack([error_hz(fit, m, turns) / m.tolerance_hz for m in marks])
    return float(np.mean(error**2 / (1.0 + error**2)))
