"""Grids on one AVC line: what one tube drives into it is seen by all, and told by their volts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import pytest
from benchmarks import stage_parts as bench
from benchmarks.other_laws import Sick, solve

from glowdial.core.physics.operating_point import Role, Strain
from glowdial.core.tracing.stage_faults import (
    HEALTHY,
    StageFindings,
    StageReading,
    explain,
    faults_around,
)
from glowdial.core.tracing.stage_network import AVC_LINE, points_of, stage_network, together

LINE_OHM = 1e6
FED_V = 250.0
RF = replace(bench.IF_TUBE, name="V1", role=Role.RF, on_avc=True, grid_leak_ohm=470e3)
FIRST = replace(bench.IF_TUBE, name="V2", on_avc=True, grid_leak_ohm=0.0)
SECOND = replace(bench.IF_TUBE, name="V3", on_avc=True, grid_leak_ohm=220e3)
OUTPUT = replace(bench.OUTPUT_TUBE, coupled_from="")
STAGES = (RF, FIRST, SECOND, OUTPUT)


def readings_of(
    gassy: Mapping[str, float], read: tuple[str, ...], sick: Mapping[str, Sick] | None = None
) -> tuple[StageReading, ...]:
    """Every electrode of some stages by the other laws, each stage for itself, with what all
    grids together lift the line by (Ohm's law) as a bias of it, on a meter that takes nothing."""
    lift_v = LINE_OHM * sum(gassy.values())
    found = []
    for stage in STAGES[:3]:
        if stage.name not in read:
            continue
        lifted = replace(stage, fixed_bias_v=-lift_v)
        wrong = (sick or {}).get(stage.name, Sick())
        wrong = replace(wrong, stray_a=gassy.get(stage.name, 0.0))
        volts = solve(lifted, FED_V, wrong)
        found += [
            StageReading(stage.name, e, volts[e], 1e12)
            for e in ("plate", "screen", "cathode", "grid")
        ]
        found.append(StageReading(stage.name, "feed", FED_V, 1e12))
    return tuple(found)


def explained(name: str, readings: tuple[StageReading, ...]) -> StageFindings:
    placed = stage_network(together(STAGES, name), {-1: FED_V}, avc_ohm=LINE_OHM)
    return explain(placed, readings, faults_around(placed, name, readings))


def test_a_gassy_tube_lifts_every_grid_on_its_line_by_ohms_law() -> None:
    gas_a = 0.6e-6
    sound = points_of(STAGES, {-1: FED_V}, avc_ohm=LINE_OHM)
    sick = points_of(STAGES, {-1: FED_V}, {"V1": Strain(gas_a=gas_a)}, avc_ohm=LINE_OHM)
    lift_v = {name: sick[name].grid_v - sound[name].grid_v for name in sound}
    assert lift_v["V2"] == pytest.approx(gas_a * LINE_OHM, rel=0.02)
    assert lift_v["V3"] == pytest.approx(gas_a * LINE_OHM, rel=0.02)
    assert lift_v["V1"] == pytest.approx(gas_a * (LINE_OHM + 470e3), rel=0.02)
    assert lift_v["V4"] == 0.0
    for name in ("V1", "V2", "V3"):
        assert sick[name].plate_a > 1.02 * sound[name].plate_a


def test_a_clamp_keeps_it_from_the_others() -> None:
    wrong = {"V1": Strain(gas_a=2e-6)}
    sound = points_of(STAGES, {-1: FED_V}, avc_ohm=10.0)
    sick = points_of(STAGES, {-1: FED_V}, wrong, avc_ohm=10.0)
    assert sick["V2"].grid_v == pytest.approx(sound["V2"].grid_v, abs=1e-3)
    assert sick["V1"].grid_v == pytest.approx(2e-6 * 470e3, rel=0.02)


def test_who_is_solved_with_whom() -> None:
    assert [s.name for s in together(STAGES, "V2")] == ["V1", "V2", "V3"]
    assert [s.name for s in together(STAGES, "V4")] == ["V4"]
    assert [s.name for s in together(STAGES, "V2", over_line=False)] == ["V2"]


def test_one_stage_read_alone_says_that_it_may_be_another_tube_on_the_line() -> None:
    """V2's grid and cathode are high; nothing in V2 need be wrong, and none of V1's resistors can
    be the reason."""
    found = explained("V2", readings_of({"V1": 1e-6}, ("V2",)))
    assert found.of(HEALTHY) < 0.05
    assert {"tube V1", "tube V2", "tube V3"} <= set(found.named)
    assert not any("V1's" in p or "V3's" in p for p, _ in found.parts)


def test_all_read_the_one_that_drives_is_named() -> None:
    """Its own grid leak has the larger drop: it stands highest. None of the others is blamed."""
    for gassy in ("V1", "V3"):
        readings = readings_of({gassy: 1.5e-6}, ("V1", "V2", "V3"))
        found = explained("V2", readings)
        assert found.parts[0][0] == f"tube {gassy}"
        assert found.of(f"tube {gassy}") > 0.9


def test_the_line_itself_read_tells_the_line_from_the_stage() -> None:
    """A line at 0 V and a grid at +1 V: it is not the line."""
    own = replace(FIRST, grid_leak_ohm=1e6)
    stages = (RF, own, SECOND)
    placed = stage_network(together(stages, "V2"), {-1: FED_V}, avc_ohm=10.0)
    volts = solve(own, FED_V, Sick(stray_a=1.2e-6))
    readings = tuple(
        StageReading("V2", e, volts[e], 1e12) for e in ("plate", "screen", "cathode", "grid")
    )
    readings += (StageReading("V2", AVC_LINE, 0.0, 10e6), StageReading("V2", "feed", FED_V, 1e12))
    found = explain(placed, readings, faults_around(placed, "V2", readings))
    assert found.parts[0][0] == "tube V2" and found.of("tube V1") < 0.05


@pytest.mark.parametrize(
    ("sick", "part"),
    [
        (Sick({"cathode": 4.0}), "V2's cathode resistor"),
        (Sick({"device": 0.25}), "tube V2"),
        (Sick(), HEALTHY),
    ],
)
def test_what_is_in_the_stage_is_still_found_there(sick: Sick, part: str) -> None:
    found = explained("V2", readings_of({}, ("V2",), {"V2": sick}))
    assert found.parts[0][0] == part
    assert found.of(part) > 0.5
