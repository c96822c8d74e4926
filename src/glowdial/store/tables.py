"""The tables. Answers, readings, moves, changes, decisions and withdrawals are append-only."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

# the version of the record that is written today; older ones are brought up when they are opened
RECORD_FORMAT = 2


class Base(DeclarativeBase):
    """Root of the mapped classes."""

    type_annotation_map = {
        dict[str, Any]: JSON,
        list[Any]: JSON,
        datetime: DateTime(timezone=False),
    }


class SheetRow(Base):
    """A version of a receiver data sheet, kept as its document."""

    __tablename__ = "sheets"
    __table_args__ = (UniqueConstraint("maker", "model", "version"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    maker: Mapped[str] = mapped_column(String(80))
    model: Mapped[str] = mapped_column(String(80))
    version: Mapped[int]
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime]


class SetRow(Base):
    """One physical receiver."""

    __tablename__ = "sets"

    id: Mapped[int] = mapped_column(primary_key=True)
    maker: Mapped[str] = mapped_column(String(80))
    model: Mapped[str] = mapped_column(String(80))
    name: Mapped[str] = mapped_column(String(120))
    serial: Mapped[str] = mapped_column(String(80), default="")


class JobRow(Base):
    """One visit of a set to the bench. ``seq`` is the last entry's number and the job's version.

    The sheet is kept as it was when the job was opened. ``standing`` is the shelf's summary.
    ``closing`` is what was told to the owner at handover: the report, and the hash of the journey
    as it stood. ``format`` tells which version of the record its rows are in.
    """

    __tablename__ = "jobs"

    id: Mapped[int] = mapped_column(primary_key=True)
    set_id: Mapped[int] = mapped_column(ForeignKey("sets.id"), index=True)
    sheet_id: Mapped[int] = mapped_column(ForeignKey("sheets.id"))
    sheet: Mapped[dict[str, Any]]
    link: Mapped[str] = mapped_column(String(20))
    opened_at: Mapped[datetime]
    touched_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    seq: Mapped[int] = mapped_column(default=0)
    standing: Mapped[dict[str, Any]] = mapped_column(default=dict)
    closing: Mapped[dict[str, Any] | None]
    format: Mapped[int] = mapped_column(default=RECORD_FORMAT)


class Numbered:
    """An entry of a job in its one sequence."""

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"))
    seq: Mapped[int]
    at: Mapped[datetime]


class AnswerRow(Numbered, Base):
    """What was entered for one question of a step, asked at a point.

    ``conditions`` is how the bench stood, ``instruments`` what was read with, ``programme`` the
    points that the step had planned.
    """

    __tablename__ = "answers"
    __table_args__ = (Index("ix_answers_job_seq", "job_id", "seq", unique=True),)

    step: Mapped[str] = mapped_column(String(80))
    ask: Mapped[str] = mapped_column(String(60))
    texts: Mapped[dict[str, Any]]
    line: Mapped[str] = mapped_column(Text)
    point: Mapped[dict[str, Any]] = mapped_column(default=dict)
    conditions: Mapped[dict[str, Any]] = mapped_column(default=dict)
    instruments: Mapped[dict[str, Any]] = mapped_column(default=dict)
    programme: Mapped[list[Any]] = mapped_column(default=list)
    who: Mapped[str] = mapped_column(String(80), default="")


class TellingRow(Base):
    """What was said of an answer when it was kept."""

    __tablename__ = "tellings"
    __table_args__ = (Index("ix_tellings_job", "job_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"))
    answer_seq: Mapped[int]
    told: Mapped[dict[str, Any]]


class ObservationRow(Base):
    """One value of an answer, SI, with the unit it is in: what it is and where (``kind`` at
    ``place``), its doubt where known, its source, and the hash of a trace that it was reduced from.
    """

    __tablename__ = "observations"
    __table_args__ = (
        Index("ix_observations_job_answer", "job_id", "answer_id"),
        Index("ix_observations_job_place", "job_id", "place"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"))
    answer_id: Mapped[int] = mapped_column(ForeignKey("answers.id"))
    field: Mapped[str] = mapped_column(String(40))
    value: Mapped[float]
    unit: Mapped[str] = mapped_column(String(10))
    place: Mapped[str] = mapped_column(String(80), default="")
    kind: Mapped[str] = mapped_column(String(20), default="")
    doubt: Mapped[float | None]
    source: Mapped[str] = mapped_column(String(20), default="hand")
    blob: Mapped[str | None] = mapped_column(ForeignKey("blobs.sha256"))


class BlobRow(Base):
    """A trace, a recording, or a journey as it was closed: bytes by the hash of their contents."""

    __tablename__ = "blobs"

    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    media_type: Mapped[str] = mapped_column(String(80))
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    size: Mapped[int]


class WithdrawalRow(Numbered, Base):
    """An answer withdrawn by its person; the answer itself stays."""

    __tablename__ = "withdrawals"
    __table_args__ = (Index("ix_withdrawals_job", "job_id"),)

    answer_seq: Mapped[int]


class ReopeningRow(Numbered, Base):
    """A job that was handed over was opened again; ``told`` is the hash of what was told then."""

    __tablename__ = "reopenings"
    __table_args__ = (Index("ix_reopenings_job", "job_id"),)

    reason: Mapped[str] = mapped_column(Text)
    told: Mapped[str | None] = mapped_column(ForeignKey("blobs.sha256"))


class AlarmRow(Numbered, Base):
    """Something said of an alarm: raised, switched off, or settled with its cause and remedy."""

    __tablename__ = "alarms"
    __table_args__ = (Index("ix_alarms_job", "job_id"),)

    event: Mapped[str] = mapped_column(String(20))
    step: Mapped[str] = mapped_column(String(80))
    what: Mapped[str] = mapped_column(String(40))
    text: Mapped[str] = mapped_column(Text)
    done: Mapped[str] = mapped_column(Text)


class MoveRow(Numbered, Base):
    """The adjuster ledger."""

    __tablename__ = "moves"
    __table_args__ = (Index("ix_moves_job", "job_id"),)

    adjuster: Mapped[str] = mapped_column(String(40))
    turns: Mapped[float]
    step: Mapped[str] = mapped_column(String(80))


class ChangeRow(Numbered, Base):
    """Something that readings depend on changed."""

    __tablename__ = "changes"
    __table_args__ = (Index("ix_changes_job", "job_id"),)

    what: Mapped[str] = mapped_column(String(40))
    note: Mapped[str] = mapped_column(Text)


class ClosureRow(Numbered, Base):
    """A step closed by decision."""

    __tablename__ = "closures"
    __table_args__ = (Index("ix_closures_job", "job_id"),)

    step: Mapped[str] = mapped_column(String(80))
    reason: Mapped[str] = mapped_column(Text)
    cost: Mapped[str] = mapped_column(Text)
    decided_by: Mapped[str] = mapped_column(String(80))


class AcknowledgementRow(Numbered, Base):
    """A caution acknowledged."""

    __tablename__ = "acknowledgements"
    __table_args__ = (Index("ix_acknowledgements_job", "job_id"),)

    step: Mapped[str] = mapped_column(String(80))
    danger: Mapped[str] = mapped_column(String(60))


class NoteRow(Numbered, Base):
    """A remark in the log."""

    __tablename__ = "notes"
    __table_args__ = (Index("ix_notes_job", "job_id"),)

    step: Mapped[str] = mapped_column(String(80))
    text: Mapped[str] = mapped_column(Text)


class TemporaryRow(Numbered, Base):
    """A temporary connection; ``seq`` is when it was made."""

    __tablename__ = "temporary_connections"
    __table_args__ = (Index("ix_temporary_connections_job", "job_id"),)

    step: Mapped[str] = mapped_column(String(80))
    what: Mapped[str] = mapped_column(String(200))
    place: Mapped[str] = mapped_column(String(200))
    wanted_under_power: Mapped[bool]
    removed_seq: Mapped[int | None]
    removed_at: Mapped[datetime | None]


class SwitchedOffRow(Numbered, Base):
    """Something switched off by a step; ``seq`` is when."""

    __tablename__ = "switched_off"
    __table_args__ = (Index("ix_switched_off_job", "job_id"),)

    step: Mapped[str] = mapped_column(String(80))
    what: Mapped[str] = mapped_column(String(200))
    restored_seq: Mapped[int | None]
    restored_at: Mapped[datetime | None]


class RegisterRow(Numbered, Base):
    """A line of one of a job's registers; a later one with its key takes its place."""

    __tablename__ = "register_lines"
    __table_args__ = (Index("ix_register_lines_job", "job_id"),)

    register: Mapped[str] = mapped_column(String(40))
    key: Mapped[str] = mapped_column(String(120))
    step: Mapped[str] = mapped_column(String(80))
    numbers: Mapped[dict[str, Any]]
    texts: Mapped[dict[str, Any]]
    removed: Mapped[bool] = mapped_column(default=False)


class PhotoRow(Base):
    """A photo of a job, drawn anew from what was sent: a JPEG and its small one."""

    __tablename__ = "photos"
    __table_args__ = (Index("ix_photos_job", "job_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"))
    at: Mapped[datetime]
    width: Mapped[int]
    height: Mapped[int]
    image: Mapped[bytes] = mapped_column(LargeBinary)
    thumbnail: Mapped[bytes] = mapped_column(LargeBinary)


class StockRow(Base):
    """A line of the bench's stock of parts; ``rating`` in V or W."""

    __tablename__ = "stock"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    value: Mapped[float]
    rating: Mapped[float]
    safety: Mapped[str] = mapped_column(String(10), default="")
    count: Mapped[int]
    note: Mapped[str] = mapped_column(String(200), default="")


class BenchRow(Base):
    """The simulated set of a job: its hidden condition, how it stands, and the peak held."""

    __tablename__ = "benches"

    job_id: Mapped[int] = mapped_column(ForeignKey("jobs.id"), primary_key=True)
    condition: Mapped[dict[str, Any]]
    state: Mapped[dict[str, Any]]
    held: Mapped[dict[str, Any]] = mapped_column(default=dict)


class InstrumentRow(Base):
    """An instrument of the bench; ``profile`` is its own text, empty for the shipped one.

    One without a host is worked by hand, and registered for its ``limits`` alone: as typed.
    """

    __tablename__ = "instruments"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(40))
    host: Mapped[str] = mapped_column(String(120))
    port: Mapped[int]
    profile: Mapped[str] = mapped_column(Text)
    limits: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime]


class IdempotencyRow(Base):
    """The answer already given to a write, so that a retry cannot double it."""

    __tablename__ = "idempotency_keys"

    key: Mapped[str] = mapped_column(String(100), primary_key=True)
    fingerprint: Mapped[str] = mapped_column(String(64))
    response: Mapped[dict[str, Any]]
    at: Mapped[datetime]
