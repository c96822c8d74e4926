"""The sets that were here before: a set that comes again opens another job."""

from __future__ import annotations

from fastapi import APIRouter

from glowdial.api.shapes import SetShape, SetsPage
from glowdial.api.wiring import WorkshopDep
from glowdial.workshop.jobs import known_sets

router = APIRouter(prefix="/api/sets", tags=["sets"])


@router.get("", operation_id="listSets")
def list_sets(workshop: WorkshopDep) -> SetsPage:
    """The newest 500 sets, with how often each was here."""
    return SetsPage(sets=[SetShape.of(s) for s in known_sets(workshop)])
