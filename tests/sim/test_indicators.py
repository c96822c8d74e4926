"""The IF aligned at the simulated bench by every indicator that an instrument reads."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from builders import a_workshop, tidewater_facts
from glowdial.core.stages.intermediate.indicators import IndicatorKind
from glowdial.demo.fill import tidewater_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.sim.front_end import part_factor
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import AnswerCommand, record_answer

FACTS = tidewater_facts()


@pytest.mark.parametrize("kind", [IndicatorKind.AUDIO, IndicatorKind.DETECTOR])
@pytest.mark.parametrize("seed", [21, 22])
def test_every_winding_comes_to_the_if(tmp_path: Path, kind: IndicatorKind, seed: int) -> None:
    workshop = a_workshop(tmp_path)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, read_sheet(tidewater_sheet()), workshop.now()).id
    condition = neglected(FACTS, seed)
    job = open_job(workshop, "opening", OpenCommand(sheet_id, "a set", condition=condition))
    Volunteer(workshop, job).work(lambda step: step.key == "if.baseline")
    version = job_page(workshop, job).version
    chosen = AnswerCommand("if.baseline", "indicator", None, (("indicator", kind.value),))
    record_answer(workshop, job, Stamp("choice", version), chosen)
    Volunteer(workshop, job).work(lambda step: step.key.startswith("osc."))
    page = job_page(workshop, job)
    decided = page.record.latest("if.decide", "decision")
    assert decided is not None and decided.texts["decision"] == "align"
    for core in FACTS.if_adjusters():
        factor = part_factor(FACTS, condition, core, page.record.turns_of(core))
        assert factor**-0.5 == pytest.approx(1.0, abs=0.003)


def test_what_the_passes_won_is_what_the_if_gained(tmp_path: Path) -> None:
    """By the generator's change for the same reading, dampers off: against the set's own gain."""
    workshop = a_workshop(tmp_path)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, read_sheet(tidewater_sheet()), workshop.now()).id
    condition = neglected(FACTS, 21)
    job = open_job(workshop, "opening", OpenCommand(sheet_id, "a set", condition=condition))
    Volunteer(workshop, job).work(lambda step: step.key.startswith("osc."))
    record = job_page(workshop, job).record
    levels = [a.values["level"] for a in record.with_value("level") if a.step.startswith("if.")]
    assert len(levels) >= 2
    receiver = SimulatedReceiver(FACTS, condition)
    tuned = np.array([FACTS.intermediate_frequency_hz])
    left = {core: record.turns_of(core) for core in FACTS.if_adjusters()}
    found_gain, left_gain = (
        float(receiver.if_gain(BenchState(turns=turns), tuned)[0]) for turns in ({}, left)
    )
    won_db = 20.0 * math.log10(levels[0] / levels[-1])
    assert won_db == pytest.approx(20.0 * math.log10(left_gain / found_gain), abs=0.4)
