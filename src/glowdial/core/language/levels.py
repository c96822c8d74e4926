"""Signal levels: dBm, uV EMF and uV PD, decibels.

PD into a matched load is EMF/2. dBuV is referred to 1 uV PD unless EMF is said. dBm is the power
that the generator delivers into its own impedance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import BadInput, require_positive

GENERATOR_IMPEDANCE_OHM = 50.0
MOST_DB = 200.0


def emf_v_from_dbm(level_dbm: float, impedance_ohm: float = GENERATOR_IMPEDANCE_OHM) -> float:
    """Open-circuit volts RMS of a generator set to ``level_dbm`` into its own impedance."""
    return 2.0 * math.sqrt(1e-3 * math.pow(10.0, level_dbm / 10.0) * impedance_ohm)


def dbm_from_emf_v(emf_v: float, impedance_ohm: float = GENERATOR_IMPEDANCE_OHM) -> float:
    """Available power in dBm of an open-circuit voltage RMS behind ``impedance_ohm``."""
    require_positive(emf_v=emf_v, impedance_ohm=impedance_ohm)
    return 10.0 * math.log10((emf_v / 2.0) ** 2 / impedance_ohm / 1e-3)


def emf_v_from_pd_dbuv(level_dbuv: float) -> float:
    """Open-circuit volts RMS of a matched generator that reads ``level_dbuv`` (PD) in dBuV."""
    return 2e-6 * math.pow(10.0, level_dbuv / 20.0)


def terminal_v(emf_v: float, source_ohm: float, load_ohm: float) -> float:
    """Volts across ``load_ohm`` from ``emf_v`` behind ``source_ohm``: V = EMF RL/(RS+RL)."""
    require_positive(load_ohm=load_ohm)
    return emf_v * load_ohm / (source_ohm + load_ohm)


def db_voltage(ratio: float) -> float:
    """20 log10 of a voltage ratio above zero."""
    require_positive(voltage_ratio=ratio)
    return 20.0 * math.log10(ratio)


class LevelUnit(StrEnum):
    """What a generator's level is told in: power into its own impedance, volts across that (PD) or
    open-circuit volts (EMF), plain or in decibels over a microvolt."""

    DBM = "dBm"
    DBUV_PD = "dBuV PD"
    DBUV_EMF = "dBuV EMF"
    UV_PD = "uV PD"
    UV_EMF = "uV EMF"
    WATTS = "W"


@dataclass(frozen=True, slots=True)
class SourceLevel:
    """A generator's level: open-circuit volts RMS behind its impedance in ohm, both above zero."""

    emf_v: float
    impedance_ohm: float

    @property
    def available_w(self) -> float:
        """Power into its own impedance."""
        return (self.emf_v / 2.0) ** 2 / self.impedance_ohm

    def told_in(self, unit: LevelUnit) -> float:
        """The same level as a number of a unit."""
        told = {
            LevelUnit.DBM: 10.0 * math.log10(self.available_w / 1e-3),
            LevelUnit.DBUV_PD: db_voltage(self.emf_v / 2.0 / 1e-6),
            LevelUnit.DBUV_EMF: db_voltage(self.emf_v / 1e-6),
            LevelUnit.UV_PD: self.emf_v / 2.0 / 1e-6,
            LevelUnit.UV_EMF: self.emf_v / 1e-6,
            LevelUnit.WATTS: self.available_w,
        }
        return told[unit]


def source_level(value: float, unit: LevelUnit, impedance_ohm: float) -> SourceLevel:
    """A level from a number of a unit, at an impedance above zero; raises BadInput for volts or
    watts that are not above zero."""
    require_positive(impedance_ohm=impedance_ohm)
    if unit in (LevelUnit.UV_PD, LevelUnit.UV_EMF, LevelUnit.WATTS):
        require_positive(level=value)
    elif abs(value) > MOST_DB:
        raise BadInput("level", f"{value:g} {unit.value}", "must lie within 200 dB of zero", "-47")
    if unit is LevelUnit.WATTS:
        return SourceLevel(2.0 * math.sqrt(value * impedance_ohm), impedance_ohm)
    if unit is LevelUnit.DBM:
        return SourceLevel(emf_v_from_dbm(value, impedance_ohm), impedance_ohm)
    micro = value
    if unit in (LevelUnit.DBUV_PD, LevelUnit.DBUV_EMF):
        micro = math.pow(10.0, value / 20.0)
    pd = unit in (LevelUnit.DBUV_PD, LevelUnit.UV_PD)
    return SourceLevel((2.0 if pd else 1.0) * micro * 1e-6, impedance_ohm)
