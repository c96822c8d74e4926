"""Aerials and what a generator feeds them through: dummy networks, a standard loop, pads.

Source: circuit theory; the field of a small current loop on its axis (magnetostatics,
H = N I A / (2 pi (d^2 + r^2)^1.5)), told as the electric field of the equivalent plane wave, as
receivers with a built-in loop are specified.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput, require_positive

FREE_SPACE_OHM = 376.73


def dummy_impedance_ohm(frequency_hz: float, capacitance_f: float = 200e-12) -> complex:
    """The broadcast dummy aerial: a capacitor, with the 25 ohm of its leads and generator."""
    require_positive(frequency_hz=frequency_hz, capacitance_f=capacitance_f)
    return 25.0 - 1j / (2.0 * math.pi * frequency_hz * capacitance_f)


def standard_dummy_impedance_ohm(frequency_hz: float) -> complex:
    """The standard network: 200 pF + (20 uH parallel to (400 ohm + 400 pF))."""
    require_positive(frequency_hz=frequency_hz)
    w = 2.0 * math.pi * frequency_hz
    branch = 400.0 + 1.0 / (1j * w * 400e-12)
    coil = 1j * w * 20e-6
    return 1.0 / (1j * w * 200e-12) + coil * branch / (coil + branch)


def loop_field_v_per_m(
    emf_v: float,
    *,
    series_ohm: float = 450.0,
    turns: int = 3,
    radius_m: float = 0.125,
    distance_m: float = 0.6,
) -> float:
    """Equivalent field of a standard radiating loop on its axis, in V/m.

    ``emf_v`` drives the loop through ``series_ohm``, generator included, so large beside the
    loop's own reactance that the current is the same at every frequency.
    """
    require_positive(series_ohm=series_ohm, radius_m=radius_m, distance_m=distance_m)
    current_a = emf_v / series_ohm
    area_m2 = math.pi * radius_m**2
    squared = distance_m**2 + radius_m**2
    return FREE_SPACE_OHM * turns * current_a * area_m2 / (2.0 * math.pi * math.pow(squared, 1.5))


def loop_effective_height_m(frequency_hz: float, turns: int, area_m2: float) -> float:
    """Effective height of a receiving loop, 2 pi N A / wavelength, in m."""
    require_positive(frequency_hz=frequency_hz, area_m2=area_m2)
    return 2.0 * math.pi * turns * area_m2 * frequency_hz / 299792458.0


@dataclass(frozen=True, slots=True)
class Pad:
    """A T pad between resistive impedances: series arms at source and load, shunt between, ohm."""

    source_arm_ohm: float
    load_arm_ohm: float
    shunt_ohm: float

    def loss_db(self, source_ohm: float, load_ohm: float) -> float:
        """Available power over delivered power (transducer loss) between the impedances given."""
        behind = source_ohm + self.source_arm_ohm
        ahead = self.load_arm_ohm + load_ohm
        node = self.shunt_ohm * ahead / (self.shunt_ohm + ahead)
        load_v = node / (behind + node) * load_ohm / ahead
        delivered = load_v**2 / load_ohm
        return 10.0 * math.log10(1.0 / (4.0 * source_ohm) / delivered)

    def seen_ohm(self, load_ohm: float) -> float:
        """What the source sees with ``load_ohm`` behind the pad."""
        ahead = self.load_arm_ohm + load_ohm
        return self.source_arm_ohm + self.shunt_ohm * ahead / (self.shunt_ohm + ahead)


def least_loss_db(source_ohm: float, load_ohm: float) -> float:
    """The least loss with which a resistive pad can match both sides, in dB."""
    high, low = max(source_ohm, load_ohm), min(source_ohm, load_ohm)
    require_positive(lesser_ohm=low)
    return 20.0 * math.log10(math.sqrt(high / low) + math.sqrt(high / low - 1.0))


def matched_pad(loss_db: float, source_ohm: float, load_ohm: float) -> Pad:
    """T pad that matches both sides at ``loss_db``; raises BadInput below the least loss.

    Source: the classical image-parameter formulas, Z3 = 2 sqrt(N Z1 Z2)/(N - 1).
    """
    require_positive(source_ohm=source_ohm, load_ohm=load_ohm, loss_db=loss_db)
    least = least_loss_db(source_ohm, load_ohm)
    if loss_db < least - 1e-9:
        raise BadInput(
            "pad loss",
            f"{loss_db:g} dB",
            f"cannot match {source_ohm:g} to {load_ohm:g} ohm; at least {least:.2f} dB",
            f"{math.ceil(least)} dB",
        )
    ratio = math.pow(10.0, loss_db / 10.0)
    shunt = 2.0 * math.sqrt(ratio * source_ohm * load_ohm) / (ratio - 1.0)
    spread = (ratio + 1.0) / (ratio - 1.0)
    return Pad(max(source_ohm * spread - shunt, 0.0), max(load_ohm * spread - shunt, 0.0), shunt)
