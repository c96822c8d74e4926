"""The supply's steady state against a time-domain integration, and what physics demands of it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from builders import a_supply, tidewater_facts
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.supply.circuit import (
    Rectifier,
    RectifierKind,
    Supply,
    Topology,
    Waveform,
    gas_rectifier,
    silicon_rectifier,
    vacuum_rectifier,
)
from glowdial.core.physics.supply.rampup import (
    RAMP_FRACTIONS,
    RampPhase,
    expectation,
    fit_wear,
    phase,
    warmth,
)
from glowdial.core.physics.supply.steady import SupplyPoint, steady_state

SELENIUM = Rectifier(RectifierKind.SELENIUM, threshold_v=10.0, resistance_ohm=120.0)


def integrated(supply: Supply, line_v: float) -> tuple[list[float], list[float], float]:
    """Independent: the circuit's differential equations run into the steady state by LSODA.

    Returns mean node volts, ripple, and RMS current per rectifier element.
    """
    section = supply.sections[0]
    peak = math.sqrt(2.0) * supply.secondary_v * line_v / supply.line_v
    w = 2.0 * math.pi * supply.line_hz
    full = supply.topology is not Topology.HALF_WAVE

    def port_current(e: float, v: float, weak_ohm: float) -> float:
        """Solve i = law(e - v - R i) by bisection."""
        ohm = supply.source_ohm + weak_ohm
        low, high = 0.0, max((e - v) / ohm, 0.0)
        for _ in range(60):
            middle = (low + high) / 2
            forward = np.array(e - v - ohm * middle)
            if float(supply.rectifier.current_a(forward)) > middle:
                low = middle
            else:
                high = middle
        return (low + high) / 2

    def slope(t: float, y: np.ndarray) -> list[float]:
        v1, v2, coil = y
        e = peak * (abs(math.sin(w * t)) if full else math.sin(w * t))
        weak = supply.weak_half_ohm if math.sin(w * t) < 0.0 else 0.0
        through = coil if section.inductance_h else (v1 - v2) / section.resistance_ohm
        d1 = (port_current(e, v1, weak) - through) / supply.reservoir_f
        d2 = (through - supply.load.total_a(v2)) / section.capacitance_f
        dl = 0.0
        if section.inductance_h:
            dl = (v1 - v2 - section.resistance_ohm * coil) / section.inductance_h
        return [d1, d2, dl]

    period = 1.0 / supply.line_hz
    start = [0.85 * peak, 0.6 * peak, supply.load.total_a(0.6 * peak)]
    rest = 30 * period
    settled = solve_ivp(slope, (0, rest), start, "LSODA", rtol=1e-7, atol=1e-7, max_step=2e-4)
    times = np.linspace(rest, rest + period, 2001)
    last = solve_ivp(
        slope,
        (rest, rest + period),
        settled.y[:, -1],
        "LSODA",
        t_eval=times,
        rtol=1e-8,
        atol=1e-8,
        max_step=5e-5,
    )
    nodes = last.y[:2]
    e = peak * (np.abs(np.sin(w * times)) if full else np.sin(w * times))
    second = supply.weak_half_ohm * (np.sin(w * times) < 0.0)
    wave = zip(e, nodes[0], second, strict=True)
    current = np.array([port_current(a, b, r) for a, b, r in wave])
    share = 0.5 if full else 1.0
    if supply.weak_half_ohm > 0.0:
        # the stronger half's own element
        current, share = np.where(second > 0.0, 0.0, current), 1.0
    means = [float(np.trapezoid(v, times) / period) for v in nodes]
    rms = math.sqrt(share * float(np.trapezoid(current**2, times)) / period)
    return means, [float(np.ptp(v)) for v in nodes], rms


@pytest.mark.parametrize(
    "supply",
    [
        a_supply(exponent=1.4),
        a_supply(Topology.HALF_WAVE, silicon_rectifier(), source_ohm=90.0),
        a_supply(Topology.BRIDGE, SELENIUM),
        a_supply(choke_h=8.0),
        replace(a_supply(Topology.BRIDGE, SELENIUM), weak_half_ohm=1500.0),
    ],
    ids=["vacuum centre tap", "silicon half-wave", "selenium bridge", "choke", "one weak half"],
)
def test_steady_state_is_what_the_differential_equations_run_into(supply: Supply) -> None:
    means, ripple, rms = integrated(supply, 225.0)
    found = steady_state(supply, 225.0)
    assert found.node_v == pytest.approx(means, rel=2e-3)
    assert found.ripple_v[0] == pytest.approx(ripple[0], rel=0.02)
    assert found.ripple_v[1] == pytest.approx(ripple[1], rel=0.03)
    assert found.rectifier_rms_a == pytest.approx(rms, rel=0.02)


@settings(max_examples=25, deadline=None)
@given(st.floats(60.0, 250.0), st.floats(0.2, 1.2))
def test_more_line_gives_more_b_plus_and_never_above_the_peak(line: float, emission: float) -> None:
    supply = a_supply(exponent=1.4)
    lower = steady_state(supply, line, emission=emission)
    upper = steady_state(supply, line * 1.05, emission=emission)
    assert lower.node_v[-1] < upper.node_v[-1]
    assert lower.node_v[0] + lower.ripple_v[0] / 2 < supply.unloaded_peak_v * line / 230.0


def test_what_comes_out_is_what_went_in_less_the_heat() -> None:
    supply = a_supply()
    point = steady_state(supply, 230.0)
    drop = supply.sections[0].resistance_ohm * point.load_a
    assert point.node_v[0] - point.node_v[1] == pytest.approx(drop, rel=1e-3)
    assert point.rectifier_peak_a > 2 * point.load_a


def test_scaled_impedances_give_the_same_volts() -> None:
    """All impedances doubled and all currents halved is the same circuit."""
    one = steady_state(a_supply(Topology.BRIDGE, SELENIUM), 230.0)
    supply = a_supply(Topology.BRIDGE, Rectifier(RectifierKind.SELENIUM, 0.0, 10.0, 240.0))
    section = supply.sections[0]
    doubled = replace(
        supply,
        source_ohm=2 * supply.source_ohm,
        reservoir_f=supply.reservoir_f / 2,
        sections=(
            replace(section, resistance_ohm=2400.0, capacitance_f=section.capacitance_f / 2),
        ),
        load=replace(supply.load, current_a=supply.load.current_a / 2),
    )
    two = steady_state(doubled, 230.0)
    assert two.node_v == pytest.approx(one.node_v, rel=1e-6)
    assert two.rectifier_rms_a == pytest.approx(one.rectifier_rms_a / 2, rel=1e-6)


def test_no_line_or_no_emission_gives_nothing() -> None:
    supply = a_supply()
    for point in (steady_state(supply, 0.0), steady_state(supply, 230.0, emission=0.0)):
        assert point == SupplyPoint(point.line_v, (0.0, 0.0), (0.0, 0.0), 0.0, 0.0, 0.0)


@pytest.mark.parametrize(
    ("build", "words"),
    [
        (lambda: steady_state(a_supply(), -5.0), "0 to 10000 V"),
        (lambda: vacuum_rectifier(0.0, 0.1), "drop_v"),
        (lambda: a_supply(source_ohm=0.0), "source_ohm"),
    ],
)
def test_what_cannot_be_is_refused(build: object, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        build()  # type: ignore[operator]


def test_a_cold_tube_rectifier_is_expected_to_give_nothing_and_silicon_its_peak() -> None:
    tube = tidewater_facts().supply
    assert tube is not None
    cold = expectation(tube, 0.25 * 230)
    assert cold.phase is RampPhase.COLD and cold.window.high == 5.0
    gas = replace(tube, rectifier=gas_rectifier())
    assert expectation(gas, 0.25 * 230).window.high == 5.0
    struck = expectation(gas, 230.0).window.nominal
    assert struck is not None and struck > 0.9 * steady_state(tube, 230.0).node_v[-1]
    solid = expectation(a_supply(Topology.BRIDGE, silicon_rectifier(2)), 0.25 * 230)
    peak = math.sqrt(2) * 300 * 0.25
    assert solid.window.low is not None and solid.window.low > 0.7 * peak
    assert [phase(f) for f in RAMP_FRACTIONS] == [
        RampPhase.COLD,
        RampPhase.WARMING,
        RampPhase.WARMING,
        RampPhase.WARM,
        RampPhase.WARM,
        RampPhase.WARM,
    ]


@given(st.floats(0.0, 1.2), st.floats(0.0, 0.3))
def test_heaters_only_get_warmer(fraction: float, more: float) -> None:
    assert 0.0 <= warmth(fraction) <= warmth(fraction + more) <= 1.0


@pytest.mark.parametrize("emission", [0.3, 0.5, 0.8, 1.0])
def test_wear_is_found_again_from_readings_with_one_per_cent_of_noise(emission: float) -> None:
    supply = tidewater_facts().supply
    assert supply is not None
    noise = np.random.default_rng(7)
    readings = tuple(
        (v, steady_state(supply, v, emission=emission).node_v[-1] * (1 + noise.normal(0, 0.005)))
        for v in (161.0, 196.0, 230.0)
    )
    wear = fit_wear(supply, readings)
    assert wear is not None
    assert wear.emission == pytest.approx(emission, rel=0.2)
    assert wear.tired == (wear.emission < 0.6)
    assert fit_wear(supply, ((60.0, 0.0),)) is None


def test_a_battery_gives_its_volts_less_what_its_resistance_takes() -> None:
    battery = replace(
        a_supply(),
        line_v=120.0,
        secondary_v=120.0,
        source_ohm=300.0,
        waveform=Waveform.BATTERY,
        load=replace(a_supply().load, current_a=0.012, nominal_v=115.0, exponent=1.0),
    )
    point = steady_state(battery, 120.0)
    # a resistive load behind 300 + 1200 ohm
    load_ohm = 115.0 / 0.012
    assert point.node_v[-1] == pytest.approx(120.0 * load_ohm / (load_ohm + 1500.0), rel=1e-6)
    assert point.ripple_v == (0.0, 0.0)
    run_down = steady_state(replace(battery, source_ohm=3000.0), 120.0)
    assert run_down.node_v[-1] == pytest.approx(120.0 * load_ohm / (load_ohm + 4200.0), rel=1e-6)


def test_a_half_too_weak_to_conduct_is_a_dead_half() -> None:
    bridge = a_supply(Topology.BRIDGE, SELENIUM)
    even = steady_state(bridge, 230.0)
    dead = steady_state(replace(bridge, topology=Topology.HALF_WAVE), 230.0)
    volts = [
        steady_state(replace(bridge, weak_half_ohm=ohm), 230.0).node_v[-1]
        for ohm in (1e-3, 200.0, 2e3, 2e4, 2e5)
    ]
    assert volts == sorted(volts, reverse=True)
    assert volts[0] == pytest.approx(even.node_v[-1], rel=1e-4)
    assert volts[-1] == pytest.approx(dead.node_v[-1], rel=5e-3)
