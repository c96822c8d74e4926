"""A supply as a circuit: source, rectifier law, filter sections and load.

The source is Thevenin: line voltage times ratio, per half of a centre-tapped winding, behind one
series resistance per half, referred to the secondary; a sine, or the square wave of a vibrator.
Laws: vacuum I = K V^1.5; silicon the simplification of 0.8 V and a small resistance; selenium a
threshold and a series resistance; gas-filled a constant drop.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive

Floats = NDArray[np.float64]


# I ~ V^0.55: a filament or lamp at rest, its resistance rising as it heats (the handbooks' rule)
FILAMENT_EXPONENT = 0.55


SILICON_V, SILICON_OHM = 0.8, 0.05


class Topology(StrEnum):
    """How the winding feeds the rectifier."""

    HALF_WAVE = "half-wave"
    CENTRE_TAP = "full-wave, centre tap"
    BRIDGE = "bridge"
    DOUBLER = "doubler"
    CASCADE = "doubler, cascade"

    @property
    def doubles(self) -> bool:
        """Whether its first node stands at twice the wave's height, unloaded."""
        return self in (Topology.DOUBLER, Topology.CASCADE)

    @property
    def full_wave(self) -> bool:
        """Whether both half waves charge the same capacitor."""
        return self in (Topology.CENTRE_TAP, Topology.BRIDGE)


class Waveform(StrEnum):
    """What feeds the rectifier: the mains' sine, a vibrator's square wave, or a battery's volts,
    which need none."""

    SINE = "sine"
    SQUARE = "vibrator"
    BATTERY = "battery"


class RectifierKind(StrEnum):
    """The rectifier's law."""

    VACUUM = "vacuum"
    SILICON = "silicon"
    SELENIUM = "selenium"
    GAS = "gas-filled"

    @property
    def heated(self) -> bool:
        """Whether it gives nothing until its heater is warm."""
        return self in (RectifierKind.VACUUM, RectifierKind.GAS)


@dataclass(frozen=True, slots=True)
class Rectifier:
    """One rectifying path.

    Vacuum: ``perveance`` K in A/V^1.5. The others: ``threshold_v`` and ``resistance_ohm`` in the
    conducting path (both diodes of a bridge counted); a doubler's is that of one half.
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

    def drop_v(self, current_a: Floats) -> Floats:
        """Forward volts at a current above zero: the law read the other way."""
        if self.kind is RectifierKind.VACUUM:
            return np.asarray((current_a / self.perveance) ** (2.0 / 3.0))
        return np.asarray(self.threshold_v + self.resistance_ohm * current_a)

    def drop_slope_ohm(self, current_a: Floats) -> Floats:
        """Slope of that, dV/dI."""
        if self.kind is RectifierKind.VACUUM:
            return np.asarray(2.0 / 3.0 * self.drop_v(current_a) / current_a)
        return np.full_like(current_a, self.resistance_ohm)


def vacuum_rectifier(drop_v: float, current_a: float, emission: float = 1.0) -> Rectifier:
    """Vacuum rectifier from one data-sheet point, ``drop_v`` at ``current_a`` per plate.

    ``emission`` scales the perveance: 1 as new, less when worn or not yet warm; above zero.
    """
    require_positive(drop_v=drop_v, current_a=current_a, emission=emission)
    return Rectifier(RectifierKind.VACUUM, perveance=emission * current_a / drop_v**1.5)


def silicon_rectifier(diodes_in_path: int = 1) -> Rectifier:
    """Silicon: 0.8 V and 0.05 ohm for each diode that the current passes.

    That is a 1 A diode's own curve within 0.1 V from 30 mA to 3 A.
    """
    return Rectifier(
        RectifierKind.SILICON,
        threshold_v=SILICON_V * diodes_in_path,
        resistance_ohm=SILICON_OHM * diodes_in_path,
    )


def gas_rectifier(drop_v: float = 15.0) -> Rectifier:
    """Gas-filled: a constant drop of 10 to 24 V once it has struck, and 2 ohm to be definite."""
    require_positive(drop_v=drop_v)
    return Rectifier(RectifierKind.GAS, threshold_v=drop_v, resistance_ohm=2.0)


def capacitor_admittance_s(
    omega: Floats, capacitance_f: float, leak_ohm: float, series_ohm: float
) -> NDArray[np.complex128]:
    """Admittance of a capacitor with leakage across it and an equivalent series resistance.

    ``omega`` in rad/s, 0 included; ``leak_ohm`` may be infinite, ``series_ohm`` 0.
    """
    across = 1.0 / leak_ohm + 1j * omega * capacitance_f
    return np.asarray(across / (1.0 + series_ohm * across), dtype=np.complex128)


@dataclass(frozen=True, slots=True)
class FilterSection:
    """A series resistance, with a choke's inductance if it has one, and the capacitor behind it.

    The capacitor may leak and have dried out: ``leak_ohm`` across it, ``series_ohm`` in it.
    """

    resistance_ohm: float
    capacitance_f: float
    inductance_h: float = 0.0
    leak_ohm: float = float("inf")
    series_ohm: float = 0.0

    def __post_init__(self) -> None:
        require_positive(
            section_resistance_ohm=self.resistance_ohm, section_capacitance_f=self.capacitance_f
        )


@dataclass(frozen=True, slots=True)
class Load:
    """What the last filter node feeds.

    Tubes draw ``current_a`` at ``nominal_v`` and follow I ~ V^exponent; ``bleeder_ohm`` (may be
    infinite) draws also while they are cold, and so does a filament string of ``string_a`` at
    ``nominal_v``, settled, by a filament's own law. Without ``heated`` it draws from the first
    volts, as transistors do.
    """

    current_a: float
    nominal_v: float
    exponent: float = 1.3
    bleeder_ohm: float = float("inf")
    string_a: float = 0.0
    heated: bool = True

    def total_a(self, volts: float, warmth: float = 1.0) -> float:
        """Current drawn at ``volts``; ``warmth`` 0 is cold tubes, 1 is warm."""
        share = max(volts, 0.0) / self.nominal_v
        drawn = warmth * self.current_a * math.pow(share, self.exponent)
        if self.string_a > 0.0:
            drawn += self.string_a * math.pow(share, FILAMENT_EXPONENT)
        return drawn + volts / self.bleeder_ohm

    def slope_s(self, volts: float, warmth: float = 1.0) -> float:
        """dI/dV at ``volts`` above zero, in siemens."""
        share = max(volts, 1e-3) / self.nominal_v
        slope = warmth * self.current_a * self.exponent * math.pow(share, self.exponent)
        if self.string_a > 0.0:
            slope += self.string_a * FILAMENT_EXPONENT * math.pow(share, FILAMENT_EXPONENT)
        return slope / (share * self.nominal_v) + 1.0 / self.bleeder_ohm


@dataclass(frozen=True, slots=True)
class Supply:
    """A supply whose filter begins with a capacitor, or with a choke where one is given.

    ``secondary_v`` is RMS, unloaded, of one half (centre tap) or the whole winding, at
    ``line_v``; ``source_ohm`` the series resistance per half, primary and line referred to it.
    A doubler has two reservoirs of ``reservoir_f``, or one of that and ``other_half_f`` (0: alike),
    and its first node is the sum of both; in cascade ``reservoir_f`` is the output's capacitor and
    ``other_half_f`` the one in the lead.
    A vibrator's wave stands at its height but for ``swing_share`` of each half period, in which the
    buffer capacitor swings it over; ``line_v`` is then the battery's and ``line_hz`` the reed's.
    ``weak_half_ohm`` is what one half of a full-wave rectifier has in series beyond the other, as
    a bridge with a tired pair of arms; with ``dead_half`` it conducts no more at all.
    ``tap_shares`` is what hangs on the nodes before the last, from the reservoir on, as shares of
    the tubes' current at the last: an output tube's plate at the reservoir, most often.
    A high-tension battery is ``secondary_v`` behind ``source_ohm``; its rectifier is not used.
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
    reservoir_leak_ohm: float = float("inf")
    reservoir_series_ohm: float = 0.0
    waveform: Waveform = Waveform.SINE
    swing_share: float = 0.2
    input_choke_h: float = 0.0
    input_choke_ohm: float = 0.0
    weak_half_ohm: float = 0.0
    dead_half: bool = False
    other_half_f: float = 0.0
    tap_shares: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        require_positive(
            line_v=self.line_v,
            line_hz=self.line_hz,
            secondary_v=self.secondary_v,
            source_ohm=self.source_ohm,
            reservoir_f=self.reservoir_f,
        )
        if self.input_choke_h > 0.0 and not self.topology.full_wave:
            raise BadInput(
                "input choke", f"{self.input_choke_h:g} H", "wants a full-wave rectifier", "10 H"
            )

    @property
    def peak_v(self) -> float:
        """Height of the wave of one winding (one half of a centre tap) at nominal line."""
        flat = self.waveform is not Waveform.SINE
        return self.secondary_v if flat else math.sqrt(2.0) * self.secondary_v

    @property
    def unloaded_peak_v(self) -> float:
        """What the first node can rise to with nothing drawn: the height, of a doubler twice it."""
        return self.peak_v * (2.0 if self.topology.doubles else 1.0)

    @property
    def other_f(self) -> float:
        """A doubler's other capacitor."""
        return self.other_half_f or self.reservoir_f

    @property
    def arms_alike(self) -> bool:
        """Whether one rectifier tells the other: not of an uneven doubler or a cascade."""
        uneven = self.topology is Topology.DOUBLER and self.other_f != self.reservoir_f
        return not (uneven or self.topology is Topology.CASCADE)

    @property
    def ripple_hz(self) -> float:
        """Lowest frequency of its ripple."""
        twice = self.topology.full_wave or self.topology is Topology.DOUBLER
        return self.line_hz * (2.0 if twice and self.arms_alike else 1.0)


def with_dead_half(supply: Supply) -> Supply:
    """A full-wave supply of which one half conducts no more.

    Behind an input choke its current runs on in the living half, against the wave, until it has
    ended.
    """
    if supply.input_choke_h > 0.0:
        return replace(supply, dead_half=True, weak_half_ohm=0.0)
    return replace(supply, topology=Topology.HALF_WAVE)
