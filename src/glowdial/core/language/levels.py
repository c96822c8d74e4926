"""Signal levels: dBm, uV EMF and uV PD, decibels.

PD into a matched load is EMF/2. dBuV is referred to 1 uV PD unless EMF is said. dBm is the power
that the generator delivers into its own impedance.
"""

from __future__ import annotations

import math

from glowdial.core.language.errors import require_positive

GENERATOR_IMPEDANCE_OHM = 50.0


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
