"""Inside a stage: which part explains its volts, against stages solved by other laws."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks import stage_parts as bench
from benchmarks.other_laws import Sick, solve
from scipy.optimize import brentq

from glowdial.core.physics.operating_point import Device, Strain, operating_point
from glowdial.core.tracing.stage_checks import after_check, proposed_check
from glowdial.core.tracing.stage_faults import (
    BAD_FIT,
    HEALTHY,
    Check,
    StageReading,
    explain,
    faults_of,
)
from glowdial.core.tracing.stage_network import points_of, stage_network, together


def taken(stage_name: str, sick: Sick) -> tuple[bench.Bench, list[StageReading]]:
    """A stage of the benchmark with one thing wrong, read once."""
    stage = next(s for s in bench.STAGES if s.name == stage_name)
    found = bench.bench_of(stage)
    rng = np.random.default_rng(1)
    return found, found.read(sick, bench.FEEDS_V[stage_name], None, rng)


@pytest.mark.parametrize(
    ("stage", "sick", "part"),
    [
        ("V2", Sick({"device": 0.25}), "tube V2"),
        ("V2", Sick({"cathode": 4.0}), "V2's cathode resistor"),
        ("V2", Sick({"plate": 1e5}), "V2's plate resistor"),
        ("V3", Sick({"plate": 4.0}), "V3's plate resistor"),
        ("V4", Sick(leaks={"coupling": 1.5e6}), "V4's coupling capacitor"),
        ("Q2", Sick({"upper": 1e5}), "Q2's upper base resistor"),
        ("Q4", Sick({"cathode": 5.0}), "Q4's emitter resistor"),
        ("Q4", Sick(leaks={"across": 2000.0}), "transistor Q4"),
    ],
)
def test_a_plain_fault_is_named(stage: str, sick: Sick, part: str) -> None:
    found = bench.found_for(*taken(stage, sick))
    assert found.parts[0][0] == part
    assert found.of(part) > 0.5


def test_a_screen_that_is_low_leaves_twins_until_a_check_decides() -> None:
    found = bench.found_for(*taken("V2", Sick({"screen": 3.5})))
    assert set(found.named) == {"V2's screen resistor", "V2's screen bypass"}
    check = proposed_check(found)
    assert check is not None and check.check is Check.RESISTANCE
    yes, no = (after_check(found, check, positive=p) for p in (True, False))
    assert yes.of("V2's screen resistor") > 0.9 and no.of("V2's screen bypass") > 0.9


def test_a_healthy_stage_is_left_in_peace_and_no_part_is_made_up() -> None:
    for stage in bench.STAGES:
        found = bench.found_for(*taken(stage.name, Sick()))
        assert found.parts[0][0] == HEALTHY, stage.name


def test_what_no_volt_tells_leaves_everything_as_it_is() -> None:
    """An open bypass or coupling capacitor carries no direct current: it is no fault of these."""
    named = {f.key for s in bench.STAGES for f in faults_of(s)}
    assert not [key for key in named if "open" in key]


def test_the_meter_that_was_used_is_counted_with() -> None:
    """The same volts are right on a meter that loads, and wrong on one that does not."""
    stage = bench.FIRST_AUDIO
    loaded = solve(stage, 250.0, Sick(), meter=("plate", 1e5))["plate"]
    healthy = solve(stage, 250.0, Sick())
    rest = [
        StageReading("V3", "cathode", healthy["cathode"]),
        StageReading("V3", "feed", 250.0),
    ]
    placed = stage_network((stage,), {-1: 250.0})
    old = explain(placed, [StageReading("V3", "plate", loaded, 1e5), *rest])
    new = explain(placed, [StageReading("V3", "plate", loaded, 10e6), *rest])
    assert old.of(HEALTHY) > 0.7 and new.of(HEALTHY) < 0.3


def test_warm_germanium_leaks_and_is_not_blamed_for_it() -> None:
    """At 45 degrees the leak of a good junction is more than five times that at 20."""
    warm = Sick(stray_a=2e-6 * 2.0**2.5)
    stage = bench.AUDIO_TRANSISTOR
    volts = solve(stage, 18.0, warm)
    readings = [StageReading("Q4", e, volts[e]) for e in ("plate", "cathode", "grid")]
    readings.append(StageReading("Q4", "feed", 18.0))
    blamed = [
        explain(stage_network((stage,), {-1: 18.0}, celsius=t), readings).of("transistor Q4")
        for t in (20.0, 45.0)
    ]
    assert blamed[1] <= blamed[0] + 0.01


def test_stages_that_hang_together_are_solved_together() -> None:
    """A direct-coupled pair: the first's collector resistor shows in the second's volts."""
    first = replace(bench.AUDIO_TRANSISTOR, name="Q1", plate_ohm=6800.0)
    second = replace(
        bench.AUDIO_TRANSISTOR, name="Q2", direct_from="Q1", upper_ohm=0.0, lower_ohm=0.0
    )
    shared = replace(bench.IF_TUBE, name="V5", screen_with="V2")
    stages = (first, second, bench.IF_TUBE, shared, bench.OUTPUT_TUBE, bench.FIRST_AUDIO)
    assert [s.name for s in together(stages, "Q2")] == ["Q1", "Q2"]
    assert [s.name for s in together(stages, "Q1")] == ["Q1", "Q2"]
    assert [s.name for s in together(stages, "V2")] == ["V2", "V5"]
    assert [s.name for s in together(stages, "V4")] == ["V4", "V3"]
    placed = stage_network((first, second), {-1: 18.0})
    logs = np.zeros((2, len(placed.network.keys)))
    logs[1, placed.network.keys.index("Q1 plate")] = 1.0
    volts = placed.network.solve(logs)
    emitter = placed.network.place["Q2 cathode"]
    assert volts[1, emitter] < volts[0, emitter] - 0.5
    assert placed.nodes["Q2", "grid"] == "Q1 plate"
    assert all(s.device is Device.TRANSISTOR for s in placed.stages)


def test_a_sample_of_the_benchmark_holds() -> None:
    """Seeded faults by other laws, with noise and ageing; the whole of it is in benchmarks."""
    rng = np.random.default_rng(9)
    score = bench.Score()
    while score.tried < 25:
        stage = bench.STAGES[score.tried % len(bench.STAGES)]
        ways = bench.faults_of(stage)
        truth = ways[list(ways)[int(rng.integers(len(ways)))]](rng)
        feed_v = bench.FEEDS_V[stage.name]
        readings = bench.bench_of(stage).read(
            bench.both(bench.aged_parts(stage, rng), truth.sick), feed_v, 20e3, rng
        )
        found = bench.found_for(bench.bench_of(stage), readings)
        if found.of(HEALTHY) > 0.5:
            continue
        score.add(truth, found, found)
    assert score.first >= 18 and score.held >= 22 and score.sure_wrong <= 2


def test_two_parts_are_an_answer_where_one_is_none() -> None:
    """An output tube's coupling capacitor leaks and its cathode resistor has risen ninefold."""
    both_wrong = Sick({"cathode": 9.0}, {"coupling": 4e5})
    found = bench.found_for(*taken("V4", both_wrong))
    assert found.fit > BAD_FIT and found.pairs
    best = found.pairs[0]
    assert {best.first, best.second} == {"V4's coupling capacitor", "V4's cathode resistor"}
    assert best.fit < 0.5 * found.fit
    single = bench.found_for(*taken("V4", Sick(leaks={"coupling": 1.5e6})))
    assert single.pairs == ()


def test_a_screen_on_a_divider_has_one_part_more() -> None:
    """The lower resistor open: the screen stands higher than its divider lets it."""
    divided = replace(bench.IF_TUBE, screen_ohm=15e3, screen_lower_ohm=15e3)
    sound = operating_point(divided, 250.0)
    alone = operating_point(replace(divided, screen_lower_ohm=0.0), 250.0)
    assert alone.screen_v > sound.screen_v + 10.0
    placed = stage_network((divided,), {-1: 250.0})
    volts = placed.network.solve(np.zeros((1, len(placed.network.keys))))[0]
    assert volts[placed.network.place["V2 screen"]] == pytest.approx(sound.screen_v, rel=0.05)
    readings = [
        StageReading("V2", e, v)
        for e, v in (
            ("plate", alone.plate_v),
            ("screen", alone.screen_v),
            ("cathode", alone.cathode_v),
            ("grid", 0.0),
            ("feed", 250.0),
        )
    ]
    assert explain(placed, readings).parts[0][0] == "V2's screen divider's lower resistor"


def test_a_direct_coupled_pair_settles_as_its_equations_say() -> None:
    """Q1's collector feeds Q2's base: Kirchhoff at that node, by a root finder with the currents of
    two ideal transistors."""
    first = replace(bench.AUDIO_TRANSISTOR, name="Q1", plate_ohm=6800.0)
    second = replace(
        bench.AUDIO_TRANSISTOR, name="Q2", direct_from="Q1", upper_ohm=0.0, lower_ohm=0.0
    )
    points = points_of((first, second), {-1: 18.0})
    gain, junction_v = 70.0, 0.2

    def left(collector_v: float) -> float:
        open_v, behind = 18.0 * 8.2 / 41.2, 33e3 * 8.2e3 / 41.2e3
        base_a = (open_v - junction_v) / (behind + (gain + 1) * 1500.0)
        next_a = max(collector_v - junction_v, 0.0) / ((gain + 1) * 1500.0)
        return (18.0 - collector_v) / 6800.0 - gain * base_a - next_a

    collector_v = brentq(left, 0.0, 18.0)
    assert points["Q1"].plate_v == pytest.approx(collector_v, abs=0.15)
    assert points["Q2"].grid_v == points["Q1"].plate_v
    assert points["Q2"].cathode_v == pytest.approx(collector_v - junction_v, abs=0.2)
    weak = points_of((first, second), {-1: 18.0}, {"Q1": Strain(strength=0.0)})
    assert weak["Q2"].plate_a > points["Q2"].plate_a


def test_alone_a_stage_settles_as_it_always_did() -> None:
    for stage in bench.STAGES:
        alone = points_of((stage,), {-1: bench.FEEDS_V[stage.name]})[stage.name]
        assert alone == operating_point(stage, bench.FEEDS_V[stage.name])


def test_a_shared_screen_is_one_node_and_one_fault_shows_in_both() -> None:
    shared = replace(bench.IF_TUBE, name="V5", screen_with="V2", screen_ohm=0.0)
    pair = (bench.IF_TUBE, shared)
    points = points_of(pair, {-1: 250.0})
    assert points["V2"].screen_v == points["V5"].screen_v
    leaky = points_of(pair, {-1: 250.0}, {"V2": Strain(screen_leak_ohm=2e4)})
    for name in ("V2", "V5"):
        assert leaky[name].screen_v < 0.7 * points[name].screen_v
        assert leaky[name].plate_a < 0.7 * points[name].plate_a
