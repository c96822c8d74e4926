"""The sets that were here."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from glowdial.api.base.wiring import WorkshopDep
from glowdial.workshop.base.jobs import KnownSet, known_sets

router = APIRouter(prefix="/api/sets", tags=["sets"])


class SetShape(BaseModel):
    """A set that was here."""

    id: int
    name: str
    maker: str
    model: str
    serial: str
    visits: int

    @classmethod
    def of(cls, known: KnownSet) -> SetShape:
        """From the workshop's set."""
        return cls(
            id=known.set_id,
            name=known.name,
            maker=known.maker,
            model=known.model,
            serial=known.serial,
            visits=known.visits,
        )


class SetsPage(BaseModel):
    sets: list[SetShape]


@router.get("", operation_id="listSets")
def list_sets(workshop: WorkshopDep) -> SetsPage:
    """The newest 500 sets, with how often each was here."""
    return SetsPage(sets=[SetShape.of(s) for s in known_sets(workshop)])
