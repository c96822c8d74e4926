"""Operating points against a root finder on the circuit's own equations, and what faults do."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq, fsolve

from builders import tidewater_facts
from glowdial.core.physics.operating_point import (
    AmplifierStage,
    Device,
    Role,
    Strain,
    TypicalPoint,
    operating_point,
)

OUTPUT = AmplifierStage(
    "V4",
    Role.OUTPUT,
    Device.PENTODE,
    TypicalPoint(216.0, 0.034, -11.5, 5e-3, 228.0, 0.0035),
    plate_ohm=350.0,
    cathode_ohm=306.0,
    grid_leak_ohm=470e3,
    coupled_from="V3",
)
IF_STAGE = AmplifierStage(
    "V2",
    Role.IF,
    Device.PENTODE,
    TypicalPoint(226.0, 0.0075, -2.6, 1.6e-3, 88.0, 0.0025),
    plate_ohm=80.0,
    screen_ohm=56e3,
    cathode_ohm=260.0,
)
TRIODE = AmplifierStage(
    "V3",
    Role.DETECTOR,
    Device.TRIODE,
    TypicalPoint(100.0, 0.6e-3, -1.2, 0.7e-3),
    plate_ohm=220e3,
    cathode_ohm=2e3,
)
SILICON = AmplifierStage(
    "Q1",
    Role.IF,
    Device.TRANSISTOR,
    TypicalPoint(6.0, 1e-3, 0.65, 0.039, current_gain=80.0),
    plate_ohm=1e3,
    cathode_ohm=1e3,
    upper_ohm=33e3,
    lower_ohm=8.2e3,
)


@pytest.mark.parametrize("feed_v", [60.0, 140.0, 235.0])
@pytest.mark.parametrize("stage", [OUTPUT, IF_STAGE])
def test_a_pentode_stands_where_its_equations_agree(stage: AmplifierStage, feed_v: float) -> None:
    data = stage.typical
    whole = data.plate_a + data.screen_a
    drive = 1.5 * data.plate_a / data.transconductance_s
    mu = data.screen_v / (drive - data.control_v)

    def miss(x: list[float]) -> list[float]:
        current_ma, screen_v = float(x[0]), float(x[1])
        cathode_v = 1e-3 * current_ma * stage.cathode_ohm
        effort = -cathode_v + (screen_v - cathode_v) / mu
        law_ma = 1e3 * whole * (max(effort, 0.0) / drive) ** 1.5
        drop = 1e-3 * current_ma * data.screen_a / whole * stage.screen_ohm
        return [law_ma - current_ma, feed_v - drop - screen_v]

    current_ma, screen_v = fsolve(miss, [2.0, 0.4 * feed_v])
    found = operating_point(stage, feed_v)
    assert 1e3 * found.total_a == pytest.approx(current_ma, rel=2e-4)
    assert found.screen_v == pytest.approx(screen_v, rel=2e-4)
    assert found.plate_v == pytest.approx(feed_v - found.plate_a * stage.plate_ohm)


def test_at_its_typical_volts_a_tube_has_its_typical_figures() -> None:
    data = OUTPUT.typical
    bare = replace(OUTPUT, plate_ohm=0.0, cathode_ohm=0.0, fixed_bias_v=11.5)
    found = operating_point(bare, 228.0)
    assert found.plate_a == pytest.approx(data.plate_a, rel=1e-6)
    assert found.transconductance_s == pytest.approx(data.transconductance_s, rel=1e-6)
    slope = (
        operating_point(replace(bare, fixed_bias_v=11.4), 228.0).plate_a
        - operating_point(replace(bare, fixed_bias_v=11.6), 228.0).plate_a
    ) / 0.2
    assert slope == pytest.approx(data.transconductance_s, rel=1e-3)


def test_a_transistor_is_the_divider_and_its_emitter() -> None:
    found = operating_point(SILICON, 9.0)
    behind = 33e3 * 8.2e3 / 41.2e3
    base_a = brentq(lambda i: 9.0 * 8.2 / 41.2 - i * behind - 0.65 - 81.0 * i * 1e3, 0.0, 1e-3)
    assert found.plate_a == pytest.approx(80.0 * base_a, rel=1e-3)
    assert found.grid_v - found.cathode_v == pytest.approx(0.65, abs=2e-3)
    assert operating_point(SILICON, 9.0, Strain(strength=0.0)).plate_v == 9.0
    # an open lower divider resistor bottoms it
    bottomed = operating_point(SILICON, 9.0, Strain(grid_factor=1e6))
    assert bottomed.plate_v - bottomed.cathode_v < 0.7


@settings(max_examples=200, deadline=None)
@given(st.floats(2.0, 30.0), st.floats(1.0, 100.0), st.floats(0.3, 10.0), st.floats(0.3, 30.0))
def test_a_transistor_keeps_kirchhoffs_laws_bottomed_or_not(
    feed_v: float, plate_factor: float, cathode_factor: float, grid_factor: float
) -> None:
    strain = Strain(
        plate_factor=plate_factor, cathode_factor=cathode_factor, grid_factor=grid_factor
    )
    found = operating_point(SILICON, feed_v, strain)
    collector_a = (feed_v - found.plate_v) / (SILICON.plate_ohm * plate_factor)
    emitter_a = found.cathode_v / (SILICON.cathode_ohm * cathode_factor)
    divider_a = found.grid_v / (SILICON.lower_ohm * grid_factor)
    base_a = (feed_v - found.grid_v) / SILICON.upper_ohm - divider_a
    assert emitter_a == pytest.approx(collector_a + base_a, rel=1e-6, abs=1e-12)
    if base_a > 1e-9:
        assert found.grid_v - found.cathode_v == pytest.approx(0.65, abs=1e-6)
        assert collector_a <= 80.0 * base_a * (1.0 + 1e-9)
    assert found.plate_v - found.cathode_v >= -1e-9


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from([OUTPUT, IF_STAGE, TRIODE]),
    st.floats(1.0, 400.0),
    st.floats(0.0, 1.5),
    st.floats(0.2, 5.0),
)
def test_nothing_leaves_the_rails(
    stage: AmplifierStage, feed_v: float, strength: float, factor: float
) -> None:
    strain = Strain(strength=strength, plate_factor=factor, cathode_factor=1.0 / factor)
    found = operating_point(stage, feed_v, strain)
    assert 0.0 <= found.plate_v <= feed_v
    assert 0.0 <= found.screen_v <= feed_v
    assert 0.0 <= found.cathode_v <= feed_v
    assert found.plate_a >= 0.0 and found.screen_a >= 0.0


def test_more_b_plus_more_current() -> None:
    drawn = [operating_point(IF_STAGE, 20.0 * n).total_a for n in range(1, 15)]
    assert all(a < b for a, b in itertools.pairwise(drawn))


def test_a_dead_tube_leaves_its_plate_at_b_plus_and_its_cathode_cold() -> None:
    found = operating_point(OUTPUT, 235.0, Strain(strength=0.0))
    assert (found.plate_v, found.cathode_v, found.transconductance_s) == (235.0, 0.0, 0.0)


@pytest.mark.parametrize("leak_ohm", [50e6, 5e6, 1e6])
def test_a_leaky_coupling_capacitor_pulls_the_grid_up_and_the_current_with_it(
    leak_ohm: float,
) -> None:
    well = operating_point(OUTPUT, 235.0, before_v=96.0)
    sick = operating_point(OUTPUT, 235.0, Strain(coupling_leak_ohm=leak_ohm), before_v=96.0)
    divider_v = 96.0 * 470e3 / (470e3 + leak_ohm)
    assert 0.0 < sick.grid_v <= divider_v * (1 + 1e-9)
    assert sick.total_a > well.total_a and sick.cathode_v > well.cathode_v
    # below the cathode it draws no grid current, and the divider is exact
    if divider_v < sick.cathode_v:
        assert sick.grid_v == pytest.approx(divider_v)


def test_a_leaky_screen_bypass_starves_the_stage() -> None:
    sick = operating_point(IF_STAGE, 235.0, Strain(screen_leak_ohm=20e3))
    well = operating_point(IF_STAGE, 235.0)
    assert sick.screen_v < 0.75 * well.screen_v and sick.plate_a < well.plate_a


def test_a_high_plate_resistor_bottoms_a_triode_and_kills_its_slope() -> None:
    sick = operating_point(TRIODE, 235.0, Strain(plate_factor=40.0))
    well = operating_point(TRIODE, 235.0)
    assert sick.plate_v < 0.5 * well.plate_v
    assert sick.transconductance_s < 0.2 * well.transconductance_s


def test_the_norms_voltage_chart_is_near_the_demo_sheets_own() -> None:
    facts = tidewater_facts()
    found = {s.name: operating_point(s, 235.0, before_v=100.0) for s in facts.circuit.stages}
    assert found["V2"].screen_v == pytest.approx(88.0, rel=0.1)
    assert found["V2"].cathode_v == pytest.approx(2.6, rel=0.1)
    assert found["V3"].plate_v == pytest.approx(96.0, rel=0.15)
    assert found["V4"].cathode_v == pytest.approx(11.5, rel=0.1)
    assert math.isclose(operating_point(OUTPUT, 0.0).total_a, 0.0)
