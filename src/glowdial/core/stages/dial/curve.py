"""Dial calibration: correction = true - dial over the dial reading, a shape-preserving cubic."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class DialMark:
    """A mark of the scale, and the true frequency that comes in with the pointer on it (Hz)."""

    dial_hz: float
    true_hz: float

    @property
    def error_hz(self) -> float:
        """True less dial: positive when the station comes in too low on the scale."""
        return self.true_hz - self.dial_hz


@dataclass(frozen=True, slots=True)
class DialCurve:
    """Marks in ascending order (two at least), joined by PCHIP."""

    marks: tuple[DialMark, ...]

    def __post_init__(self) -> None:
        dial = [m.dial_hz for m in self.marks]
        if len(dial) < 2 or any(b <= a for a, b in itertools.pairwise(dial)):
            raise BadInput(
                "dial marks", f"{dial}", "must be two or more, rising, each once", "600, 1000, 1400"
            )

    def correction_hz(self, dial_hz: Floats | float) -> Floats:
        """Correction at dial readings between the outer marks; beyond them the outer one holds."""
        from scipy.interpolate import PchipInterpolator  # late: it costs the first page a second

        x = np.array([m.dial_hz for m in self.marks])
        y = np.array([m.error_hz for m in self.marks])
        inside = np.clip(np.asarray(dial_hz, dtype=np.float64), x[0], x[-1])
        return np.asarray(PchipInterpolator(x, y)(inside), dtype=np.float64)

    def check_within(self, dial_hz: float) -> None:
        """Raises BadInput for a dial reading beyond the outer marks: nothing is known there."""
        low, high = self.marks[0].dial_hz, self.marks[-1].dial_hz
        if not low <= dial_hz <= high:
            raise BadInput(
                "dial reading",
                f"{dial_hz / 1e3:g} kHz",
                f"must lie between the outer marks, {low / 1e3:g} and {high / 1e3:g} kHz",
                f"{(low + high) / 2e3:.0f} kHz",
            )

    def true_hz(self, dial_hz: float) -> float:
        """True frequency at a dial reading."""
        return dial_hz + float(self.correction_hz(dial_hz))

    def dial_for_hz(self, true_hz: float) -> float:
        """Dial reading at which ``true_hz`` comes in: the inverse of ``true_hz``.

        Raises BadInput outside the span of the outer marks.
        """
        from scipy.optimize import brentq  # late, as above

        low, high = self.marks[0], self.marks[-1]
        if not low.true_hz <= true_hz <= high.true_hz:
            raise BadInput(
                "frequency",
                f"{true_hz / 1e3:g} kHz",
                f"must lie between {low.true_hz / 1e3:g} and {high.true_hz / 1e3:g} kHz",
                f"{(low.true_hz + high.true_hz) / 2e3:.0f} kHz",
            )
        if true_hz in (low.true_hz, high.true_hz):
            return low.dial_hz if true_hz == low.true_hz else high.dial_hz
        return float(brentq(lambda d: self.true_hz(d) - true_hz, low.dial_hz, high.dial_hz))

    def worst(self) -> DialMark:
        """The mark with the largest error either way."""
        return max(self.marks, key=lambda m: abs(m.error_hz))
