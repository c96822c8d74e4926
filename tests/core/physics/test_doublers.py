"""Doublers with unlike halves and in cascade, against their differential equations."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Supply,
    Topology,
    silicon_rectifier,
    vacuum_rectifier,
)
from glowdial.core.physics.supply.discharge import discharge_time_s
from glowdial.core.physics.supply.steady import steady_state

LINE_V, LINE_HZ = 117.0, 60.0
Slope = Callable[[float, np.ndarray], list[float]]


def doubler(topology: Topology, first_f: float, other_f: float, *, silicon: bool = True) -> Supply:
    rectifier = silicon_rectifier() if silicon else vacuum_rectifier(22.0, 0.15)
    return Supply(
        topology, LINE_V, LINE_HZ, LINE_V, 25.0, rectifier, first_f,
        (FilterSection(600.0, 40e-6),), Load(0.08, 220.0), other_half_f=other_f,
    )  # fmt: skip


def forward_a(supply: Supply, volts: float) -> float:
    return float(supply.rectifier.current_a(np.array([volts]))[0])


def halves_in_time(supply: Supply) -> Slope:
    """Between two halves: states are both capacitors' volts and the last node's."""
    peak, w = math.sqrt(2.0) * LINE_V, 2.0 * math.pi * LINE_HZ
    section = supply.sections[0]

    def slope(t: float, y: np.ndarray) -> list[float]:
        wave = peak * math.sin(w * t)
        up_a = through_source(supply, wave - float(y[0]))
        down_a = through_source(supply, -wave - float(y[1]))
        out_a = float(y[0] + y[1] - y[2]) / section.resistance_ohm
        load_a = supply.load.total_a(float(y[2]))
        return [
            (up_a - out_a) / supply.reservoir_f,
            (down_a - out_a) / supply.other_f,
            (out_a - load_a) / section.capacitance_f,
        ]

    return slope


def cascade_in_time(supply: Supply) -> Slope:
    """In cascade: the lead's capacitor, the output's, and the last node's volts."""
    peak, w = math.sqrt(2.0) * LINE_V, 2.0 * math.pi * LINE_HZ
    section = supply.sections[0]

    def slope(t: float, y: np.ndarray) -> list[float]:
        lifted = peak * math.sin(w * t) + float(y[0])
        charge_a = through_source(supply, -lifted)
        lift_a = through_source(supply, lifted - float(y[1]))
        out_a = float(y[1] - y[2]) / section.resistance_ohm
        return [
            (charge_a - lift_a) / supply.other_f,
            (lift_a - out_a) / supply.reservoir_f,
            (out_a - supply.load.total_a(float(y[2]))) / section.capacitance_f,
        ]

    return slope


def through_source(supply: Supply, push_v: float) -> float:
    """Current of one rectifier behind the source's resistance, by bisection."""
    if push_v <= supply.rectifier.threshold_v:
        return 0.0
    low, high = 0.0, push_v / supply.source_ohm
    for _ in range(40):
        amperes = 0.5 * (low + high)
        more = forward_a(supply, push_v - amperes * supply.source_ohm) > amperes
        low, high = (amperes, high) if more else (low, amperes)
    return low


@pytest.mark.parametrize("silicon", [True, False])
@pytest.mark.parametrize(
    ("topology", "first_f", "other_f"),
    [
        (Topology.DOUBLER, 47e-6, 10e-6),
        (Topology.DOUBLER, 8e-6, 40e-6),
        (Topology.CASCADE, 40e-6, 40e-6),
        (Topology.CASCADE, 20e-6, 8e-6),
    ],
)
def test_an_uneven_doubler_is_what_its_equations_run_into(
    topology: Topology, first_f: float, other_f: float, silicon: bool
) -> None:
    supply = doubler(topology, first_f, other_f, silicon=silicon)
    cascade = topology is Topology.CASCADE
    slope = cascade_in_time(supply) if cascade else halves_in_time(supply)
    found = steady_state(supply, LINE_V)
    # from a fifth above what is claimed: it has to come down to it by itself
    start = [1.2 * v for v in (0.5 * found.node_v[0], 0.5 * found.node_v[0], found.node_v[1])]
    if cascade:
        start[1] = 1.2 * found.node_v[0]
    period = 1.0 / LINE_HZ
    settled = solve_ivp(slope, (0.0, 40 * period), start, "RK23", rtol=1e-5, max_step=2e-4)
    last = solve_ivp(
        slope, (0.0, period), settled.y[:, -1], "RK23", rtol=1e-6, max_step=4e-5,
        t_eval=np.linspace(0.0, period, 601),
    )  # fmt: skip
    node = last.y[1] if cascade else last.y[0] + last.y[1]
    assert found.node_v[0] == pytest.approx(float(node.mean()), rel=4e-3)
    assert found.node_v[1] == pytest.approx(float(last.y[2].mean()), rel=4e-3)
    assert found.ripple_v[0] == pytest.approx(float(np.ptp(node)), rel=0.05)


def test_two_ports_are_one_where_the_halves_are_alike() -> None:
    alike = doubler(Topology.DOUBLER, 40e-6, 0.0)
    nearly = replace(alike, other_half_f=40e-6 * 1.0001)
    one, two = steady_state(alike, LINE_V), steady_state(nearly, LINE_V)
    assert not nearly.arms_alike and alike.arms_alike
    assert two.node_v == pytest.approx(one.node_v, rel=1e-3)
    assert two.rectifier_rms_a == pytest.approx(one.rectifier_rms_a, rel=0.02)
    assert two.ripple_v[0] == pytest.approx(one.ripple_v[0], rel=0.02)


def test_what_ripples_at_the_lines_own_frequency() -> None:
    assert doubler(Topology.DOUBLER, 40e-6, 0.0).ripple_hz == 2 * LINE_HZ
    assert doubler(Topology.DOUBLER, 40e-6, 10e-6).ripple_hz == LINE_HZ
    assert doubler(Topology.CASCADE, 40e-6, 40e-6).ripple_hz == LINE_HZ
    assert doubler(Topology.HALF_WAVE, 40e-6, 0.0).ripple_hz == LINE_HZ


def test_the_leads_capacitor_runs_out_beside_the_outputs() -> None:
    bled = {
        t: discharge_time_s(
            replace(doubler(t, 40e-6, 20e-6), load=Load(0.08, 220.0, bleeder_ohm=100e3))
        )
        for t in (Topology.DOUBLER, Topology.CASCADE)
    }
    assert bled[Topology.CASCADE] is not None and bled[Topology.DOUBLER] is not None
    assert bled[Topology.CASCADE] > 1.5 * bled[Topology.DOUBLER]


@pytest.mark.parametrize("seed", range(60))
def test_any_uneven_doubler_has_its_state_at_any_line(seed: int) -> None:
    """Steady currents, cold tubes, bleeders, a tenth of the line: volts are finite, fall along the
    filter, stay below twice the wave's height, and each section drops what Ohm's law says."""
    rng = np.random.default_rng(seed)
    first_f, second_f = (float(f) for f in rng.uniform(4e-6, 100e-6, 2))
    topology = (Topology.DOUBLER, Topology.CASCADE)[seed % 2]
    exponent = float(rng.choice([0.0, 1.0, 1.3]))
    supply = replace(
        doubler(topology, first_f, second_f, silicon=bool(seed % 3)),
        source_ohm=float(rng.uniform(2.0, 200.0)),
        load=Load(float(rng.uniform(0.005, 0.03 if exponent == 0.0 else 0.12)), 220.0, exponent),
    )
    # a current that does not fall with its volts is more than a small line can give
    line_v = float(rng.uniform(0.7 if exponent == 0.0 else 0.1, 1.1)) * LINE_V
    found = steady_state(supply, line_v, warmth=float(rng.choice([0.0, 1.0])))
    first_v, last_v = found.node_v
    assert np.isfinite([*found.node_v, *found.ripple_v, found.rectifier_rms_a]).all()
    assert 0.0 <= last_v <= first_v <= 2.0 * math.sqrt(2.0) * line_v * 1.0001
    through_a = (first_v - last_v) / supply.sections[0].resistance_ohm
    # the filter's insulation carries a few microamperes beside the load
    assert through_a == pytest.approx(found.load_a, rel=1e-6, abs=5e-6)
