"""What an FM detector's curve shows: where it crosses zero, how far its peaks stand apart, how
alike both halves are, and how straight it is where the signal swings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]
LEAST_POINTS = 5
# an S goes both ways by this share of its height at least
LEAST_SIDE = 0.15


@dataclass(frozen=True, slots=True)
class SCurve:
    """Zero crossing and both peaks in Hz, the peaks' volts, by how much the upper half is the
    larger (a share: 0 is alike, 1 there is no lower one), and how far the curve leaves a straight
    line over the swing around zero, as a share of the line's height (None where the points do not
    reach so far)."""

    zero_hz: float
    lower_hz: float
    upper_hz: float
    lower_v: float
    upper_v: float
    unlike: float
    bend: float | None

    @property
    def separation_hz(self) -> float:
        """From peak to peak."""
        return self.upper_hz - self.lower_hz


def s_curve(
    frequency_hz: Sequence[float] | Floats,
    volts: Sequence[float] | Floats,
    *,
    swing_hz: float = 75e3,
) -> SCurve:
    """Figures of a detector's direct volts over frequency in Hz, shape (n,) each, n of 5 or more,
    in any order and of either polarity.

    Raises BadInput for too few points, numbers that are none, or a curve that does not cross zero.
    """
    row, level = _sorted(frequency_hz, volts)
    high, low = int(np.argmax(level)), int(np.argmin(level))
    first, last = min(high, low), max(high, low)
    if level[high] <= 0.0 or level[low] >= 0.0:
        raise BadInput(
            "curve",
            f"{level[low]:.2g} to {level[high]:.2g} V",
            "does not cross zero: is it the detector's output, and the secondary near its place?",
            "-0.8 to 0.8 V",
        )
    if min(level[high], -level[low]) < LEAST_SIDE * max(level[high], -level[low]):
        raise BadInput(
            "curve",
            f"{level[low]:.2g} to {level[high]:.2g} V",
            "has one half only: turn the secondary until both sides show",
            "-0.8 to 0.8 V",
        )
    zero = _crossing(row[first : last + 1], level[first : last + 1])
    lower, upper = _vertex(row, level, first), _vertex(row, level, last)
    upper_v, lower_v = abs(float(level[last])), abs(float(level[first]))
    return SCurve(
        zero,
        lower,
        upper,
        float(level[first]),
        float(level[last]),
        (upper_v - lower_v) / (upper_v + lower_v),
        _bend(row, level, zero, swing_hz),
    )


def _sorted(
    frequency_hz: Sequence[float] | Floats, volts: Sequence[float] | Floats
) -> tuple[Floats, Floats]:
    row, level = np.asarray(frequency_hz, dtype=float), np.asarray(volts, dtype=float)
    if row.ndim != 1 or row.shape != level.shape or row.size < LEAST_POINTS:
        raise BadInput("curve", f"{row.size} points", f"needs {LEAST_POINTS} or more", "9")
    if not (np.all(np.isfinite(row)) and np.all(np.isfinite(level))):
        raise BadInput("curve", "not a number", "must be numbers throughout", "10.7, 0.0")
    order = np.argsort(row)
    return row[order], level[order]


def _crossing(row: Floats, level: Floats) -> float:
    """Between the peaks, by a straight line between the two points either side."""
    sign = np.sign(level)
    at = int(np.flatnonzero(sign[:-1] * sign[1:] <= 0.0)[0])
    before, after = float(level[at]), float(level[at + 1])
    share = 0.0 if before == after else before / (before - after)
    return float(row[at] + share * (row[at + 1] - row[at]))


def _vertex(row: Floats, level: Floats, at: int) -> float:
    """A peak between points, by a parabola through three; at an end the point itself."""
    if not 0 < at < row.size - 1:
        return float(row[at])
    x, y = row[at - 1 : at + 2] - row[at], level[at - 1 : at + 2]
    a, b, _ = np.polyfit(x, y, 2)
    top = -0.5 * b / a if a else 0.0
    return float(row[at] + np.clip(top, x[0], x[2]))


def _bend(row: Floats, level: Floats, zero_hz: float, swing_hz: float) -> float | None:
    """The largest distance from the straight line through the swing's middle."""
    if row[0] > zero_hz - swing_hz or row[-1] < zero_hz + swing_hz:
        return None
    inside = zero_hz + swing_hz * np.linspace(-1.0, 1.0, 41)
    shown = np.interp(inside, row, level)
    offset = inside - zero_hz
    slope = float(offset @ shown / (offset @ offset))
    return float(np.max(np.abs(shown - slope * offset)) / max(abs(slope) * swing_hz, 1e-12))
