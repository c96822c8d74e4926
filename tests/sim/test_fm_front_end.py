"""FM front ends worked by following the advice, on sets that nobody can see into."""

from __future__ import annotations

from pathlib import Path

import pytest

from builders import a_workshop
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.demo.fill import demo_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form
from glowdial.sim.condition import Condition, neglected
from glowdial.sim.front_end import front_end
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench
from glowdial.workshop.base.jobs import JobPage, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet


def of_the_form() -> ReceiverSheet:
    """A set with nothing but FM, its oscillator set by a trimmer and a core."""
    band = {"name": "FM", "low": "87.5 MHz", "high": "108 MHz", "low_end": "core"}
    form = TemplateForm(
        maker="Orlwick",
        model="Kelp Four",
        intermediate_frequency="",
        fm_intermediate_frequency="10.7",
        bands=[band],
    )
    return sheet_from_template(read_form(form))


SETS = {
    "one core, beside AM": (lambda: read_sheet(demo_sheet("gallery-nine")), 6),
    "one trimmer, stereo": (lambda: read_sheet(demo_sheet("spandrel-stereo")), 5),
    "a trimmer and a core": (of_the_form, 7),
}


def worked(
    folder: Path, sheet: ReceiverSheet, condition: Condition
) -> tuple[JobPage, dict[str, float]]:
    """A job worked to its end, and where its adjusters and its pointer then stand at the bench."""
    workshop = a_workshop(folder)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, sheet, workshop.now()).id
    job = open_job(workshop, "job", OpenCommand(sheet_id, "a set", condition=condition))
    Volunteer(workshop, job).work()
    with workshop.database.reading() as session:
        bench = get_bench(session, job)
        assert bench is not None
        return job_page(workshop, job), BenchState.from_document(bench.state).turns


def comes_in_hz(
    facts: ReceiverFacts,
    condition: Condition,
    band: BandFacts,
    turns: dict[str, float],
    mark_hz: float,
) -> float:
    """The truth, which the advice never saw."""
    state = BenchState(band=band.key, dial_hz=mark_hz, turns=turns, in_cabinet=True)
    return front_end(facts, condition, band, state).local_oscillator_hz - band.tracked.offset_hz


@pytest.mark.parametrize("name", SETS)
def test_an_fm_dial_comes_inside_from_as_found(tmp_path: Path, name: str) -> None:
    make, seed = SETS[name]
    sheet = make()
    facts = receiver_facts(sheet)
    condition = neglected(facts, seed)
    view, turned = worked(tmp_path, sheet, condition)
    assert view.closed_at is not None
    band = next(b for b in facts.bands if b.high_hz > 80e6)
    marks = (band.low_mark_hz, band.high_mark_hz)
    as_found = [comes_in_hz(facts, condition, band, {}, m) - m for m in marks]
    assert any(abs(e) > band.tolerance_hz(m) for e, m in zip(as_found, marks, strict=True))
    # every reading of the dial was taken at the bench, and none was closed by a decision
    assert not any(
        c.step.startswith((f"osc.{band.key}", f"dial.{band.key}")) for c in view.record.closures
    )
    read = [a for a in view.record.of_step(f"dial.{band.key}") if "frequency" in a.values]
    assert len(read) == len(band.dial_marks_hz)
    for answer in read:
        mark = answer.asked_at("dial_hz")
        assert abs(answer.values["frequency"] - mark) < band.tolerance_hz(mark)
    for mark in marks:
        true = comes_in_hz(facts, condition, band, turned, mark)
        assert abs(true - mark) < band.tolerance_hz(mark), (name, mark, true)
