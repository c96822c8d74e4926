"""The parts of a job: the list as it stands, and what would take a part's place."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel

from glowdial.api.base.wiring import JobId, WorkshopDep
from glowdial.core.stages.parts.measured import check_measured
from glowdial.core.stages.parts.state import PartState
from glowdial.core.stages.parts.substitutes import Substitute
from glowdial.workshop.stages import parts

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["parts"])


class PartShape(BaseModel):
    ref: str
    name: str
    kind: str
    use: str
    value: str
    rating: str
    can: str
    batch: str
    decision: str
    settled: bool
    measured: float | None
    measured_words: str
    fitted: str

    @classmethod
    def of(cls, state: PartState) -> PartShape:
        """From the core's part."""
        part = state.part
        words = check_measured(part, state.measured) if state.measured is not None else ""
        return cls(
            ref=part.ref,
            name=part.name,
            kind=part.kind.value,
            use=part.use.value,
            value=part.value_text,
            rating=part.rating_text,
            can=part.can,
            batch=state.batch,
            decision=state.decision,
            settled=state.settled,
            measured=state.measured,
            measured_words=words,
            fitted=state.fitted,
        )


class PartsShape(BaseModel):
    school: str
    parts: list[PartShape]


@router.get("/parts", operation_id="getParts")
def get_parts(workshop: WorkshopDep, job_id: JobId) -> PartsShape:
    """Every part of the list, section by section, as it stands."""
    view = parts.parts_view(workshop, job_id)
    return PartsShape(school=view.school, parts=[PartShape.of(p) for p in view.parts])


class ProposalShape(BaseModel):
    words: str
    value: float
    inside: bool
    from_stock: bool
    taken: bool

    @classmethod
    def of(cls, found: Substitute, *, taken: bool) -> ProposalShape:
        """From the core's substitute; the one that is taken unless another is named."""
        return cls(
            words=found.words,
            value=found.value,
            inside=found.inside,
            from_stock=found.from_stock,
            taken=taken,
        )


class ProposalsShape(BaseModel):
    ref: str
    low: float
    high: float
    rating: float
    safety: str
    words: str
    proposals: list[ProposalShape]


@router.get("/parts/{ref}/proposals", operation_id="getProposals")
def get_proposals(
    workshop: WorkshopDep, job_id: JobId, ref: Annotated[str, Path(max_length=40)]
) -> ProposalsShape:
    """What a part needs in its place, and what would do: from stock, and of standard values."""
    view = parts.proposals(workshop, job_id, ref)
    wanted = view.need.wanted
    return ProposalsShape(
        ref=ref,
        low=wanted.value * (1.0 - wanted.below),
        high=wanted.value * (1.0 + wanted.above),
        rating=wanted.rating,
        safety=view.need.safety,
        words=view.need.words(view.part),
        proposals=[ProposalShape.of(p, taken=n == 0) for n, p in enumerate(view.found)],
    )
