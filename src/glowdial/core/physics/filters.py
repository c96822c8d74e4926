"""Filters beside the coupled pair: a crystal with its phasing capacitor, a mechanical filter.

Crystal: series resonance, lossy, in a balanced bridge; what the phasing capacitor does not balance
makes a notch beside the peak. Mechanical: an equal-ripple response of n resonators, the Chebyshev
polynomial of the low-pass prototype carried to a band. Source: textbooks of filter theory.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class CrystalFilter:
    """A single crystal: series resonance, loaded Q, and unbalance as a share (0 balanced).

    Unbalance u puts the notch at about f0 (1 + 1/(2 Q u)).
    """

    resonance_hz: float
    q: float
    unbalance: float = 0.0

    def __post_init__(self) -> None:
        require_positive(resonance_hz=self.resonance_hz, q=self.q)

    def response(self, frequency_hz: Floats) -> Complexes:
        """Volts out per volt in, 1 at the peak of a balanced one."""
        f = np.asarray(frequency_hz, dtype=np.float64)
        detuning = self.q * (f / self.resonance_hz - self.resonance_hz / f)
        return np.asarray(1.0 / (1.0 + 1j * detuning) + 1j * self.unbalance)


@dataclass(frozen=True, slots=True)
class MechanicalFilter:
    """Equal-ripple band: centre, width at the ripple's edge, resonators, ripple and loss in dB."""

    centre_hz: float
    width_hz: float
    resonators: int = 7
    ripple_db: float = 1.0
    loss_db: float = 8.0

    def __post_init__(self) -> None:
        require_positive(centre_hz=self.centre_hz, width_hz=self.width_hz)
        if not 2 <= self.resonators <= 15:
            raise BadInput("resonators", str(self.resonators), "must be 2 to 15", "7")

    def response(self, frequency_hz: Floats) -> Complexes:
        """Volts out per volt in; magnitude alone, its phase is not modelled."""
        f = np.asarray(frequency_hz, dtype=np.float64)
        x = np.abs((f / self.centre_hz - self.centre_hz / f) * self.centre_hz / self.width_hz)
        inside = np.cos(self.resonators * np.arccos(np.minimum(x, 1.0)))
        outside = np.cosh(self.resonators * np.arccosh(np.maximum(x, 1.0)))
        polynomial = np.where(x <= 1.0, inside, outside)
        ripple = math.pow(10.0, self.ripple_db / 10.0) - 1.0
        loss = math.pow(10.0, -self.loss_db / 20.0)
        return np.asarray(loss / np.sqrt(1.0 + ripple * polynomial**2), dtype=np.complex128)
