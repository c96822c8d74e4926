"""What the bring-up says of simulated sets with one thing wrong in their supply."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import pytest

from builders import a_workshop, aligned, tidewater_facts
from glowdial.core.physics.supply.circuit import Supply
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.plan.journey import journey
from glowdial.demo.fill import tidewater_sheet
from glowdial.demo.volunteer import Volunteer, before_stage
from glowdial.sim.condition import CapacitorFault, Condition, FilterFault, RectifierFault
from glowdial.workshop.base.jobs import JobPage, OpenCommand, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet

SOUND = replace(aligned(tidewater_facts()).condition, needle=0.005)


def brought_up(folder: Path, condition: Condition) -> JobPage:
    workshop = a_workshop(folder)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, read_sheet(tidewater_sheet()), workshop.now()).id
    job = open_job(workshop, "sick-set", OpenCommand(sheet_id, "a set", condition=condition))
    return Volunteer(workshop, job, keeps_parts=True).work(until=before_stage("proof"))


@pytest.mark.parametrize(
    ("condition", "cause"),
    [
        (replace(SOUND, emission=0.3), "Tired rectifier"),
        (replace(SOUND, faults=(FilterFault(0, capacity=0.12),)), "Lost capacitance"),
        (replace(SOUND, faults=(RectifierFault(half_dead=True),)), "Half dead"),
        (replace(SOUND, faults=(FilterFault(0, leak_ohm=5e3),)), "Excess current"),
        (replace(SOUND, faults=(CapacitorFault("V4", "coupling", 0.4e6),)), "Excess current"),
    ],
    ids=["tired", "dried out", "half dead", "leaky", "coupling capacitor"],
)
def test_what_ails_the_supply_is_named_with_its_probability(
    tmp_path: Path, condition: Condition, cause: str
) -> None:
    step = brought_up(tmp_path, condition).journey.step("bring-up.diagnosis")
    assert step.advice[0].startswith(f"{cause} (")
    assert int(step.advice[0].split("(")[1].split(" %")[0]) > 60
    if cause == "Excess current":
        leaks = any(isinstance(f, FilterFault) for f in condition.faults)
        decided = "Leaky filter capacitor." if leaks else "Overload."
        assert any(line.startswith(decided) for line in step.advice)
    if cause == "Lost capacitance":
        ripple = next(r for r in step.results if r.label == "reservoir ripple")
        assert ripple.judgement.verdict.outside
    if cause == "Tired rectifier":
        assert any("a healthy one for" in line for line in step.advice)


def test_a_sound_set_is_not_asked(tmp_path: Path) -> None:
    keys = {s.key for s in brought_up(tmp_path, SOUND).journey.steps}
    assert "bring-up.ramp" in keys and "bring-up.diagnosis" not in keys


@pytest.mark.parametrize(("times", "outside"), [(0.8, False), (1.4, False), (1.7, True), (5, True)])
def test_ripple_of_half_as_much_again_is_too_much(
    tmp_path: Path, times: float, outside: bool
) -> None:
    page = brought_up(tmp_path, replace(SOUND, emission=0.3))
    ripple_v = steady_state(_supply(page), _supply(page).line_v).ripple_v
    values = {"ripple_first": times * ripple_v[0], "ripple_last": times * ripple_v[-1]}
    answers = tuple(
        replace(a, values={**a.values, **values}) if a.ask == "nodes" else a
        for a in page.record.answers
    )
    step = journey(page.facts, replace(page.record, answers=answers)).step("bring-up.diagnosis")
    read = [r for r in step.results if r.label.endswith("ripple")]
    assert [r.judgement.verdict.outside for r in read] == [outside, outside]


def _supply(page: JobPage) -> Supply:
    supply = page.facts.supply
    assert supply is not None
    return supply


def test_before_a_lead_is_lifted_it_is_seen_which_capacitor_is_still_up(tmp_path: Path) -> None:
    """What the filter holds ten seconds after switching off, from what the reservoir was read at:
    by the one time constant that its bleeder and both capacitors have."""
    page = brought_up(tmp_path, replace(SOUND, faults=(CapacitorFault("V4", "coupling", 0.4e6),)))
    assert any(a.ask == "lifted" for a in page.record.answers)
    record = replace(
        page.record,
        answers=tuple(a for a in page.record.answers if a.ask != "lifted"),
        closures=(),
    )
    step = journey(page.facts, record).step("bring-up.diagnosis")
    assert step.ask is not None and step.ask.key == "lifted"
    assert step.picture is not None
    read_v = next(a.values["reservoir"] for a in record.answers if a.ask == "nodes")
    supply = _supply(page)
    both_f = supply.reservoir_f + supply.sections[0].capacitance_f
    expected_v = read_v * math.exp(-10.0 / (supply.load.bleeder_ohm * both_f))
    shown = [node.expected for node in step.picture.nodes]
    assert all(words.endswith("V, 10 s off") for words in shown)
    assert float(shown[0].split()[0]) == pytest.approx(expected_v, rel=0.02)
