"""What is wrong with a dial, from the shape of its errors along the scale.

Each cause moves the marks in its own way: a pointer by the same ratio, a coil's core by the same
share of the oscillator's frequency, a trimmer most at the high end, a padder at the low end, and
the gang's plates by waves that no adjuster has. Every cause is weighed alone, with the plates'
usual waves and the readings' doubt around it. Source: the marginal likelihood of a linear model
with normal priors (textbooks of Bayesian regression).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.tracking import TankRole, TrackedBand, adjusted

Floats = NDArray[np.float64]

# plates of a gang of this age, as shares of its capacity in the first wave, and bent ones
PLATES_DOUBT, BENT_DOUBT, WAVES = 0.004, 0.025, 4
# a cause moves its worst mark by about this many tolerances
CAUSE_TOLERANCES = 4.0
SMALL = 1e-3
# a part is changed by no more than this, and so often its interval is cut
MOST_CHANGE, CUTS = 0.3, 40


class DialFault(StrEnum):
    """What may have moved."""

    POINTER = "pointer"
    SCALE = "coil"
    SHUNT = "trimmer"
    SERIES = "padder"
    PLATES = "gang's plates"
    NOTHING = "nothing: it is as good as it was made"


ROLES = {
    DialFault.SCALE: TankRole.SCALE,
    DialFault.SHUNT: TankRole.SHUNT,
    DialFault.SERIES: TankRole.SERIES,
}


@dataclass(frozen=True, slots=True)
class MarkError:
    """How far a mark is off in Hz (true less mark), its tolerance, and how well it was read."""

    mark_hz: float
    error_hz: float
    tolerance_hz: float
    doubt_hz: float


@dataclass(frozen=True, slots=True)
class DialCause:
    """A cause with its probability, how much of it takes the errors away (for a part the relative
    change of it, for the pointer the ratio of frequency less one), and how far out the worst mark
    is then, in tolerances."""

    cause: DialFault
    probability: float
    amount: float
    worst_after: float


def dial_causes(
    band: TrackedBand, span: tuple[float, float], marks: Sequence[MarkError]
) -> tuple[DialCause, ...]:
    """The causes of a dial's errors, the likeliest first; at least two marks.

    ``span`` is the band's scale from low to high in Hz.
    """
    error = np.array([m.error_hz for m in marks])
    tolerance = np.array([m.tolerance_hz for m in marks])
    read = np.diag([m.doubt_hz**2 for m in marks])
    waves = _waves(band, span, marks)
    sound = read + PLATES_DOUBT**2 * waves @ waves.T
    found: dict[DialFault, tuple[float, float, float]] = {
        DialFault.NOTHING: (_evidence(error, sound), 0.0, _worst(error, tolerance)),
        DialFault.PLATES: (
            _evidence(error, read + BENT_DOUBT**2 * waves @ waves.T),
            0.0,
            _worst(error, tolerance),
        ),
    }
    for cause, shape in _shapes(band, marks).items():
        # so much of it moves the worst mark by some tolerances
        usual = CAUSE_TOLERANCES / float(np.max(np.abs(shape) / tolerance))
        evidence = _evidence(error, sound + usual**2 * np.outer(shape, shape))
        precise = np.linalg.inv(sound)
        amount = float(shape @ precise @ error / (shape @ precise @ shape + usual**-2))
        found[cause] = (evidence, -amount, _worst(error - amount * shape, tolerance))
    top = max(e for e, _, _ in found.values())
    whole = sum(math.exp(e - top) for e, _, _ in found.values())
    return tuple(
        sorted(
            (
                DialCause(cause, math.exp(e - top) / whole, amount, worst)
                for cause, (e, amount, worst) in found.items()
            ),
            key=lambda c: -c.probability,
        )
    )


@dataclass(frozen=True, slots=True)
class BestTurn:
    """The part that is turned, its relative change, and how far out the worst mark is then, in
    tolerances."""

    role: TankRole
    change: float
    worst_after: float


def best_to_turn(
    band: TrackedBand, marks: Sequence[MarkError], can: Sequence[TankRole]
) -> BestTurn | None:
    """Of the parts that can be turned, the one that by itself leaves the worst mark least far out,
    whatever is to blame; None where nothing turns."""
    found = [_least_worst(band, marks, role) for role in can]
    return min(found, key=lambda t: t.worst_after, default=None)


def _least_worst(band: TrackedBand, marks: Sequence[MarkError], role: TankRole) -> BestTurn:
    """The change of one part that makes the worst mark least: its error falls and then rises, so
    the interval around the least is cut by thirds."""
    lo = band.oscillator
    gang = lo.gang_capacity_f(np.array([m.mark_hz for m in marks]) + band.offset_hz)
    here = lo.resonance_hz(gang)
    error = np.array([m.error_hz for m in marks])
    tolerance = np.array([m.tolerance_hz for m in marks])

    def after(change: float) -> float:
        moved = adjusted(lo, role, 1.0 + change).resonance_hz(gang) - here
        return _worst(error + moved, tolerance)

    low, high = -MOST_CHANGE, MOST_CHANGE
    for _ in range(CUTS):
        third = (high - low) / 3.0
        if after(low + third) < after(high - third):
            high -= third
        else:
            low += third
    change = 0.5 * (low + high)
    return BestTurn(role, change, after(change))


def _shapes(band: TrackedBand, marks: Sequence[MarkError]) -> Mapping[DialFault, Floats]:
    """What each cause does to every mark, in Hz for a relative change of one."""
    lo = band.oscillator
    at = np.array([m.mark_hz for m in marks])
    gang = lo.gang_capacity_f(at + band.offset_hz)
    here = lo.resonance_hz(gang)
    shapes = {DialFault.POINTER: at}
    for cause, role in ROLES.items():
        if role is TankRole.SERIES and math.isinf(lo.padder_f):
            continue
        shapes[cause] = (adjusted(lo, role, 1.0 + SMALL).resonance_hz(gang) - here) / SMALL
    return shapes


def _waves(band: TrackedBand, span: tuple[float, float], marks: Sequence[MarkError]) -> Floats:
    """What waves of the gang's law do to the marks (marks, waves), each next one less."""
    lo, (low, high) = band.oscillator, span
    at = np.array([m.mark_hz for m in marks])
    gang = lo.gang_capacity_f(at + band.offset_hz)
    place = np.log(at / low) / math.log(high / low)
    share = (lo.resonance_hz(gang * (1.0 + SMALL)) - lo.resonance_hz(gang)) / SMALL
    return np.stack([share * np.cos(math.pi * n * place) / n for n in range(1, WAVES + 1)], axis=1)


def _evidence(error: Floats, covariance: Floats) -> float:
    _, log_size = np.linalg.slogdet(covariance)
    return float(-0.5 * error @ np.linalg.solve(covariance, error) - 0.5 * log_size)


def _worst(error: Floats, tolerance: Floats) -> float:
    return float(np.max(np.abs(error) / tolerance))
