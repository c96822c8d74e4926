"""A filter that begins with a choke, above and below its critical current, in the time domain."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from builders import a_supply
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.supply.circuit import (
    Load,
    Supply,
    Topology,
    silicon_rectifier,
    with_dead_half,
)
from glowdial.core.physics.supply.steady import steady_state

CHOKE_H, CHOKE_OHM = 10.0, 200.0


def choke_supply(load_a: float) -> Supply:
    return replace(
        a_supply(), load=Load(load_a, 235.0, 0.0), input_choke_h=CHOKE_H, input_choke_ohm=CHOKE_OHM
    )


def integrated(supply: Supply, *, dead_half: bool = False) -> tuple[float, float, float]:
    """First node's mean and ripple, and the current's peak, by the differential equations."""
    peak, w = math.sqrt(2.0) * supply.secondary_v, 2.0 * math.pi * supply.line_hz
    section, rectifier = supply.sections[0], supply.rectifier
    series = supply.source_ohm + CHOKE_OHM

    def slope(t: float, y: np.ndarray) -> list[float]:
        coil, first, second = (float(v) for v in y)
        drop = (max(coil, 0.0) / rectifier.perveance) ** (2.0 / 3.0)
        wave = math.sin(w * t) if dead_half else abs(math.sin(w * t))
        push = peak * wave - drop - series * max(coil, 0.0) - first
        # the rectifier lets nothing back
        change = push / CHOKE_H if coil > 0.0 or push > 0.0 else -200.0 * coil
        through = (first - second) / section.resistance_ohm
        drawn = supply.load.total_a(second)
        return [
            change,
            (max(coil, 0.0) - through) / supply.reservoir_f,
            (through - drawn) / section.capacitance_f,
        ]

    start = [supply.load.current_a, 0.55 * peak, 0.5 * peak]
    rest = 0.6 if supply.load.current_a > 0.02 else 2.0
    rest = 4.0 if dead_half else rest
    settled = solve_ivp(slope, (0, rest), start, "RK23", rtol=1e-6, atol=1e-7, max_step=5e-5)
    times = np.linspace(rest, rest + 0.02, 1001)
    last = solve_ivp(
        slope, (rest, rest + 0.02), settled.y[:, -1], "RK23", t_eval=times, rtol=1e-7, max_step=2e-5
    )
    first = last.y[1]
    return float(np.mean(first)), float(np.ptp(first)), float(np.max(last.y[0]))


@pytest.mark.parametrize("load_a", [0.06, 0.012], ids=["above critical", "below critical"])
def test_it_is_what_the_differential_equations_run_into(load_a: float) -> None:
    mean_v, ripple_v, peak_a = integrated(choke_supply(load_a))
    found = steady_state(choke_supply(load_a), 230.0)
    assert found.node_v[0] == pytest.approx(mean_v, rel=3e-3)
    assert found.ripple_v[0] == pytest.approx(ripple_v, rel=0.02)
    assert found.rectifier_peak_a == pytest.approx(peak_a, rel=0.02)


@pytest.mark.parametrize("load_a", [0.06, 0.03])
def test_behind_a_dead_half_the_current_runs_on_in_the_other(load_a: float) -> None:
    # tubes, that draw less at less: a constant current would ask for volts below zero
    supply = replace(choke_supply(load_a), load=Load(load_a, 235.0, 1.3))
    mean_v, ripple_v, peak_a = integrated(supply, dead_half=True)
    found = steady_state(with_dead_half(supply), 230.0)
    assert found.node_v[0] == pytest.approx(mean_v, rel=3e-3)
    assert found.ripple_v[0] == pytest.approx(ripple_v, rel=0.02)
    assert found.rectifier_peak_a == pytest.approx(peak_a, rel=0.02)
    assert mean_v < 0.85 * steady_state(supply, 230.0).node_v[0]


def test_below_the_critical_current_the_voltage_rises_towards_the_peak() -> None:
    volts = [steady_state(choke_supply(a), 230.0).node_v[0] for a in (0.06, 0.03, 0.012, 0.001)]
    average = 2.0 / math.pi * math.sqrt(2.0) * 300.0
    assert volts[0] < volts[1] < average < volts[2] < volts[3] < math.sqrt(2.0) * 300.0
    # above it a load more costs only what the resistances take
    assert volts[1] - volts[0] < 0.1 * average


def test_half_a_wave_is_not_enough_for_a_choke() -> None:
    with pytest.raises(BadInput, match="full-wave"):
        replace(a_supply(Topology.HALF_WAVE, silicon_rectifier()), input_choke_h=CHOKE_H)
