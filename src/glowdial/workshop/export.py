"""The open formats that a job leaves in: CSV of readings, JSON of the whole job."""

from __future__ import annotations

import base64
import csv
import io
from typing import Any

from sqlalchemy import select

from glowdial.store.records import get_job, rows_of
from glowdial.store.tables import (
    AcknowledgementRow,
    AnswerRow,
    ChangeRow,
    ClosureRow,
    MoveRow,
    NoteRow,
    PhotoRow,
    ReadingRow,
    RegisterRow,
    SetRow,
    SwitchedOffRow,
    TemporaryRow,
    WithdrawalRow,
)
from glowdial.workshop.workshop import Workshop

TABLES = (
    AnswerRow,
    WithdrawalRow,
    MoveRow,
    ChangeRow,
    ClosureRow,
    AcknowledgementRow,
    NoteRow,
    TemporaryRow,
    SwitchedOffRow,
    RegisterRow,
)


def readings_csv(workshop: Workshop, job_id: int) -> str:
    """Every reading with its step, question, time and source; withdrawn ones are marked."""
    with workshop.database.reading() as session:
        get_job(session, job_id)
        withdrawn = {w.answer_seq for w in rows_of(session, WithdrawalRow, job_id)}
        query = (
            select(AnswerRow, ReadingRow)
            .join(ReadingRow, ReadingRow.answer_id == AnswerRow.id)
            .where(AnswerRow.job_id == job_id)
            .order_by(AnswerRow.seq, ReadingRow.id)
        )
        rows = session.execute(query).all()
    page = io.StringIO()
    writer = csv.writer(page)
    writer.writerow(
        ["seq", "at", "step", "question", "field", "value", "unit", "source", "withdrawn"]
    )
    for answer, reading in rows:
        writer.writerow(
            [
                answer.seq,
                answer.at.isoformat(),
                answer.step,
                answer.ask,
                reading.field,
                repr(reading.value),
                reading.unit,
                answer.source,
                "yes" if answer.seq in withdrawn else "",
            ]
        )
    return page.getvalue()


def job_document(workshop: Workshop, job_id: int) -> dict[str, Any]:
    """Sheet, set, and every table of the job's record, as plain JSON."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        receiver = session.get_one(SetRow, job.set_id)
        readings = session.scalars(select(ReadingRow).where(ReadingRow.job_id == job_id)).all()
        photos = session.scalars(select(PhotoRow).where(PhotoRow.job_id == job_id)).all()
        return {
            "format": "glowdial-job",
            "format_version": 1,
            "set": _plain(receiver),
            "sheet": job.sheet,
            "link": job.link,
            "opened_at": job.opened_at.isoformat(),
            "closed_at": job.closed_at.isoformat() if job.closed_at else None,
            "readings": [_plain(r) for r in readings],
            "photos": [_photo(p) for p in photos],
            **{
                table.__tablename__: [_plain(r) for r in rows_of(session, table, job_id)]
                for table in TABLES
            },
        }


def _photo(row: PhotoRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "at": row.at.isoformat(),
        "width": row.width,
        "height": row.height,
        "jpeg_base64": base64.b64encode(row.image).decode(),
    }


def _plain(row: Any) -> dict[str, Any]:
    values = {c.name: getattr(row, c.name) for c in row.__table__.columns}
    return {k: v.isoformat() if hasattr(v, "isoformat") else v for k, v in values.items()}
