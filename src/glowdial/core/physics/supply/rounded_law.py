"""A rectifier's law with its corner rounded, for Newton's method to find a way down."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.supply.circuit import Rectifier

Floats = NDArray[np.float64]

# widths of a rounded corner, as shares of the drive's peak: the last is as good as sharp
CORNERS = (0.1, 0.03, 0.01, 3e-3, 1e-3, 3e-4, 1e-4, 3e-5)


class Law(Protocol):
    """What collocation wants of a rectifier."""

    def current_a(self, forward_v: Floats) -> Floats: ...
    def conductance_s(self, forward_v: Floats) -> Floats: ...


@dataclass(frozen=True, slots=True)
class RoundedLaw:
    """A rectifier's law with its corner rounded over ``width_v``: everywhere smooth, so that
    Newton's method has a way down from anywhere."""

    law: Rectifier
    width_v: float

    def _above(self, forward_v: Floats) -> tuple[Floats, Floats]:
        x = np.maximum((forward_v - self.law.threshold_v) / self.width_v, -700.0)
        return self.width_v * np.logaddexp(0.0, x), 1.0 / (1.0 + np.exp(-x))

    def current_a(self, forward_v: Floats) -> Floats:
        above_v, _ = self._above(forward_v)
        return self.law.current_a(above_v + self.law.threshold_v)

    def conductance_s(self, forward_v: Floats) -> Floats:
        above_v, share = self._above(forward_v)
        return self.law.conductance_s(above_v + self.law.threshold_v) * share
