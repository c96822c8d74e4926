"""Traces of a job: kept from an oscilloscope on the network, read again as a table."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import (
    Body,
    CsvAnswer,
    JobId,
    KeyDep,
    ShortText,
    Version,
    WhoDep,
    WorkshopDep,
)
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.traces import TraceCommand, keep_trace, trace_csv

router = APIRouter(prefix="/api/jobs/{job_id}/traces", tags=["traces"])
Digest = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]


class TraceRequest(Body):
    version: Version
    instrument_id: int = Field(ge=1, le=2**53)
    place: ShortText = Field(examples=["b-plus"])
    seconds: float = Field(gt=0, le=1000, examples=[0.05])


class KeptTrace(BaseModel):
    """A trace as it was kept: its hash, by which it is read, and what it comes down to."""

    version: int
    trace: str
    echo: str


@router.post("", operation_id="keepTrace", status_code=201)
def post_trace(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, who: WhoDep, body: TraceRequest
) -> KeptTrace:
    """Keep what an oscilloscope shows at a place of the set."""
    command = TraceCommand(body.instrument_id, body.place, body.seconds)
    return KeptTrace(**keep_trace(workshop, job_id, Stamp(key, body.version, who), command))


@router.get("/{digest}", operation_id="getKeptTrace", response_class=CsvAnswer)
def get_trace(workshop: WorkshopDep, job_id: JobId, digest: Digest) -> CsvAnswer:
    """A kept trace as CSV: seconds and volts."""
    return CsvAnswer(trace_csv(workshop, job_id, digest))
