"""Power in a simulated set: warm-up, faults, lamp, line, re-forming, strings."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sets import kitchen_set, tuner

from builders import aligned, found, tidewater_facts
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.steady import steady_state
from glowdial.demo.fill import SHEETS, demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sim.condition import (
    CapacitorFault,
    DeviceFault,
    FilterFault,
    HeaterFault,
    RectifierFault,
)
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.workshop.base.sheets import read_sheet

FACTS = tidewater_facts()
ON = BenchState(line_v=230.0)
KINDS = {"transformer": FACTS, "kitchen": kitchen_set(), "tuner": tuner()}


def on_line(facts: ReceiverFacts) -> BenchState:
    assert facts.supply is not None
    return BenchState(line_v=facts.supply.line_v)


@pytest.mark.parametrize("kind", KINDS)
def test_a_sound_set_stands_where_the_supply_model_says(kind: str) -> None:
    facts = KINDS[kind]
    assert facts.supply is not None
    found_v = aligned(facts).power.at(on_line(facts)).node_v
    assert found_v == pytest.approx(
        steady_state(facts.supply, facts.supply.line_v).node_v, rel=1e-3
    )


@settings(max_examples=25, deadline=None)
@given(st.floats(20.0, 250.0), st.floats(1.02, 1.3), st.integers(0, 50))
def test_settled_b_plus_rises_with_the_line_into_a_fixed_load(
    line_v: float, factor: float, seed: int
) -> None:
    facts = tuner()  # silicon: nothing has to warm
    receiver = SimulatedReceiver(facts, replace(found(facts, seed).condition, needle=0.0))
    lower, higher = (receiver.b_plus_v(v) for v in (line_v, min(line_v * factor, 325.0)))
    assert higher > lower


def test_a_tube_set_is_dead_then_rises_and_comes_to_rest() -> None:
    receiver = aligned(FACTS)
    state, volts = receiver.cooled(ON), []
    for _ in range(30):
        state = receiver.advance(state, 2.0)
        volts.append(receiver.power.at(state).b_plus_v)
    assert volts[0] < 5.0 and volts[1] < 40.0
    assert volts[-1] == pytest.approx(receiver.power.at(ON).b_plus_v, rel=2e-3)
    assert state.time_s == pytest.approx(60.0)


def test_silicon_overshoots_before_the_load_is_warm() -> None:
    facts = replace(FACTS, supply=replace(FACTS.supply, rectifier=tuner().supply.rectifier))  # type: ignore[union-attr, type-var]
    receiver = aligned(facts)
    state = receiver.advance(receiver.cooled(ON), 2.0)
    early = receiver.power.at(state).b_plus_v
    assert early > 1.15 * receiver.power.at(ON).b_plus_v


LIT = replace(
    ON, injection="aerial", band="bc", dial_hz=1e6, generator_hz=1e6, generator_emf_v=1e-3
)


def in_halves(receiver: SimulatedReceiver, start: BenchState, seconds: float) -> None:
    once = receiver.advance(start, seconds)
    twice = receiver.advance(receiver.advance(start, seconds / 2), seconds / 2)
    volts = [receiver.power.at(s).b_plus_v for s in (once, twice)]
    assert volts[0] == pytest.approx(volts[1], rel=5e-3, abs=0.2)
    assert once.moving is not None and twice.moving is not None
    assert once.moving.avc_v == pytest.approx(twice.moving.avc_v, rel=5e-3, abs=5e-3)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 1000), st.floats(2.0, 12.0))
def test_quasi_static_time_in_halves_is_the_same_time(seed: int, seconds: float) -> None:
    receiver = found(FACTS, seed)
    in_halves(receiver, receiver.advance(receiver.cooled(LIT), 5.0), seconds)


@settings(max_examples=8, deadline=None)
@given(st.integers(0, 1000), st.floats(0.02, 0.7), st.floats(0.1, 10.0))
def test_moments_in_halves_are_the_same_moment(seed: int, seconds: float, factor: float) -> None:
    """A warm set whose signal has just changed: the AVC line is on its way."""
    receiver = found(FACTS, seed)
    warm = receiver.advance(receiver.cooled(LIT), 60.0)
    in_halves(receiver, replace(warm, generator_emf_v=factor * 1e-3), seconds)


def test_a_dead_half_ripples_at_the_line_and_gives_less() -> None:
    well, sick = aligned(FACTS), aligned(FACTS, faults=(RectifierFault(half_dead=True),))
    assert sick.power.at(ON).b_plus_v < 0.95 * well.power.at(ON).b_plus_v
    assert sick.power.at(ON).ripple_v[0] > 1.6 * well.power.at(ON).ripple_v[0]


def test_dried_out_filters_ripple_and_leaky_ones_pull_down() -> None:
    well = aligned(FACTS).power.at(ON)
    dry = aligned(FACTS, faults=(FilterFault(0, capacity=0.2, series_ohm=40.0),)).power.at(ON)
    leaky = aligned(FACTS, faults=(FilterFault(1, leak_ohm=15e3),)).power.at(ON)
    assert dry.ripple_v[0] > 3.0 * well.ripple_v[0]
    assert leaky.b_plus_v < well.b_plus_v - 10.0


def test_a_leaky_filter_gets_better_over_minutes_on_voltage_only() -> None:
    fault = FilterFault(0, leak_ohm=12e3, reforms_in_s=200.0)
    receiver = aligned(FACTS, faults=(fault,))
    first = receiver.power.at(ON).b_plus_v
    worked = receiver.advance(ON, 300.0)
    rested = receiver.advance(BenchState(), 300.0)
    assert receiver.power.at(replace(worked, moving=None)).b_plus_v > first + 5.0
    assert rested.healed["0"] == 0.0
    # as the law says: exp(-t V / (tau Vn)) of the leak is left
    volts = np.mean([first, receiver.power.at(worked).node_v[0]]) * 1.28
    assert worked.healed["0"] == pytest.approx(
        1.0 - np.exp(-300.0 * volts / 235.0 / 200.0), abs=0.1
    )


def test_the_lines_resistance_costs_what_the_current_makes_it() -> None:
    receiver = aligned(FACTS, line_ohm=20.0)
    point = receiver.power.at(ON)
    assert point.set_v == pytest.approx(230.0 - 20.0 * point.line_a, abs=0.1)


def test_a_limiter_lamp_takes_its_share_and_the_more_the_shorter_the_set() -> None:
    well = aligned(FACTS)
    short = aligned(FACTS, faults=(FilterFault(0, leak_ohm=600.0),))
    behind = [r.power.at(replace(ON, lamp_w=60.0)).set_v for r in (well, short)]
    assert 60.0 < behind[0] < 200.0
    assert behind[1] < behind[0]
    larger = well.power.at(replace(ON, lamp_w=200.0)).set_v
    assert larger > behind[0]


def test_one_open_heater_darkens_a_string_and_only_itself_in_parallel() -> None:
    line = on_line(kitchen_set())
    string = aligned(kitchen_set(), faults=(HeaterFault("V2"),))
    assert max(string.power.at(line).theta) == 0.0
    assert string.power.at(line).b_plus_v == 0.0
    parallel = aligned(FACTS, faults=(HeaterFault("V2"),))
    theta = parallel.power.at(ON).theta
    assert min(theta) == 0.0 and max(theta) == pytest.approx(1.0, abs=0.01)
    assert parallel.power.at(ON).b_plus_v > 0.0


def test_a_drifted_ballast_starves_the_string() -> None:
    document = kitchen_set()
    ballasted = replace(
        document,
        circuit=replace(
            document.circuit, heaters=replace(document.circuit.heaters, dropper_ohm=150.0)
        ),
    )
    line = BenchState(line_v=122.8 + 150.0 * 0.15)
    sound = aligned(ballasted).power.at(line).theta
    drifted = aligned(ballasted, dropper=1.6).power.at(line).theta
    assert sound[0] == pytest.approx(1.0, abs=5e-3)
    assert max(drifted) < 0.97


def test_an_aged_selenium_stack_gives_less() -> None:
    from glowdial.core.physics.supply.circuit import Rectifier, RectifierKind

    supply = tuner().supply
    assert supply is not None
    stack = Rectifier(RectifierKind.SELENIUM, threshold_v=1.2, resistance_ohm=12.0)
    facts = replace(tuner(), supply=replace(supply, rectifier=stack))
    new = aligned(facts).b_plus_v(230.0)
    old = aligned(facts, faults=(RectifierFault(age=6.0),)).b_plus_v(230.0)
    assert old < new - 1.0


def test_a_leaky_coupling_capacitor_loads_the_supply_and_a_dead_output_frees_it() -> None:
    well = aligned(FACTS).power.at(ON)
    hot = aligned(FACTS, faults=(CapacitorFault("V4", "coupling", 1e6),)).power.at(ON)
    dead = aligned(FACTS, faults=(DeviceFault("V4", 0.0),)).power.at(ON)
    assert hot.b_plus_v < well.b_plus_v - 5.0
    assert dead.b_plus_v > well.b_plus_v + 15.0
    assert hot.points["V4"].cathode_v > well.points["V4"].cathode_v


@pytest.mark.parametrize("name", SHEETS)
def test_time_passes_on_every_set_with_and_without_heaters(name: str) -> None:
    """A run of readings lets it pass, on a set of transistors as on one of tubes."""
    facts = receiver_facts(read_sheet(demo_sheet(name)))
    line_v = facts.supply.line_v if facts.supply else 9.0
    state = BenchState(line_v=line_v, band=facts.bands[0].key, dial_hz=facts.bands[0].high_mark_hz)
    receiver = aligned(facts)
    later = receiver.advance(receiver.advance(state, 0.3), 60.0)
    assert later.time_s == pytest.approx(60.3)
    if not receiver.power.heaters:
        assert receiver.power.at(later).theta == ()
