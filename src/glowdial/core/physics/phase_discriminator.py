"""The phase discriminator and the ratio detector: a coupled pair whose secondary, centre-tapped, is
added to and taken from the primary's volts.

With a limited current into the primary, x = 2 Q (f/f0 - 1) of each circuit and a the coupling
in multiples of the critical one, the primary stands at (1 + j x2) / D and the secondary at j a / D
with D = (1 + j x1)(1 + j x2) + a^2; two diodes see the primary plus and minus half the secondary.
Their difference is the sound, their sum the level that a ratio detector holds.
Source: Foster and Seeley, Automatic tuning, simplified circuits, and design practice; Seeley and
Avins, The ratio detector.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import require_positive

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class PhaseDiscriminator:
    """Resonances in Hz and loaded Qs of both circuits, coupling in multiples of the critical one,
    each above 0; ``halves`` is how much stronger (as a share) the upper diode's half is."""

    primary_hz: float
    secondary_hz: float
    primary_q: float
    secondary_q: float
    of_critical: float = 1.5
    halves: float = 0.0

    def __post_init__(self) -> None:
        require_positive(
            primary_hz=self.primary_hz,
            secondary_hz=self.secondary_hz,
            primary_q=self.primary_q,
            secondary_q=self.secondary_q,
            of_critical=self.of_critical,
        )

    def diodes(self, frequency_hz: Floats | float) -> tuple[Floats, Floats]:
        """Volts at both diodes for a limited current of 1, shapes as ``frequency_hz``."""
        f = np.asarray(frequency_hz, dtype=np.float64)
        x1 = 2.0 * self.primary_q * (f / self.primary_hz - 1.0)
        x2 = 2.0 * self.secondary_q * (f / self.secondary_hz - 1.0)
        below = (1.0 + 1j * x1) * (1.0 + 1j * x2) + self.of_critical**2
        primary, secondary = (1.0 + 1j * x2) / below, 1j * self.of_critical / below
        upper = np.abs(primary - 0.5 * secondary) * (1.0 + self.halves)
        return np.asarray(upper), np.asarray(np.abs(primary + 0.5 * secondary))

    def output(self, frequency_hz: Floats | float) -> Floats:
        """The sound's volts: positive above the zero crossing."""
        upper, lower = self.diodes(frequency_hz)
        return np.asarray(lower - upper)

    def level(self, frequency_hz: Floats | float) -> Floats:
        """The level that stands across both diodes together."""
        upper, lower = self.diodes(frequency_hz)
        return np.asarray(upper + lower)
