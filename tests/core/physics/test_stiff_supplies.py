"""Silicon on stiff sources and at low volts, against the diode equation in the time domain."""

from __future__ import annotations

import math
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
)
from glowdial.core.physics.supply.series_resistor import (
    LoadKind,
    ResistorPlace,
    ResistorReading,
    resistor_choices,
    series_resistor,
)
from glowdial.core.physics.supply.steady import steady_state

# a 1 A rectifier diode: emission, saturation current, bulk resistance
SLOPE_V, SATURATION_A, BULK_OHM = 1.8 * 0.02585, 5e-9, 0.03


def diode_a(push_v: float, diodes: int, series_ohm: float) -> float:
    """Current through some diodes and a resistance, by the diode equation."""
    if push_v <= 0.0:
        return 0.0
    low, high = 0.0, push_v / series_ohm
    for _ in range(60):
        amperes = 0.5 * (low + high)
        drop = diodes * SLOPE_V * math.log1p(amperes / SATURATION_A) + amperes * series_ohm
        low, high = (amperes, high) if drop < push_v else (low, amperes)
    return low


def bridge_in_time(
    rms_v: float, source_ohm: float, farad: float, load_a: float
) -> tuple[float, ...]:
    """Mean volts and RMS current of a bridge into one capacitor, settled."""
    peak, w, series = math.sqrt(2.0) * rms_v, 2.0 * math.pi * 50.0, source_ohm + 2 * BULK_OHM
    steps = 2000
    h = 0.02 / steps
    volts = 0.93 * peak
    record: list[tuple[float, float]] = []
    for n in range(12 * steps):
        push = peak * abs(math.sin(w * n * h)) - volts
        amperes = diode_a(push, 2, series) if push > 0.5 else 0.0
        volts += h * (amperes - load_a) / farad
        if n >= 11 * steps:
            record.append((volts, amperes))
    found = np.array(record)
    return float(found[:, 0].mean()), float(np.sqrt(np.mean(found[:, 1] ** 2)))


@pytest.mark.parametrize(("rms_v", "load_a", "source_ohm"), [(15.0, 0.5, 1.0), (12.0, 0.2, 2.0)])
def test_a_bridge_at_low_volts(rms_v: float, load_a: float, source_ohm: float) -> None:
    mean_v, rms_a = bridge_in_time(rms_v, source_ohm, 2200e-6, load_a)
    supply = Supply(
        Topology.BRIDGE, 230.0, 50.0, rms_v, source_ohm, silicon_rectifier(2), 2200e-6,
        (FilterSection(1e-3, 1e-9),), Load(load_a, rms_v, 0.0, heated=False),
    )  # fmt: skip
    found = steady_state(supply, 230.0)
    assert found.node_v[0] == pytest.approx(mean_v, rel=0.02)
    assert math.sqrt(2.0) * found.rectifier_rms_a == pytest.approx(rms_a, rel=0.03)


def half_wave(source_ohm: float, farad: float = 50e-6) -> Supply:
    return Supply(
        Topology.HALF_WAVE, 117.0, 60.0, 117.0, source_ohm, silicon_rectifier(), farad,
        (FilterSection(1000.0, 40e-6),), Load(0.06, 110.0),
    )  # fmt: skip


@pytest.mark.parametrize("source_ohm", [1.0, 2.0])
def test_a_stiff_half_wave_is_what_the_differential_equations_run_into(source_ohm: float) -> None:
    supply = half_wave(source_ohm)
    peak, w = math.sqrt(2.0) * 117.0, 2.0 * math.pi * 60.0
    law, section = supply.rectifier, supply.sections[0]

    def slope(t: float, y: np.ndarray) -> list[float]:
        push = peak * math.sin(w * t) - float(y[0]) - law.threshold_v
        amperes = max(push, 0.0) / (source_ohm + law.resistance_ohm)
        through = float(y[0] - y[1]) / section.resistance_ohm
        return [
            (amperes - through) / supply.reservoir_f,
            (through - supply.load.total_a(float(y[1]))) / section.capacitance_f,
        ]

    run = solve_ivp(slope, (0.0, 0.5), [150.0, 110.0], "RK45", rtol=1e-6, max_step=5e-5)
    last = solve_ivp(
        slope, (0.5, 0.5 + 1 / 60.0), run.y[:, -1], "RK45",
        t_eval=np.linspace(0.5, 0.5 + 1 / 60.0, 1001), rtol=1e-7, max_step=1e-5,
    )  # fmt: skip
    found = steady_state(supply, 117.0)
    assert found.node_v[0] == pytest.approx(float(last.y[0].mean()), rel=3e-3)
    assert found.ripple_v[0] == pytest.approx(float(np.ptp(last.y[0])), rel=0.03)


def test_a_doublers_lead_carries_both_halves() -> None:
    supply = replace(half_wave(20.0), topology=Topology.DOUBLER)
    wanted = 100.0
    point = steady_state(replace(supply, source_ohm=120.0), 117.0)
    lead_w = wanted * 2.0 * point.rectifier_rms_a**2
    choice = resistor_choices(supply, 117.0, wanted, point.node_v[-1], ResistorPlace.AHEAD)[0]
    assert choice.resistance_ohm == wanted
    assert choice.dissipation_w == pytest.approx(lead_w, rel=1e-6)


@pytest.mark.parametrize("seed", range(40))
def test_three_readings_behind_the_reservoir_lie_on_their_line(seed: int) -> None:
    rng = np.random.default_rng(seed)
    ohm = np.sort(rng.uniform(0.0, 3000.0, 3)) + np.array([0.0, 400.0, 800.0])
    exact = 1.0 / (1.0 / 280.0 + ohm * 1.1e-6)
    volts = exact * (1.0 + 0.003 * rng.standard_normal(3))
    readings = tuple(ResistorReading(float(r), float(v)) for r, v in zip(ohm, volts, strict=True))
    target = float(rng.uniform(volts[2] * 1.02, volts[0] * 0.98))
    found = series_resistor(readings, target, ResistorPlace.BEHIND, LoadKind.RESISTIVE)
    enclosing = [n for n in (0, 1) if volts[n + 1] <= target <= volts[n]]
    assert ohm[enclosing[0]] <= found.try_ohm <= ohm[enclosing[0] + 1]
    reached = 1.0 / (1.0 / 280.0 + found.try_ohm * 1.1e-6)
    assert reached == pytest.approx(target, rel=0.015)
