"""The open formats that a job leaves in: CSV of readings, JSON of the whole job."""

from __future__ import annotations

import base64
import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select

from glowdial.core.journey.record import question_name
from glowdial.core.stages.dial.air import HeardStation, stations_heard
from glowdial.core.stages.dial.card import correction_card
from glowdial.core.stages.tracking.moved import wanted_stations
from glowdial.store.blobs import blob_of
from glowdial.store.records import get_job, point_of, rows_of
from glowdial.store.tables import (
    AcknowledgementRow,
    AlarmRow,
    AnswerRow,
    BlobRow,
    ChangeRow,
    ClosureRow,
    MoveRow,
    NoteRow,
    ObservationRow,
    PhotoRow,
    RegisterRow,
    ReopeningRow,
    SetRow,
    SwitchedOffRow,
    TellingRow,
    TemporaryRow,
    WithdrawalRow,
)
from glowdial.workshop.base.tables import as_csv
from glowdial.workshop.base.times import with_zone
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import derived

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
    ReopeningRow,
    AlarmRow,
)


HEAD = (
    "seq",
    "at",
    "who",
    "step",
    "question",
    "field",
    "place",
    "kind",
    "value",
    "unit",
    "doubt",
    "source",
    "meter",
    "conditions",
    "said",
    "withdrawn",
)


CARD_HEAD = ("band", "dial_hz", "true_hz", "correction_hz", "read")


def correction_card_csv(workshop: Workshop, job_id: int) -> str:
    """The correction card of every dial that was read, frequencies in Hz; by the job's own sheet
    and readings alone."""
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id)).situation
    rows = [
        [
            line.band,
            f"{line.dial_hz:.0f}",
            f"{line.true_hz:.0f}",
            f"{line.correction_hz:+.0f}",
            "yes" if line.read else "",
        ]
        for line in correction_card(found.facts, found.record)
    ]
    return as_csv(CARD_HEAD, rows)


STATIONS_HEAD = ("frequency_khz", "name", "place", "weight", "dial_khz", "heard")


def stations_csv(workshop: Workshop, job_id: int) -> str:
    """The stations of the test on the air with what was heard of them, and those that a band is
    moved for; the same columns come in again."""
    with workshop.database.reading() as session:
        found = derived(workshop, session, get_job(session, job_id)).situation
    heard = stations_heard(found.record)
    listed = {h.station for h in heard}
    wanted = [s for band in found.facts.bands for s in wanted_stations(found.record, band)]
    heard += [HeardStation(s) for s in dict.fromkeys(wanted) if s not in listed]
    rows = [
        [
            f"{h.station.frequency_hz / 1e3:.10g}",
            h.station.name,
            h.station.place,
            f"{h.station.weight:g}",
            "" if h.dial_hz is None else f"{h.dial_hz / 1e3:.10g}",
            h.heard,
        ]
        for h in heard
    ]
    return as_csv(STATIONS_HEAD, rows)


def readings_csv(workshop: Workshop, job_id: int) -> str:
    """Every observation with its place, step, question, conditions, time and source; withdrawn ones
    are marked."""
    with workshop.database.reading() as session:
        get_job(session, job_id)
        withdrawn = {w.answer_seq for w in rows_of(session, WithdrawalRow, job_id)}
        answers = {a.id: a for a in rows_of(session, AnswerRow, job_id)}
        mine = select(ObservationRow).where(ObservationRow.job_id == job_id)
        readings = session.scalars(mine).all()
        said = select(TellingRow.answer_seq, TellingRow.told).where(TellingRow.job_id == job_id)
        told = {row.answer_seq: row.told for row in session.execute(said)}
    ordered = sorted(readings, key=lambda r: (answers[r.answer_id].seq, r.id))
    rows = []
    for reading in ordered:
        answer = answers[reading.answer_id]
        rows.append(
            [
                answer.seq,
                with_zone(answer.at),
                answer.who,
                answer.step,
                question_name(answer.ask, point_of(answer.point)),
                reading.field,
                reading.place,
                reading.kind,
                repr(reading.value),
                reading.unit,
                "" if reading.doubt is None else repr(reading.doubt),
                reading.source,
                answer.instruments.get("meter", ""),
                _plainly(answer.conditions),
                _said(told.get(answer.seq, {})),
                "yes" if answer.seq in withdrawn else "",
            ]
        )
    return as_csv(HEAD, rows)


def _plainly(conditions: dict[str, Any]) -> str:
    return json.dumps(conditions, sort_keys=True) if conditions else ""


def _said(told: dict[str, Any]) -> str:
    return "; ".join(f"{s['label']}: {s['words']}" for s in told.get("lines", ()))


def job_document(workshop: Workshop, job_id: int) -> dict[str, Any]:
    """Sheet, set, and every table of the job's record, as plain JSON."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        receiver = session.get_one(SetRow, job.set_id)
        mine = select(ObservationRow).where(ObservationRow.job_id == job_id)
        observed = session.scalars(mine.order_by(ObservationRow.id)).all()
        tellings = select(TellingRow).where(TellingRow.job_id == job_id).order_by(TellingRow.id)
        again = rows_of(session, ReopeningRow, job_id)
        photos = session.scalars(select(PhotoRow).where(PhotoRow.job_id == job_id)).all()
        return {
            "format": "glowdial-job",
            "format_version": 2,
            "set": _plain(receiver),
            "sheet": job.sheet,
            "link": job.link,
            "opened_at": with_zone(job.opened_at),
            "closed_at": with_zone(job.closed_at) if job.closed_at else None,
            "closing": job.closing,
            "tellings": [_plain(r) for r in session.scalars(tellings)],
            "observations": [_plain(r) for r in observed],
            "blobs": [_blob(blob_of(session, digest)) for digest in _digests(observed, again)],
            "photos": [_photo(p) for p in photos],
            **{
                table.__tablename__: [_plain(r) for r in rows_of(session, table, job_id)]
                for table in TABLES
            },
        }


def _digests(observed: Sequence[ObservationRow], again: Sequence[ReopeningRow]) -> list[str]:
    """Traces of the job, and what was told at its earlier handovers."""
    return sorted({o.blob for o in observed if o.blob} | {r.told for r in again if r.told})


def _blob(row: BlobRow) -> dict[str, Any]:
    return {
        "sha256": row.sha256,
        "media_type": row.media_type,
        "base64": base64.b64encode(row.content).decode(),
    }


def _photo(row: PhotoRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "at": with_zone(row.at),
        "width": row.width,
        "height": row.height,
        "jpeg_base64": base64.b64encode(row.image).decode(),
    }


def _plain(row: Any) -> dict[str, Any]:
    values = {c.name: getattr(row, c.name) for c in row.__table__.columns}
    return {k: with_zone(v) if isinstance(v, datetime) else v for k, v in values.items()}
