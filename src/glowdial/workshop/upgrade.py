"""Bringing the jobs of an older data file up: places of their values, points of their questions,
what was told of them, and reports of what was handed over.

The tables were migrated before; what needs the rules of the job is done here, once, when the file
is opened. Nothing that a person entered is changed.
"""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.bench.equipment import Equipment
from glowdial.core.journey.conditions import registered
from glowdial.core.journey.memory import AtOnce
from glowdial.core.journey.record import Said, Told
from glowdial.core.journey.room import Situation
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import Kind, Measurand
from glowdial.core.physics.supply.discharge import HIGH_LINE, discharge_words
from glowdial.core.plan.former_keys import former_measurand, point_of_key, step_of_key
from glowdial.core.plan.journey import Journey, journey_of, situation_of
from glowdial.core.safety.cautions import Trait, traits_of
from glowdial.store.append_only import unlocked
from glowdial.store.records import load_record, rows_of
from glowdial.store.tables import (
    RECORD_FORMAT,
    AcknowledgementRow,
    AnswerRow,
    BenchRow,
    ClosureRow,
    JobRow,
    MoveRow,
    NoteRow,
    Numbered,
    ObservationRow,
    RegisterRow,
    SwitchedOffRow,
    TellingRow,
    TemporaryRow,
)
from glowdial.workshop.base.closing import close
from glowdial.workshop.base.equipment import equipment_of
from glowdial.workshop.base.sheets import facts_of
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import standing

FORMER_RULES = "1"
STEPPED: tuple[type[Any], ...] = (
    AnswerRow,
    MoveRow,
    ClosureRow,
    AcknowledgementRow,
    NoteRow,
    TemporaryRow,
    SwitchedOffRow,
    RegisterRow,
)


def bring_up_to_date(workshop: Workshop) -> int:
    """Bring every older job up, each in a transaction; returns how many there were."""
    with workshop.database.reading() as session:
        old = list(session.scalars(select(JobRow.id).where(JobRow.format < RECORD_FORMAT)))
    for job_id in old:
        with workshop.database.writing() as session, unlocked(session):
            _bring_up(session, session.get_one(JobRow, job_id))
    return len(old)


def _bring_up(session: Session, job: JobRow) -> None:
    facts, equipment = facts_of(job.sheet), equipment_of(session)
    _rename_steps(session, job.id, facts)
    _name_places(session, job.id, facts, equipment)
    _lifted_leads(session, job.id)
    job.format = RECORD_FORMAT
    session.flush()
    record = load_record(session, job.id)
    situation = situation_of(facts, record, equipment, AtOnce())
    job.standing = standing(situation, _tell(session, job, situation))


def _rename_steps(session: Session, job_id: int, facts: ReceiverFacts) -> None:
    for table in STEPPED:
        row: Numbered
        for row in rows_of(session, table, job_id):
            row.step = step_of_key(facts, row.step)  # type: ignore[attr-defined]


def _name_places(session: Session, job_id: int, facts: ReceiverFacts, equipment: Equipment) -> None:
    """Points out of keys, and a place for every value."""
    answers = {a.id: a for a in rows_of(session, AnswerRow, job_id)}
    for answer in answers.values():
        former = answer.ask
        answer.ask, point = point_of_key(facts, answer.step, former)
        answer.point = dict(point)
    # the older version judged every reading by the register as it stood
    then = asdict(registered(equipment))
    mine = select(ObservationRow).where(ObservationRow.job_id == job_id)
    for seen in session.scalars(mine):
        answer = answers[seen.answer_id]
        answer.instruments = then
        known: Measurand | None = former_measurand(facts, answer.step, answer.ask, seen.field)
        if known is not None:
            seen.place, seen.kind = known.place, Kind(known.kind).value


def _lifted_leads(session: Session, job_id: int) -> None:
    bench = session.get(BenchRow, job_id)
    if bench is not None and "load_lifted" in bench.state:
        state = dict(bench.state)
        state["lifted"] = ["load"] if state.pop("load_lifted") else []
        bench.state = state


def _tell(session: Session, job: JobRow, situation: Situation) -> Journey:
    """Keep what the older version showed of each entry, and of a job that was handed over."""
    state = journey_of(situation)
    rows = {a.seq: a for a in rows_of(session, AnswerRow, job.id)}
    lines: dict[int, list[Said]] = {}
    for step in state.steps:
        for r in step.results:
            lines.setdefault(r.seq, []).append(r.said)
    titles = {s.key: s.title for s in state.steps}
    planned = {s.key: list(s.programme) for s in state.steps if s.programme}
    for seq, row in rows.items():
        row.programme = planned.get(row.step, [])
        title = titles.get(row.step, row.step)
        # the older log showed the first thing that was said of an entry
        told = Told(title, tuple(lines.get(seq, ())[:1]), FORMER_RULES)
        session.add(TellingRow(job_id=job.id, answer_seq=seq, told=asdict(told)))
    if job.closed_at is not None:
        close(session, job, situation, state)
        _as_told_then(job, situation.facts)
    return state


def _as_told_then(job: JobRow, facts: ReceiverFacts) -> None:
    """The older version counted the filters' discharge without a transformer's rise."""
    if facts.supply is None or job.closing is None:
        return
    transformer = Trait.TRANSFORMERLESS not in traits_of(facts)
    now = discharge_words(facts.supply, transformer=transformer)
    former_v = facts.supply.unloaded_peak_v * HIGH_LINE
    then = discharge_words(facts.supply, start_v=former_v)
    report = {
        **job.closing["report"],
        "cautions": [then if c == now else c for c in job.closing["report"]["cautions"]],
    }
    job.closing = {**job.closing, "report": report}
