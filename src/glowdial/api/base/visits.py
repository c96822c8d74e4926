"""An earlier job of a set, as pages and reports show it."""

from __future__ import annotations

from pydantic import BaseModel, Field

from glowdial.api.base.wiring import Moment
from glowdial.workshop.base.visits import Visit


class VisitShape(BaseModel):
    """An earlier job of the same set."""

    job_id: int
    opened_at: Moment
    closed_at: Moment | None
    complaint: str
    changed: list[str]
    proved: list[str] = Field(default=[], description="figures of its proof, as told then")

    @classmethod
    def of(cls, visit: Visit) -> VisitShape:
        """From the workshop's visit."""
        return cls(
            job_id=visit.job_id,
            opened_at=visit.opened_at,
            closed_at=visit.closed_at,
            complaint=visit.complaint,
            changed=list(visit.changed),
            proved=list(visit.proved),
        )
