"""Reading a job's record from the tables, and appending to it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.journey.record import (
    Acknowledgement,
    Answer,
    Change,
    Closure,
    Entered,
    JobRecord,
    Move,
    SwitchedOff,
    TemporaryConnection,
)
from glowdial.core.language.errors import NotFound
from glowdial.store.tables import (
    AcknowledgementRow,
    AnswerRow,
    BenchRow,
    ChangeRow,
    ClosureRow,
    JobRow,
    MoveRow,
    NoteRow,
    Numbered,
    ReadingRow,
    RegisterRow,
    SwitchedOffRow,
    TemporaryRow,
    WithdrawalRow,
)

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


class JobRows:
    """All rows of one job, each table read once, when it is first wanted."""

    def __init__(self, session: Session, job_id: int) -> None:
        self.session, self.job_id = session, job_id
        self._read: dict[type[Numbered], list[Any]] = {}

    def of(self, table: type[Row]) -> list[Row]:
        """Rows of a table, in order."""
        if table not in self._read:
            self._read[table] = list(rows_of(self.session, table, self.job_id))
        return self._read[table]


def load_record(session: Session, job_id: int) -> JobRecord:
    """The whole record of a job as the rules see it."""
    return record_of(JobRows(session, job_id))


def record_of(rows: JobRows) -> JobRecord:
    """The record from rows that may be wanted for more."""
    withdrawn = {w.answer_seq for w in rows.of(WithdrawalRow)}
    values: dict[int, dict[str, float]] = {}
    for reading in rows.session.scalars(select(ReadingRow).where(ReadingRow.job_id == rows.job_id)):
        values.setdefault(reading.answer_id, {})[reading.field] = reading.value
    return JobRecord(
        answers=tuple(
            Answer(a.seq, a.step, a.ask, values.get(a.id, {}), a.texts, a.seq in withdrawn)
            for a in rows.of(AnswerRow)
        ),
        moves=tuple(Move(m.seq, m.adjuster, m.turns, m.step) for m in rows.of(MoveRow)),
        changes=tuple(Change(c.seq, c.what, c.note) for c in rows.of(ChangeRow)),
        closures=tuple(
            Closure(c.seq, c.step, c.reason, c.cost, c.decided_by) for c in rows.of(ClosureRow)
        ),
        acknowledgements=tuple(
            Acknowledgement(a.seq, a.step, a.danger) for a in rows.of(AcknowledgementRow)
        ),
        temporaries=tuple(
            TemporaryConnection(
                str(t.id), t.what, t.place, t.step, t.seq, t.removed_seq, t.wanted_under_power
            )
            for t in rows.of(TemporaryRow)
        ),
        switched_off=tuple(
            SwitchedOff(str(s.id), s.what, s.step, s.seq, s.restored_seq)
            for s in rows.of(SwitchedOffRow)
        ),
        entered=tuple(
            Entered(r.seq, r.register, r.key, r.step, r.numbers, r.texts, r.removed)
            for r in rows.of(RegisterRow)
        ),
    )


class Scribe:
    """Appends to one job within one transaction; every entry takes the next number."""

    def __init__(self, session: Session, job: JobRow, at: datetime) -> None:
        self._session = session
        self._job = job
        self._at = at

    def _next(self) -> dict[str, object]:
        self._job.seq += 1
        self._job.touched_at = self._at
        return {"job_id": self._job.id, "seq": self._job.seq, "at": self._at}

    def answer(
        self,
        step: str,
        ask: str,
        *,
        values: Mapping[str, tuple[float, str]],
        texts: Mapping[str, str],
        source: str,
        line: str,
    ) -> int:
        """Keep an answer with its readings (value and unit by field); returns its seq."""
        row = AnswerRow(
            **self._next(), step=step, ask=ask, texts=dict(texts), source=source, line=line
        )
        self._session.add(row)
        self._session.flush()
        for name, (value, unit) in values.items():
            self._session.add(
                ReadingRow(
                    job_id=self._job.id, answer_id=row.id, field=name, value=value, unit=unit
                )
            )
        return row.seq

    def withdraw(self, answer_seq: int) -> None:
        """Withdraw an answer; it stays visible."""
        self._session.add(WithdrawalRow(**self._next(), answer_seq=answer_seq))

    def move(self, adjuster: str, turns: float, step: str) -> None:
        """Book a turn in the ledger."""
        self._session.add(MoveRow(**self._next(), adjuster=adjuster, turns=turns, step=step))

    def change(self, what: str, note: str) -> None:
        """Note a change that spoils readings."""
        self._session.add(ChangeRow(**self._next(), what=what, note=note))

    def closure(self, step: str, reason: str, cost: str, decided_by: str) -> None:
        """Close a step by decision."""
        self._session.add(
            ClosureRow(**self._next(), step=step, reason=reason, cost=cost, decided_by=decided_by)
        )

    def acknowledge(self, step: str, danger: str) -> None:
        """Log an acknowledged caution."""
        self._session.add(AcknowledgementRow(**self._next(), step=step, danger=danger))

    def note(self, step: str, text: str) -> None:
        """Write a remark."""
        self._session.add(NoteRow(**self._next(), step=step, text=text))

    def enter(
        self,
        register: str,
        key: str,
        step: str,
        *,
        numbers: Mapping[str, float],
        texts: Mapping[str, str],
        removed: bool = False,
    ) -> int:
        """Write a line of a register; returns its seq."""
        row = RegisterRow(
            **self._next(),
            register=register,
            key=key,
            step=step,
            numbers=dict(numbers),
            texts=dict(texts),
            removed=removed,
        )
        self._session.add(row)
        return row.seq

    def temporary(self, step: str, what: str, place: str, *, wanted: bool) -> None:
        """Register a temporary connection."""
        self._session.add(
            TemporaryRow(
                **self._next(), step=step, what=what, place=place, wanted_under_power=wanted
            )
        )

    def remove_temporary(self, row: TemporaryRow) -> None:
        """Take a temporary connection off."""
        row.removed_seq = int(str(self._next()["seq"]))
        row.removed_at = self._at

    def switch_off(self, step: str, what: str) -> None:
        """Register something switched off."""
        self._session.add(SwitchedOffRow(**self._next(), step=step, what=what))

    def restore(self, row: SwitchedOffRow) -> None:
        """Switch it back on."""
        row.restored_seq = int(str(self._next()["seq"]))
        row.restored_at = self._at
