"""The museum's sets through their bring-up: each shows another verdict, and advice lands."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import pytest

from builders import a_workshop
from glowdial.core.journey.steps import Step
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.parts.order import School
from glowdial.demo.fill import (
    DEMO_SEED,
    demo_sheet,
    farm_condition,
    kitchen_condition,
    tuner_condition,
)
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import Condition
from glowdial.workshop.base.jobs import JobPage, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import AnswerCommand, acknowledge, record_answer, withdraw


def opened(folder: Path, sheet: str, condition: Condition) -> tuple[Workshop, int]:
    workshop = a_workshop(folder)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, read_sheet(demo_sheet(sheet)), workshop.now()).id
    return workshop, open_job(
        workshop, "demo-set", OpenCommand(sheet_id, "a set", condition=condition)
    )


Typed = tuple[str | None, tuple[tuple[str, str], ...]]


class Keeper(Volunteer):
    """Changes no part: plays as found."""

    def __init__(self, workshop: Workshop, job_id: int) -> None:
        super().__init__(workshop, job_id, parts_school=School.AS_FOUND, keeps_parts=True)


def worked(folder: Path, sheet: str, condition: Condition, until: str) -> JobPage:
    workshop, job = opened(folder, sheet, condition)
    return Keeper(workshop, job).work(until=lambda step: step.key.startswith(until))


def test_the_kitchen_sets_filter_re_forms_and_its_ballast_has_risen(tmp_path: Path) -> None:
    view = worked(tmp_path, "pantry-five", kitchen_condition(DEMO_SEED + 2), "parts.few")
    found = view.journey.step("bring-up.diagnosis").advice
    assert found[0].startswith("Excess current")
    assert any("re-forming" in line for line in found)
    chart = view.journey.step("bring-up.chart")
    assert any("the dropper or ballast has risen" in line for line in chart.advice)


def test_the_tuners_selenium_has_one_weak_half(tmp_path: Path) -> None:
    view = worked(tmp_path, "lintel-tuner", tuner_condition(DEMO_SEED + 4), "bring-up.chart")
    found = view.journey.step("bring-up.diagnosis").advice
    assert found[0].startswith("Half dead") and "far weaker than the other" in found[0]


def test_the_farm_sets_high_tension_is_sound_and_its_weak_tube_shows(tmp_path: Path) -> None:
    view = worked(tmp_path, "sheepwalk-four", farm_condition(DEMO_SEED + 3), "parts.few")
    keys = {s.key for s in view.journey.steps}
    assert "bring-up.diagnosis" not in keys and "bring-up.school" not in keys
    assert not any(r.judgement.verdict.outside for r in view.journey.step("bring-up.ramp").results)
    assert "cold.filaments" in keys


def test_a_part_that_went_in_is_sound_in_the_simulated_set_too(tmp_path: Path) -> None:
    condition = replace(kitchen_condition(DEMO_SEED + 2), dropper=1.0)
    workshop, job = opened(tmp_path, "pantry-five", condition)
    view = Volunteer(workshop, job).work(until=lambda s: s.key == "bring-up.chart")
    assert "bring-up.diagnosis" not in {s.key for s in view.journey.steps}
    assert any("C21a renewed" in c.note for c in view.record.changes)


@pytest.mark.parametrize("place", ["ahead of the reservoir", "behind the reservoir"])
def test_the_conversion_lands_on_its_target(tmp_path: Path, place: str) -> None:
    condition = replace(tuner_condition(DEMO_SEED + 4), needle=0.005)
    workshop, job = opened(tmp_path, "lintel-tuner", condition)

    class Converts(Keeper):
        def _entry(self, view: JobPage, step: Step) -> Typed:
            converting = step.key == "bring-up.conversion" and step.ask
            ask = step.ask.key if converting and step.ask else ""
            if ask == "choice":
                return None, (("choice", "convert to silicon"),)
            if ask == "wanted":
                return None, (("place", place), ("load", "resistive"))
            return super()._entry(view, step)

    Converts(workshop, job).work(until=lambda s: s.key == "bring-up.chart")
    view = job_page(workshop, job)
    step = view.journey.step("bring-up.conversion")
    fitted = view.record.latest(step.key, "fitted")
    assert fitted is not None
    target = step.results[-1].window
    assert target is not None and target.nominal is not None
    assert fitted.values["b_plus"] == pytest.approx(target.nominal, rel=0.02)
    # each diode blocks the winding's peak and the reservoir, unloaded and on a high line
    supply = view.facts.original_supply or view.facts.supply
    assert supply is not None
    unloaded = replace(supply, load=replace(supply.load, current_a=1e-6))
    high_v = 1.1 * supply.line_v
    reservoir_v = steady_state(unloaded, high_v).node_v[0]
    winding_v = 1.1 * supply.secondary_v * math.sqrt(2.0)
    told_v = int(step.notes[0].split(" V peak inverse")[0].split()[-1])
    assert told_v >= reservoir_v + 0.98 * winding_v
    assert told_v <= 1.1 * 2.0 * winding_v
    # readings from before the conversion do not count, and the ramp was taken again on silicon
    ramp = view.journey.step("bring-up.ramp")
    assert all(r.seq > fitted.seq and not r.stale for r in ramp.results)
    # the tired half is out of the way
    assert not any(r.judgement.verdict.outside for r in ramp.results)


def test_a_withdrawn_conversion_is_selenium_again(tmp_path: Path) -> None:
    workshop, job = opened(tmp_path, "lintel-tuner", tuner_condition(1))
    Keeper(workshop, job).work(until=lambda s: s.key == "bring-up.conversion")
    for danger in job_page(workshop, job).journey.step("bring-up.conversion").dangers:
        version = job_page(workshop, job).version
        stamp = Stamp(f"seen-{danger}", version)
        acknowledge(workshop, job, stamp, "bring-up.conversion", danger)
    view = job_page(workshop, job)
    stamp = Stamp("choose-silicon", view.version)
    fields = (("choice", "convert to silicon"),)
    command = AnswerCommand("bring-up.conversion", "choice", None, fields)
    record_answer(workshop, job, stamp, command)
    after = job_page(workshop, job)
    step = after.journey.step("bring-up.conversion")
    assert step.ask is not None and step.ask.key == "wanted"
    choice = after.record.latest(step.key, "choice")
    assert choice is not None
    withdraw(workshop, job, Stamp("not-after-all", after.version), choice.seq)
    again = job_page(workshop, job).journey.step("bring-up.conversion")
    assert again.ask is not None and again.ask.key == "choice"
