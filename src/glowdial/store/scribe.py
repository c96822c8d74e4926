"""Appending to a job: every entry takes the next number, in tables and record at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import insert
from sqlalchemy.orm import Session

from glowdial.core.journey.alarms import AlarmEntry, AlarmEvent
from glowdial.core.journey.record import (
    NO_INSTRUMENTS,
    Acknowledgement,
    Change,
    Closure,
    Entered,
    InstrumentsThen,
    JobRecord,
    Move,
    Note,
    Point,
    Reopening,
    Told,
    Withdrawal,
)
from glowdial.core.language.errors import NotFound
from glowdial.core.model.measurands import Measurand
from glowdial.store.records import answer_of, connection_of, switch_of
from glowdial.store.tables import (
    AcknowledgementRow,
    AlarmRow,
    AnswerRow,
    ChangeRow,
    ClosureRow,
    JobRow,
    MoveRow,
    NoteRow,
    ObservationRow,
    RegisterRow,
    ReopeningRow,
    SwitchedOffRow,
    TellingRow,
    TemporaryRow,
    WithdrawalRow,
)


@dataclass(frozen=True, slots=True)
class Value:
    """A value to keep: SI, its unit, what it is and where, its doubt, and where it came from."""

    field: str
    value: float
    unit: str
    measurand: Measurand | None
    doubt: float | None = None
    source: str = "hand"
    blob: str | None = None


@dataclass(frozen=True, slots=True)
class NewAnswer:
    """An answer to keep, with its circumstances."""

    step: str
    ask: str
    texts: Mapping[str, str]
    line: str
    values: tuple[Value, ...] = ()
    point: Point = ()
    conditions: Mapping[str, Any] = field(default_factory=dict)
    instruments: InstrumentsThen = NO_INSTRUMENTS
    programme: tuple[float, ...] = ()
    who: str = ""


class Scribe:
    """Appends to one job within one transaction; ``record`` grows with what is written."""

    def __init__(self, session: Session, job: JobRow, at: datetime, record: JobRecord) -> None:
        self._session = session
        self._job = job
        self._at = at
        self._record = record
        self._written: dict[str, list[Any]] = {}
        self._told: AnswerRow | None = None

    def _next(self) -> dict[str, Any]:
        self._job.seq += 1
        self._job.touched_at = self._at
        return {"job_id": self._job.id, "seq": self._job.seq, "at": self._at}

    @property
    def _now(self) -> str:
        return self._at.isoformat()

    @property
    def record(self) -> JobRecord:
        """The record with everything that was written; put together when it is wanted."""
        if self._written:
            grown: dict[str, Any] = {
                name: (*getattr(self._record, name), *entries)
                for name, entries in self._written.items()
            }
            self._written = {}
            self._record = replace(self._record, **grown)
        return self._record

    def _grow(self, name: str, entry: object) -> None:
        self._written.setdefault(name, []).append(entry)

    def answer(self, new: NewAnswer) -> int:
        """Keep an answer with its values; returns its seq."""
        row = AnswerRow(
            **self._next(),
            step=new.step,
            ask=new.ask,
            texts=dict(new.texts),
            line=new.line,
            point=dict(new.point),
            conditions=dict(new.conditions),
            instruments=asdict(new.instruments),
            programme=list(new.programme),
            who=new.who,
        )
        self._session.add(row)
        self._session.flush()
        self._told = row
        observed = [
            ObservationRow(
                job_id=self._job.id,
                answer_id=row.id,
                field=v.field,
                value=v.value,
                unit=v.unit,
                place=v.measurand.place if v.measurand else "",
                kind=v.measurand.kind.value if v.measurand else "",
                doubt=v.doubt,
                source=v.source,
                blob=v.blob,
            )
            for v in new.values
        ]
        if observed:
            columns = [c.name for c in ObservationRow.__table__.columns if c.name != "id"]
            plain = [{name: getattr(o, name) for name in columns} for o in observed]
            self._session.execute(insert(ObservationRow), plain)
        self._grow("answers", answer_of(row, observed))
        return row.seq

    def tell(self, told: Told) -> None:
        """Keep what is said of the answer that was written last."""
        if self._told is None:
            return
        row = TellingRow(job_id=self._job.id, answer_seq=self._told.seq, told=asdict(told))
        self._session.add(row)
        answers = self.record.answers
        last = replace(answers[-1], told=told)
        self._record = replace(self.record, answers=(*answers[:-1], last))

    def withdraw(self, answer_seq: int) -> None:
        """Withdraw an answer; it stays visible."""
        row = WithdrawalRow(**self._next(), answer_seq=answer_seq)
        self._session.add(row)
        self._grow("withdrawals", Withdrawal(row.seq, answer_seq, self._now))
        self._record = self.record.with_withdrawn(answer_seq)

    def move(self, adjuster: str, turns: float, step: str) -> None:
        """Book a turn in the ledger."""
        row = MoveRow(**self._next(), adjuster=adjuster, turns=turns, step=step)
        self._session.add(row)
        self._grow("moves", Move(row.seq, adjuster, turns, step, self._now))

    def change(self, what: str, note: str) -> None:
        """Note a change that spoils readings."""
        row = ChangeRow(**self._next(), what=what, note=note)
        self._session.add(row)
        self._grow("changes", Change(row.seq, what, note, self._now))

    def closure(self, step: str, reason: str, cost: str, decided_by: str) -> None:
        """Close a step by decision."""
        row = ClosureRow(**self._next(), step=step, reason=reason, cost=cost, decided_by=decided_by)
        self._session.add(row)
        self._grow("closures", Closure(row.seq, step, reason, cost, decided_by, self._now))

    def acknowledge(self, step: str, danger: str) -> None:
        """Log an acknowledged caution."""
        row = AcknowledgementRow(**self._next(), step=step, danger=danger)
        self._session.add(row)
        self._grow("acknowledgements", Acknowledgement(row.seq, step, danger, self._now))

    def alarm(
        self, event: AlarmEvent, step: str, *, what: str = "", text: str = "", done: str = ""
    ) -> None:
        """Log what is said of an alarm."""
        row = AlarmRow(
            **self._next(), event=event.value, step=step, what=what, text=text, done=done
        )
        self._session.add(row)
        self._grow("alarms", AlarmEntry(row.seq, event, step, what, text, done, self._now))

    def note(self, step: str, text: str) -> None:
        """Write a remark."""
        row = NoteRow(**self._next(), step=step, text=text)
        self._session.add(row)
        self._grow("notes", Note(row.seq, step, text, self._now))

    def reopen(self, reason: str, told: str) -> None:
        """Note that a job that was handed over is opened again; ``told`` is the hash of what was
        told at its handover."""
        row = ReopeningRow(**self._next(), reason=reason, told=told)
        self._session.add(row)
        self._grow("reopenings", Reopening(row.seq, reason, self._now))

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
        line = Entered(row.seq, register, key, step, dict(numbers), dict(texts), removed, self._now)
        self._grow("entered", line)
        return row.seq

    def clip_on(self, step: str, what: str, place: str, *, wanted: bool) -> None:
        """Register a temporary connection."""
        row = TemporaryRow(
            **self._next(), step=step, what=what, place=place, wanted_under_power=wanted
        )
        self._session.add(row)
        self._session.flush()
        self._grow("temporaries", connection_of(row))

    def take_off(self, key: str) -> None:
        """Take a temporary connection of this job off; raises NotFound for no such one here."""
        row = self._session.get(TemporaryRow, int(key))
        if row is None or row.job_id != self._job.id:
            raise NotFound("temporary connection", key)
        if row.removed_seq is not None:
            return
        row.removed_seq = self._next()["seq"]
        row.removed_at = self._at
        known = (connection_of(row) if t.key == key else t for t in self.record.temporaries)
        self._record = replace(self.record, temporaries=tuple(known))

    def switch_off(self, step: str, what: str) -> None:
        """Register something switched off."""
        row = SwitchedOffRow(**self._next(), step=step, what=what)
        self._session.add(row)
        self._session.flush()
        self._grow("switched_off", switch_of(row))

    def restore(self, key: str) -> None:
        """Switch something of this job back on; raises NotFound for no such one here."""
        row = self._session.get(SwitchedOffRow, int(key))
        if row is None or row.job_id != self._job.id:
            raise NotFound("switched-off thing", key)
        if row.restored_seq is not None:
            return
        row.restored_seq = self._next()["seq"]
        row.restored_at = self._at
        known = (switch_of(row) if s.key == key else s for s in self.record.switched_off)
        self._record = replace(self.record, switched_off=tuple(known))
