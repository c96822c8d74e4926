"""What the bring-up says of simulated sets with one thing wrong in their supply."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from builders import a_workshop, aligned, tidewater_facts
from glowdial.demo.fill import tidewater_sheet
from glowdial.demo.volunteer import Volunteer, before_stage
from glowdial.sim.condition import CapacitorFault, Condition, FilterFault, RectifierFault
from glowdial.workshop.jobs import JobPage, OpenCommand, open_job
from glowdial.workshop.sheets import keep_sheet, read_sheet

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
    if cause == "Tired rectifier":
        assert any("a healthy one for" in line for line in step.advice)


def test_a_sound_set_is_not_asked(tmp_path: Path) -> None:
    keys = {s.key for s in brought_up(tmp_path, SOUND).journey.steps}
    assert "bring-up.ramp" in keys and "bring-up.diagnosis" not in keys
