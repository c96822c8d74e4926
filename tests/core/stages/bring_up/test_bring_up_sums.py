"""Discharge, winding, filament ranges, the series resistor and the supply's diagnosis."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from benchmarks.supply_trial import SUPPLIES, case, causes_of
from scipy.integrate import solve_ivp

from builders import a_supply
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange, check_ranges
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Supply,
    Topology,
    silicon_rectifier,
)
from glowdial.core.physics.supply.discharge import (
    discharge_time_s,
    discharge_words,
    discharged_v,
)
from glowdial.core.physics.supply.series_resistor import (
    LoadKind,
    ResistorPlace,
    ResistorReading,
    resistor_choices,
    series_resistor,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.supply_causes import Cause, SupplyReading
from glowdial.core.stages.bring_up.supply_diagnosis import diagnose
from glowdial.core.stages.cold.filament_ranges import RangeRisk, safest_range
from glowdial.core.stages.cold.windings import winding

TWO_SECTIONS = replace(
    a_supply(),
    sections=(FilterSection(1200.0, 16e-6), FilterSection(33e3, 8e-6)),
    load=Load(0.06, 235.0, 1.4, 150e3),
)


def test_the_slowest_capacitor_counts_not_one_rc() -> None:
    seconds = discharge_time_s(TWO_SECTIONS)
    assert seconds is not None
    c = [16e-6, 16e-6, 8e-6]

    def slope(_: float, v: np.ndarray) -> list[float]:
        a, b = (v[0] - v[1]) / 1200.0, (v[1] - v[2]) / 33e3
        return [-a / c[0], (a - b) / c[1], (b - v[2] / 150e3) / c[2]]

    start = [math.sqrt(2.0) * 300.0 * 1.1 * 1.1] * 3
    run = solve_ivp(slope, (0.0, 1.2 * seconds), start, rtol=1e-9, dense_output=True)
    assert float(max(run.sol(seconds))) == pytest.approx(30.0, rel=1e-4)
    one_rc = 150e3 * sum(c) * math.log(start[0] / 30.0)
    assert seconds > one_rc


@pytest.mark.parametrize("wire_ohm", [1e-35, 1e-12, 1e-3])
def test_a_filter_of_next_to_no_ohms_runs_out_like_one_capacitor(wire_ohm: float) -> None:
    wired = replace(TWO_SECTIONS, sections=tuple(FilterSection(wire_ohm, 8e-6) for _ in range(4)))
    seconds = discharge_time_s(wired)
    start = math.sqrt(2.0) * 300.0 * 1.1 * 1.1
    assert seconds == pytest.approx(150e3 * 48e-6 * math.log(start / 30.0), rel=1e-6)
    assert discharged_v(wired, seconds) == pytest.approx([30.0] * 5, rel=1e-6)


def test_without_a_bleeder_they_never_discharge_and_it_is_said() -> None:
    bare = replace(TWO_SECTIONS, load=Load(0.06, 235.0))
    assert discharge_time_s(bare) is None
    assert len(set(discharged_v(bare, 1e6))) == 1
    assert "no bleeder" in discharge_words(bare) and "by hand" in discharge_words(bare)
    assert "below 30 V in" in discharge_words(TWO_SECTIONS)
    assert "measure every one" in discharge_words(None)


SERIES_METER = [
    OhmRange("R x 1", OhmmeterKind.SERIES, 1.5, 0.15),
    OhmRange("R x 10", OhmmeterKind.SERIES, 1.5, 0.015),
    OhmRange("R x 1k", OhmmeterKind.SERIES, 1.5, 150e-6),
]
DIGITAL = [OhmRange("200 ohm", OhmmeterKind.CONSTANT_CURRENT, 3.0, 1e-3)]


def test_a_battery_filament_wants_the_right_range() -> None:
    best, every = safest_range([("old", SERIES_METER), ("digital", DIGITAL)], 1.4, 0.05)
    verdicts = {v.range_name: v.risk for v in every}
    assert verdicts["R x 1"] is RangeRisk.DANGER
    assert verdicts["R x 10"] is RangeRisk.SAFE and verdicts["200 ohm"] is RangeRisk.SAFE
    assert best.range_name == "R x 10"  # of the safe ones it reads best
    assert "at first contact" in best.words
    mains, _ = safest_range([("old", SERIES_METER)], 6.3, 0.3)
    assert mains.risk is RangeRisk.SAFE and mains.range_name == "R x 1"


def test_ranges_are_checked_against_each_other() -> None:
    check_ranges("old", SERIES_METER)
    with pytest.raises(BadInput, match="the higher the range"):
        check_ranges("old", list(reversed(SERIES_METER)))
    with pytest.raises(BadInput, match="at least one range"):
        safest_range([], 1.4, 0.05)


def test_windings_are_brought_to_twenty_degrees() -> None:
    warm = winding(3.2 * (1 + 0.00393 * 30) + 0.2, 3.2, temperature_c=50.0, leads_ohm=0.2)
    assert warm.corrected_ohm == pytest.approx(3.2) and warm.inside
    assert winding(1e6, 3.2).open and "broken wire" in winding(1e6, 3.2).words
    assert (
        "shorted turns" in winding(2.0, 3.2).words and "zero the leads" in winding(2.0, 3.2).words
    )
    assert "High" in winding(150.0, 100.0).words
    for bad in ({"leads_ohm": 5.0}, {"temperature_c": 400.0}):
        with pytest.raises(BadInput):
            winding(3.0, 3.2, **bad)
    with pytest.raises(BadInput, match="must be"):
        winding(3.0, 0.0)


def with_resistor(supply: Supply, ohm: float, place: ResistorPlace) -> float:
    if place is ResistorPlace.AHEAD:
        supply = replace(supply, source_ohm=supply.source_ohm + ohm)
    else:
        first = supply.sections[0]
        section = replace(first, resistance_ohm=first.resistance_ohm + ohm)
        supply = replace(supply, sections=(section,))
    return steady_state(supply, 230.0).node_v[-1]


LOADS = {
    LoadKind.RESISTIVE: Load(0.06, 235.0, 1.0),
    LoadKind.CONSTANT_CURRENT: Load(0.06, 235.0, 0.0),
}


@pytest.mark.parametrize("place", list(ResistorPlace))
@pytest.mark.parametrize("kind", list(LoadKind))
def test_the_resistor_lands_within_two_per_cent(place: ResistorPlace, kind: LoadKind) -> None:
    """Over bracketing readings 1 % off either way, on sets that differ from the sheet's model:
    within 2 % in 95 of 100, with a third reading where it is asked for."""
    rng = np.random.default_rng(list(ResistorPlace).index(place) * 2 + list(LoadKind).index(kind))
    supply = replace(
        a_supply(Topology.BRIDGE, silicon_rectifier(2), source_ohm=80.0), load=LOADS[kind]
    )
    sheet = supply
    within, trials = 0, 100
    for _ in range(trials):
        supply = replace(
            sheet,
            source_ohm=sheet.source_ohm * rng.uniform(0.8, 1.25),
            reservoir_f=sheet.reservoir_f * rng.uniform(0.85, 1.2),
            load=replace(sheet.load, current_a=sheet.load.current_a * rng.uniform(0.9, 1.1)),
        )
        bare = with_resistor(supply, 0.0, place)
        target = bare * rng.uniform(0.82, 0.92)
        far = 1.0
        while with_resistor(supply, far, place) > 0.75 * bare:
            far *= 1.3

        def read(ohm: float, of: Supply = supply) -> ResistorReading:
            true = with_resistor(of, ohm, place)
            return ResistorReading(ohm, true * (1.0 + 0.01 * rng.uniform(-1.0, 1.0)))

        readings = (read(0.0), read(far))
        advice = series_resistor(readings, target, place, kind, sheet)
        if not advice.final:
            readings = (*readings, read(advice.try_ohm))
            advice = series_resistor(readings, target, place, kind, sheet)
        landed = with_resistor(supply, advice.try_ohm, place)
        within += abs(landed / target - 1.0) < 0.02
    assert within >= 95


def test_behind_the_reservoir_the_laws_are_exact() -> None:
    supply = replace(a_supply(), load=LOADS[LoadKind.RESISTIVE])
    # a stiff source: then only the resistor and the load divide
    stiff = replace(supply, source_ohm=0.5, rectifier=silicon_rectifier(), reservoir_f=1e-3)
    readings = tuple(
        ResistorReading(r, with_resistor(stiff, r, ResistorPlace.BEHIND)) for r in (0.0, 2000.0)
    )
    advice = series_resistor(
        readings,
        0.5 * (readings[0].b_plus_v + readings[1].b_plus_v),
        ResistorPlace.BEHIND,
        LoadKind.RESISTIVE,
    )
    landed = with_resistor(stiff, advice.try_ohm, ResistorPlace.BEHIND)
    assert landed == pytest.approx(0.5 * (readings[0].b_plus_v + readings[1].b_plus_v), rel=3e-3)


@pytest.mark.parametrize(
    ("rows", "target", "words"),
    [
        ([(0, 280), (1000, 290)], 260, "must fall with the resistance"),
        ([(0, 280), (0, 270)], 260, "is there twice"),
        ([(0, 280)], 260, "two at least"),
        ([(0, 280), (1000, 220)], 300, "above what no resistor"),
        ([(0, 280), (1000, -5)], 260, "above 0 V"),
        ([(0, 280), (1000, 220)], 0, "must be"),
    ],
)
def test_impossible_readings_are_refused(
    rows: list[tuple[float, float]], target: float, words: str
) -> None:
    readings = tuple(ResistorReading(r, v) for r, v in rows)
    with pytest.raises(BadInput, match=words):
        series_resistor(readings, target, ResistorPlace.BEHIND, LoadKind.RESISTIVE)


def test_nothing_is_predicted_beyond_the_readings() -> None:
    readings = (ResistorReading(0.0, 280.0), ResistorReading(500.0, 262.0))
    outside = series_resistor(readings, 200.0, ResistorPlace.BEHIND, LoadKind.RESISTIVE)
    assert not outside.final and outside.try_ohm > 500.0
    close = series_resistor(readings, 270.0, ResistorPlace.BEHIND, LoadKind.RESISTIVE)
    assert not close.final and "less than a tenth apart" in close.words


@pytest.mark.parametrize("place", list(ResistorPlace))
def test_choices_carry_their_heat_and_their_side(place: ResistorPlace) -> None:
    supply = a_supply(Topology.BRIDGE, silicon_rectifier(2), source_ohm=80.0)
    choices = resistor_choices(supply, 230.0, 800.0, 260.0, place)
    for choice in choices:
        assert sum(choice.values_ohm) == pytest.approx(choice.resistance_ohm)
        assert choice.rating_w >= 2.0 * choice.dissipation_w * (1 - 1e-9)
        assert "B+ is read on the" in choice.words
        assert choice.b_plus_v == pytest.approx(260.0, rel=0.1)
    mean_w = choices[0].resistance_ohm * 0.06**2
    ratio = choices[0].dissipation_w / mean_w
    # pulses ahead of the reservoir heat by their RMS, 2 to 12 times what the mean would
    assert (
        (2.0 < ratio < 12.0)
        if place is ResistorPlace.AHEAD
        else ratio == pytest.approx(1.0, rel=0.2)
    )


def test_a_heater_of_a_resistor_is_refused() -> None:
    with pytest.raises(BadInput, match="more than a resistor can shed"):
        big = replace(
            a_supply(Topology.BRIDGE, silicon_rectifier(2), source_ohm=5.0),
            load=Load(2.0, 235.0, 1.0),
            sections=(FilterSection(2.0, 16e-6),),
        )
        resistor_choices(big, 230.0, 100.0, 100.0, ResistorPlace.AHEAD)


@pytest.mark.parametrize("name", SUPPLIES)
def test_the_cause_is_told(name: str) -> None:
    """A few seeds of each; the benchmark prints the table over many."""
    wrong = []
    for cause in causes_of(SUPPLIES[name]):
        for seed in (101, 102, 103):
            one = case(name, cause, seed)
            found = diagnose(one.supply, one.readings)
            assert sum(s.probability for s in found.suspicions) == pytest.approx(1.0)
            assert cause in {s.cause for s in found.suspicions[:2]}
            if found.first.cause is not cause:
                wrong.append((cause, seed))
    # behind an input choke a tired rectifier and a heavier load look most alike
    assert len(wrong) <= (2 if name == "choke input" else 1)


def test_a_leak_and_an_overload_stay_near_each_other() -> None:
    one = case("vacuum centre tap", Cause.EXCESS, 5)
    found = diagnose(one.supply, one.readings)
    assert found.first.cause is Cause.EXCESS
    assert "two causes" in found.next_measurement and "five minutes" in found.next_measurement


def test_the_tired_rectifiers_resistance_stands_beside_the_healthy_one() -> None:
    one = case("vacuum centre tap", Cause.TIRED, 7)
    found = diagnose(one.supply, one.readings)
    assert found.rectifier_ohm > 1.4 * found.healthy_ohm
    healthy = case("vacuum centre tap", Cause.HEALTHY, 7)
    well = diagnose(healthy.supply, healthy.readings)
    assert well.rectifier_ohm == pytest.approx(well.healthy_ohm)


@pytest.mark.parametrize(
    ("readings", "words"),
    [
        ((), "one to eight"),
        ((SupplyReading(230.0, (300.0,)),) * 9, "one to eight"),
        ((SupplyReading(230.0, (300.0, 250.0, 200.0)),), "this filter has 2"),
        ((SupplyReading(0.0, (300.0,)),), "above zero"),
    ],
)
def test_readings_without_sense_are_refused(
    readings: tuple[SupplyReading, ...], words: str
) -> None:
    with pytest.raises(BadInput, match=words):
        diagnose(a_supply(), readings)
