"""The filter between rectifier and load: for direct current, and for each harmonic."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.supply.circuit import Supply, Topology, capacitor_admittance_s

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
# a supply without any load still bleeds through insulation: keeps the mean defined
INSULATION_S = 1e-8


@dataclass(frozen=True, slots=True)
class Direct:
    """The filter for direct current, with ``last_v`` at its last node.

    Node volts from the first on, the volts against the rectifier and the current from it, and the
    slopes of both by ``last_v``.
    """

    node_v: tuple[float, ...]
    port_v: float
    port_a: float
    slope_v: float
    slope_a: float


def direct_path(supply: Supply, last_v: float, warmth: float) -> Direct:
    """Back from the load, whose own law holds, to the rectifier."""
    amperes = supply.load.total_a(last_v, warmth)
    slope_a = supply.load.slope_s(last_v, warmth)
    if amperes <= 0.0:
        amperes, slope_a = last_v * INSULATION_S, INSULATION_S
    volts, slope_v, nodes = last_v, 1.0, [last_v]
    tubes_a, tubes_s = tubes_at_taps(supply, last_v, warmth)
    for place, section in reversed(list(enumerate(supply.sections))):
        # a capacitor's leakage runs through its own series resistance as well
        leak_s = 1.0 / (section.leak_ohm + section.series_ohm)
        amperes, slope_a = amperes + volts * leak_s, slope_a + slope_v * leak_s
        volts += section.resistance_ohm * amperes
        slope_v += section.resistance_ohm * slope_a
        nodes.append(volts)
        if place < len(supply.tap_shares):
            # what hangs on the node ahead of this section
            amperes += supply.tap_shares[place] * tubes_a
            slope_a += supply.tap_shares[place] * tubes_s
    share = 0.5 if supply.topology is Topology.DOUBLER else 1.0
    leak_s = share / (supply.reservoir_leak_ohm + supply.reservoir_series_ohm)
    amperes, slope_a = amperes + volts * leak_s, slope_a + slope_v * leak_s
    choke = supply.input_choke_ohm
    return Direct(
        tuple(reversed(nodes)),
        share * volts + choke * amperes,
        amperes,
        share * slope_v + choke * slope_a,
        slope_a,
    )


def tubes_at_taps(supply: Supply, last_v: float, warmth: float) -> tuple[float, float]:
    """What the tubes at the last node draw, and its slope: those at the taps draw in step."""
    if not supply.tap_shares:
        return 0.0, 0.0
    alone = replace(supply.load, bleeder_ohm=math.inf, string_a=0.0)
    return alone.total_a(last_v, warmth), alone.slope_s(last_v, warmth)


def ladder_admittance(
    supply: Supply, load_s: float, harmonics: Floats
) -> tuple[Complexes, tuple[Complexes, ...]]:
    """What the first node sees of sections and load, and the ratio of volts over each section.

    ``harmonics`` in rad/s; ``load_s`` is the load's slope in siemens. Ratios from the first
    section on.
    """
    admittance = np.full(harmonics.shape, load_s, dtype=np.complex128)
    ratios: list[Complexes] = []
    for section in reversed(supply.sections):
        admittance = admittance + capacitor_admittance_s(
            harmonics, section.capacitance_f, section.leak_ohm, section.series_ohm
        )
        series = section.resistance_ohm + 1j * harmonics * section.inductance_h
        ratios.append(1.0 / (1.0 + series * admittance))
        admittance = 1.0 / (series + 1.0 / admittance)
    return admittance, tuple(reversed(ratios))
