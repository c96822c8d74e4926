"""A job as it was told to the owner at handover: its report, its standing, and every step."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy.orm import Session

from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step, looked_at
from glowdial.core.plan.journey import Journey
from glowdial.core.plan.report import build_report
from glowdial.core.plan.rules_version import RULES_VERSION
from glowdial.store.blobs import blob_of, keep_blob
from glowdial.store.tables import JobRow, SetRow
from glowdial.workshop.base.visits import earlier_visits

STEPS: TypeAdapter[tuple[Step, ...]] = TypeAdapter(tuple[Step, ...])
JOURNEY_MEDIA = "application/json"


def report_document(
    session: Session, job: JobRow, situation: Situation, journey: Journey
) -> dict[str, Any]:
    """The whole printable page as plain JSON, as things stand now."""
    report = asdict(build_report(situation, journey))
    receiver = session.get_one(SetRow, job.set_id)
    head = {
        "job_id": job.id,
        "set_name": receiver.name,
        "opened_at": job.opened_at.isoformat(),
        "closed_at": job.closed_at.isoformat() if job.closed_at else None,
        "visits": [asdict(v) for v in earlier_visits(session, job)],
    }
    return dict(json.loads(json.dumps({**report, **head}, default=str)))


def close(session: Session, job: JobRow, situation: Situation, journey: Journey) -> None:
    """Keep report and journey as they are told now; from here on they are shown from there."""
    steps = STEPS.dump_python(tuple(_kept(s) for s in journey.steps), mode="json")
    content = json.dumps(steps, ensure_ascii=False, sort_keys=True).encode()
    job.closing = {
        "rules": RULES_VERSION,
        "report": report_document(session, job, situation, journey),
        "journey": keep_blob(session, content, JOURNEY_MEDIA),
    }


def _kept(step: Step) -> Step:
    """A step as it is kept: drawn, and with nothing that is found out later."""
    return replace(looked_at(step), more_asks=None)


def kept_telling(session: Session, closing: dict[str, Any]) -> str:
    """Keep what was told at a handover beyond the job's being opened again; returns its hash."""
    content = json.dumps(closing, ensure_ascii=False, sort_keys=True).encode()
    return keep_blob(session, content, JOURNEY_MEDIA)


def closed_journey(session: Session, job: JobRow) -> Journey:
    """The journey of a closed job as it was told."""
    closing = job.closing or {}
    steps = json.loads(blob_of(session, closing["journey"]).content)
    return Journey(STEPS.validate_python(steps), "")
