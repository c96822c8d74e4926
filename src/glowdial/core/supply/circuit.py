"""A mains supply as a circuit: source, rectifier law, filter sections and load.

The source is a Thevenin sine: line voltage times ratio, per half of a centre-tapped winding, behind
one series resistance per half, referred to the secondary. Laws: vacuum I = K V^1.5; silicon the
simplification of 0.8 V and a small resistance; selenium a threshold and a series resistance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.errors import require_positive

Floats = NDArray[np.float64]


class Topology(StrEnum):
    """How the winding feeds the rectifier."""

    HALF_WAVE = "half-wave"
    CENTRE_TAP = "full-wave, centre tap"
    BRIDGE = "bridge"


class RectifierKind(StrEnum):
    """The rectifier's law."""

    VACUUM = "vacuum"
    SILICON = "silicon"
    SELENIUM = "selenium"


@dataclass(frozen=True, slots=True)
class Rectifier:
    """One rectifying path.

    Vacuum: ``perveance`` K in A/V^1.5. Silicon and selenium: ``threshold_v`` and
    ``resistance_ohm`` in the conducting path (both diodes of a bridge counted).
    """

    kind: RectifierKind
    perveance: float = 0.0
    threshold_v: float = 0.0
    resistance_ohm: float = 0.0

    def current_a(self, forward_v: Floats) -> Floats:
        """Current at a forward voltage; zero below it."""
        if self.kind is RectifierKind.VACUUM:
            return self.perveance * np.maximum(forward_v, 0.0) ** 1.5
        return np.maximum(forward_v - self.threshold_v, 0.0) / self.resistance_ohm

    def conductance_s(self, forward_v: Floats) -> Floats:
        """Slope of the law, dI/dV."""
        if self.kind is RectifierKind.VACUUM:
            return 1.5 * self.perveance * np.sqrt(np.maximum(forward_v, 0.0))
        return np.where(forward_v > self.threshold_v, 1.0 / self.resistance_ohm, 0.0)


def vacuum_rectifier(drop_v: float, current_a: float, emission: float = 1.0) -> Rectifier:
    """Vacuum rectifier from one data-sheet point, ``drop_v`` at ``current_a`` per plate.

    ``emission`` scales the perveance: 1 as new, less when worn or not yet warm; above zero.
    """
    require_positive(drop_v=drop_v, current_a=current_a, emission=emission)
    return Rectifier(RectifierKind.VACUUM, perveance=emission * current_a / drop_v**1.5)


def silicon_rectifier(diodes_in_path: int = 1) -> Rectifier:
    """Silicon: 0.8 V and 0.5 ohm for each diode that the current passes."""
    return Rectifier(
        RectifierKind.SILICON, threshold_v=0.8 * diodes_in_path, resistance_ohm=0.5 * diodes_in_path
    )


@dataclass(frozen=True, slots=True)
class FilterSection:
    """A series resistance, with a choke's inductance if it has one, and the capacitor behind it."""

    resistance_ohm: float
    capacitance_f: float
    inductance_h: float = 0.0

    def __post_init__(self) -> None:
        require_positive(
            section_resistance_ohm=self.resistance_ohm, section_capacitance_f=self.capacitance_f
        )


@dataclass(frozen=True, slots=True)
class Load:
    """What the last filter node feeds.

    Tubes draw ``current_a`` at ``nominal_v`` and follow I ~ V^exponent; ``bleeder_ohm`` (may be
    infinite) draws also while they are cold.
    """

    current_a: float
    nominal_v: float
    exponent: float = 1.3
    bleeder_ohm: float = float("inf")

    def total_a(self, volts: float, warmth: float = 1.0) -> float:
        """Current drawn at ``volts``; ``warmth`` 0 is cold tubes, 1 is warm."""
        tubes = self.current_a * math.pow(max(volts, 0.0) / self.nominal_v, self.exponent)
        return warmth * tubes + volts / self.bleeder_ohm


@dataclass(frozen=True, slots=True)
class Supply:
    """A capacitor-input supply.

    ``secondary_v`` is RMS, unloaded, of one half (centre tap) or the whole winding, at
    ``line_v``; ``source_ohm`` the series resistance per half, primary and line referred to it.
    """

    topology: Topology
    line_v: float
    line_hz: float
    secondary_v: float
    source_ohm: float
    rectifier: Rectifier
    reservoir_f: float
    sections: tuple[FilterSection, ...]
    load: Load

    def __post_init__(self) -> None:
        require_positive(
            line_v=self.line_v,
            line_hz=self.line_hz,
            secondary_v=self.secondary_v,
            source_ohm=self.source_ohm,
            reservoir_f=self.reservoir_f,
        )

    @property
    def unloaded_peak_v(self) -> float:
        """sqrt(2) x RMS of the winding (of one half for a centre tap) at nominal line."""
        return float(np.sqrt(2.0) * self.secondary_v)
