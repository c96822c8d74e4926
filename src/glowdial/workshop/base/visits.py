"""Earlier visits of a set: what was complained of, and what was changed; what recurs is suspect."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.journey.beliefs import STORY
from glowdial.core.journey.record import CABINET
from glowdial.store.tables import AnswerRow, ChangeRow, JobRow

MOST_VISITS, MOST_FIGURES = 20, 12
# how a report begins the rows of a proof
PROOFS = ("Sensitivity ", "FM ")


@dataclass(frozen=True, slots=True)
class Visit:
    """An earlier job of the same set: what was complained of, what was changed, and what it was
    proved to do when it left, as it was told then."""

    job_id: int
    opened_at: datetime
    closed_at: datetime | None
    complaint: str
    changed: tuple[str, ...]
    proved: tuple[str, ...] = ()


def earlier_visits(session: Session, job: JobRow) -> tuple[Visit, ...]:
    """What happened to this set before, newest first: what recurs is suspect."""
    query = (
        select(JobRow)
        .where(JobRow.set_id == job.set_id, JobRow.id < job.id)
        .order_by(JobRow.id.desc())
        .limit(MOST_VISITS)
    )
    earlier = list(session.scalars(query))
    if not earlier:
        return ()
    ids = [e.id for e in earlier]
    told = select(AnswerRow).where(AnswerRow.job_id.in_(ids), AnswerRow.step == STORY)
    complaints = {
        a.job_id: str(a.texts.get("complaint", ""))
        for a in session.scalars(told.order_by(AnswerRow.seq))
    }
    noted = select(ChangeRow).where(ChangeRow.job_id.in_(ids), ChangeRow.what != CABINET)
    changes: dict[int, list[str]] = {}
    for change in session.scalars(noted.order_by(ChangeRow.seq)):
        changes.setdefault(change.job_id, []).append(change.note)
    return tuple(
        Visit(
            job_id=e.id,
            opened_at=e.opened_at,
            closed_at=e.closed_at,
            complaint=complaints.get(e.id, ""),
            changed=tuple(changes.get(e.id, [])[:MOST_VISITS]),
            proved=_proved(e),
        )
        for e in earlier
    )


def _proved(job: JobRow) -> tuple[str, ...]:
    """The figures of its proof, from the report that its owner was given."""
    rows = (job.closing or {}).get("report", {}).get("rows", [])
    told = [f"{r['what']}: {r['left']}" for r in rows if r["left"] and _is_proof(r["what"])]
    return tuple(told[:MOST_FIGURES])


def _is_proof(what: str) -> bool:
    return what.startswith(PROOFS)
