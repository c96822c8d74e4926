"""Reading a job's record from the tables."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from sqlalchemy import Select, literal, select, union_all
from sqlalchemy.orm import Session

from glowdial.core.journey.alarms import AlarmEntry, AlarmEvent
from glowdial.core.journey.record import (
    NOT_TOLD,
    Acknowledgement,
    Answer,
    Change,
    Closure,
    Entered,
    InstrumentsThen,
    JobRecord,
    Move,
    Note,
    Point,
    Reopening,
    Said,
    SwitchedOff,
    TemporaryConnection,
    Told,
    Withdrawal,
)
from glowdial.core.language.errors import NotFound
from glowdial.core.model.measurands import Kind, Measurand
from glowdial.store.tables import (
    AcknowledgementRow,
    AlarmRow,
    AnswerRow,
    BenchRow,
    ChangeRow,
    ClosureRow,
    JobRow,
    MoveRow,
    NoteRow,
    Numbered,
    ObservationRow,
    RegisterRow,
    ReopeningRow,
    SwitchedOffRow,
    TellingRow,
    TemporaryRow,
    WithdrawalRow,
)

NOTE, CLOSURE, REOPENING = "note", "closure", "reopening"
Row = TypeVar("Row", bound=Numbered)


def get_job(session: Session, job_id: int) -> JobRow:
    """The job's row; raises NotFound."""
    job = session.get(JobRow, job_id)
    if job is None:
        raise NotFound("job", str(job_id))
    return job


def get_bench(session: Session, job_id: int) -> BenchRow | None:
    """The job's simulated bench, if it has one."""
    return session.get(BenchRow, job_id)


def rows_of(session: Session, table: type[Row], job_id: int) -> list[Row]:
    """All rows of a table that belong to a job, in order."""
    query = select(table).where(table.job_id == job_id).order_by(table.seq)
    return list(session.scalars(query))


def load_record(session: Session, job_id: int) -> JobRecord:
    """The whole record of a job as the rules see it: one statement a table, or for several."""
    withdrawals = rows_of(session, WithdrawalRow, job_id)
    taken_back = {w.answer_seq for w in withdrawals}
    observed = _observed(session, job_id)
    told = _told(session, job_id)
    remarks = _remarks(session, job_id)
    return JobRecord(
        answers=tuple(
            answer_of(
                a,
                observed.get(a.id, []),
                withdrawn=a.seq in taken_back,
                told=told.get(a.seq, NOT_TOLD),
            )
            for a in rows_of(session, AnswerRow, job_id)
        ),
        moves=tuple(
            Move(m.seq, m.adjuster, m.turns, m.step, m.at.isoformat())
            for m in rows_of(session, MoveRow, job_id)
        ),
        changes=tuple(
            Change(c.seq, c.what, c.note, c.at.isoformat())
            for c in rows_of(session, ChangeRow, job_id)
        ),
        closures=tuple(
            Closure(r.seq, r.step, r.text, r.cost, r.by, r.at.isoformat())
            for r in remarks
            if r.kind == CLOSURE
        ),
        acknowledgements=tuple(
            Acknowledgement(a.seq, a.step, a.danger, a.at.isoformat())
            for a in rows_of(session, AcknowledgementRow, job_id)
        ),
        temporaries=tuple(connection_of(t) for t in rows_of(session, TemporaryRow, job_id)),
        switched_off=tuple(switch_of(s) for s in rows_of(session, SwitchedOffRow, job_id)),
        entered=tuple(
            Entered(
                r.seq, r.register, r.key, r.step, r.numbers, r.texts, r.removed, r.at.isoformat()
            )
            for r in rows_of(session, RegisterRow, job_id)
        ),
        notes=tuple(
            Note(r.seq, r.step, r.text, r.at.isoformat()) for r in remarks if r.kind == NOTE
        ),
        withdrawals=tuple(Withdrawal(w.seq, w.answer_seq, w.at.isoformat()) for w in withdrawals),
        reopenings=tuple(
            Reopening(r.seq, r.text, r.at.isoformat()) for r in remarks if r.kind == REOPENING
        ),
        alarms=tuple(
            AlarmEntry(r.seq, AlarmEvent(r.kind), r.step, r.cost, r.text, r.by, r.at.isoformat())
            for r in remarks
            if r.kind in tuple(AlarmEvent)
        ),
    )


def _remarks(session: Session, job_id: int) -> Sequence[Any]:
    """Notes, decisions, reopenings and alarms, in order: they are few, and alike."""
    note, closure, again, alarm = NoteRow, ClosureRow, ReopeningRow, AlarmRow
    nothing = literal("")
    columns = ("kind", "seq", "step", "text", "cost", "by", "at")
    parts = (
        (note, (literal(NOTE), note.seq, note.step, note.text, nothing, nothing, note.at)),
        (
            closure,
            (
                literal(CLOSURE),
                closure.seq,
                closure.step,
                closure.reason,
                closure.cost,
                closure.decided_by,
                closure.at,
            ),
        ),
        (
            again,
            (literal(REOPENING), again.seq, nothing, again.reason, nothing, nothing, again.at),
        ),
        (
            alarm,
            (
                alarm.event,
                alarm.seq,
                alarm.step,
                alarm.text,
                alarm.what,
                alarm.done,
                alarm.at,
            ),
        ),
    )
    each: list[Select[Any]] = []
    for table, found in parts:
        labelled: list[Any] = [c.label(n) for c, n in zip(found, columns, strict=True)]
        each.append(select(*labelled).where(table.job_id == job_id))
    return session.execute(union_all(*each).order_by("seq")).all()


def _observed(session: Session, job_id: int) -> dict[int, list[Any]]:
    """Observations by answer, as plain rows: there are many of them."""
    columns = ObservationRow.__table__.columns
    query = select(
        columns.answer_id,
        columns.field,
        columns.value,
        columns.place,
        columns.kind,
        columns.doubt,
        columns.source,
    ).where(columns.job_id == job_id)
    found: dict[int, list[Any]] = {}
    for row in session.execute(query):
        found.setdefault(row.answer_id, []).append(row)
    return found


def _told(session: Session, job_id: int) -> dict[int, Told]:
    """What was said of each answer, by its seq."""
    query = select(TellingRow.answer_seq, TellingRow.told).where(TellingRow.job_id == job_id)
    return {row.answer_seq: told_of(row.told) for row in session.execute(query)}


def answer_of(
    row: AnswerRow, observed: list[Any], *, withdrawn: bool = False, told: Told = NOT_TOLD
) -> Answer:
    """An answer with its values, as the rules see it."""
    return Answer(
        seq=row.seq,
        step=row.step,
        ask=row.ask,
        values={o.field: o.value for o in observed},
        texts=row.texts,
        withdrawn=withdrawn,
        point=point_of(row.point),
        conditions=row.conditions,
        instruments=InstrumentsThen(**row.instruments),
        programme=tuple(row.programme),
        places={o.field: Measurand(o.place, Kind(o.kind)) for o in observed if o.kind},
        doubts={o.field: o.doubt for o in observed if o.doubt is not None},
        sources={o.field: o.source for o in observed},
        told=told,
        line=row.line,
        at=row.at.isoformat(),
        who=row.who,
    )


def point_of(document: Mapping[str, float]) -> Point:
    """What a question was asked at."""
    return tuple(sorted(document.items()))


def told_of(document: Mapping[str, Any]) -> Told:
    """What was said of an entry."""
    lines = tuple(Said(**line) for line in document.get("lines", ()))
    return Told(document.get("title", ""), lines, document.get("rules", ""))


def connection_of(row: TemporaryRow) -> TemporaryConnection:
    """A temporary connection as the rules see it."""
    return TemporaryConnection(
        str(row.id),
        row.what,
        row.place,
        row.step,
        row.seq,
        row.removed_seq,
        row.wanted_under_power,
        row.at.isoformat(),
        row.removed_at.isoformat() if row.removed_at else "",
    )


def switch_of(row: SwitchedOffRow) -> SwitchedOff:
    """Something switched off as the rules see it."""
    return SwitchedOff(
        str(row.id),
        row.what,
        row.step,
        row.seq,
        row.restored_seq,
        row.at.isoformat(),
        row.restored_at.isoformat() if row.restored_at else "",
    )
