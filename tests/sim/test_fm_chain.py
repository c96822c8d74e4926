"""An AM and FM set at the simulated bench: both IFs in turn, the ratio detector after the FM."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from builders import a_workshop
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.stages.intermediate.fm_detector import separation_by_sheet_hz
from glowdial.demo.fill import demo_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sheets.facts import receiver_facts
from glowdial.sim.condition import Condition, neglected
from glowdial.sim.front_end import part_factor
from glowdial.workshop.base.jobs import JobPage, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import AnswerCommand, record_answer

SHEET = read_sheet(demo_sheet("gallery-seven"))
FACTS = receiver_facts(SHEET)
FM = FACTS.chains[0]


def opened(tmp_path: Path, condition: Condition) -> tuple[Workshop, int]:
    workshop = a_workshop(tmp_path)
    with workshop.database.writing() as session:
        sheet_id = keep_sheet(session, SHEET, workshop.now()).id
    return workshop, open_job(workshop, "open", OpenCommand(sheet_id, "a set", condition=condition))


def say(workshop: Workshop, job: int, step: str, ask: str, *fields: tuple[str, str]) -> None:
    stamp = Stamp(f"{step} {ask}", job_page(workshop, job).version)
    record_answer(workshop, job, stamp, AnswerCommand(step, ask, None, fields))


def aligned(tmp_path: Path, seed: int) -> tuple[Condition, JobPage]:
    condition = neglected(FACTS, seed)
    workshop, job = opened(tmp_path, condition)
    Volunteer(workshop, job).work(lambda s: s.key == "fm.if.decide")
    say(workshop, job, "fm.if.decide", "decision", ("decision", "align"))
    Volunteer(workshop, job).work(lambda s: s.key.startswith("osc."))
    return condition, job_page(workshop, job)


@pytest.mark.parametrize("seed", [5, 8])
def test_both_ifs_and_the_detector_come_where_they_belong(tmp_path: Path, seed: int) -> None:
    condition, page = aligned(tmp_path, seed)

    def stands(key: str) -> float:
        return float(part_factor(FACTS, condition, key, page.record.turns_of(key)) ** -0.5)

    for core in (c for can in FM.transformers for c in can.cores):
        assert stands(core) == pytest.approx(1.0, abs=0.003)
    fm = FM.fm
    assert fm is not None
    assert stands(fm.secondary) == pytest.approx(1.0, abs=0.0003)
    assert stands(fm.primary) == pytest.approx(1.0, abs=0.003)
    curve = page.journey.standing("fm.if.fm.curve")
    found = {r.label: r for r in curve.results}
    assert found["zero at"].value == pytest.approx(10.7e6, abs=3e3)
    wide = separation_by_sheet_hz(FACTS.on_chain("FM"))
    assert found["peak to peak"].value == pytest.approx(wide, rel=0.15)
    assert not any(r.judgement.verdict.outside for r in curve.results)
    if page.record.latest("if.decide", "decision").texts["decision"] == "align":  # type: ignore[union-attr]
        for core in FACTS.if_adjusters():
            assert stands(core) == pytest.approx(1.0, abs=0.003)


def test_each_chain_has_its_own_indicator_decision_and_levels(tmp_path: Path) -> None:
    workshop, job = opened(tmp_path, neglected(FACTS, 8))
    Volunteer(workshop, job).work(lambda s: s.key == "fm.if.baseline")
    say(workshop, job, "fm.if.set-up", "indicator", ("indicator", "audio output"))
    page = job_page(workshop, job)
    fm_ask = page.journey.standing("fm.if.baseline").ask
    am_set_up = page.journey.standing("if.set-up")
    assert fm_ask is not None and "output" in fm_ask.prompt
    assert any("AVC" in c for c in am_set_up.controls)
    keys = [s.key for s in page.journey.steps]
    assert keys.index("fm.if.restore") < keys.index("if.set-up")


def test_what_a_chain_s_step_refuses_it_refuses_under_its_own_key(tmp_path: Path) -> None:
    workshop, job = opened(tmp_path, neglected(FACTS, 8))
    Volunteer(workshop, job).work(lambda s: s.key == "fm.if.decide")
    with pytest.raises(BadInput):
        say(workshop, job, "fm.if.decide", "order", ("order", "1 1 2 3"))
    with pytest.raises((BadInput, Conflict)):
        say(workshop, job, "fm.if.decide", "own-if", ("own-if", "x"), ("how", "papers"))


def test_a_detector_turned_off_its_zero_is_told_by_its_s(tmp_path: Path) -> None:
    """The secondary closed off where it stands: the S says so, and which core it is."""
    condition = neglected(FACTS, 8)
    workshop, job = opened(tmp_path, condition)
    Volunteer(workshop, job).work(lambda s: s.key == "fm.if.fm.zero")
    fields = (("before", "0.9"), ("after", "0.9"), ("turns", "0"))
    say(workshop, job, "fm.if.fm.zero", "zero", *fields)
    page = job_page(workshop, job)
    step = page.journey.standing("fm.if.fm.zero")
    assert any(r.judgement.verdict.outside for r in step.results)


def test_a_sheet_names_cores_that_there_are() -> None:
    broken = SHEET.model_dump(mode="json")
    broken["other_ifs"][0]["fm"]["primary"] = "nowhere"
    with pytest.raises(BadInput):
        read_sheet(json.dumps(broken))
