"""Proof of performance: the list of measurements of FM receivers, and its run at the bench."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from glowdial.api.base.wiring import JobId, WorkshopDep
from glowdial.sheets.measurement_list import shipped_list_text
from glowdial.workshop import fm_run

router = APIRouter(tags=["proof"])
Phase = Annotated[str, Query(examples=["found"], description="found or left")]


class MeasurementListShape(BaseModel):
    """The list that comes with the application, as the document that may be edited."""

    document: str


class RunShape(BaseModel):
    """How the run of a phase stands; ``trouble`` is what stopped it, ``set_first`` where the set's
    own switch must be turned to before it goes on; "" where nothing did, or need not."""

    phase: str
    running: bool
    done: int
    total: int
    now: str
    trouble: str
    set_first: str


class RunBody(BaseModel):
    """Which phase to run, or to pause."""

    phase: str = Field(examples=["found"], max_length=20)


@router.get("/api/fm-measurements", operation_id="getFmMeasurements")
def get_fm_measurements() -> MeasurementListShape:
    """The list of measurements by IEC 60315-4 as it ships."""
    return MeasurementListShape(document=shipped_list_text())


@router.get("/api/jobs/{job_id}/fm-run", operation_id="getFmRun")
def get_fm_run(workshop: WorkshopDep, job_id: JobId, phase: Phase) -> RunShape:
    """How many points of a phase are kept, and what is being read now."""
    return RunShape(**asdict(fm_run.run_view(workshop, job_id, phase)))


@router.post("/api/jobs/{job_id}/fm-run", operation_id="postFmRun")
def post_fm_run(workshop: WorkshopDep, job_id: JobId, body: RunBody) -> RunShape:
    """Take what is left of a phase at the job's bench, point by point."""
    return RunShape(**asdict(fm_run.start_run(workshop, job_id, body.phase)))


@router.post("/api/jobs/{job_id}/fm-run/pause", operation_id="pauseFmRun")
def pause_fm_run(workshop: WorkshopDep, job_id: JobId, body: RunBody) -> RunShape:
    """Stop after the present point; what was read is kept."""
    return RunShape(**asdict(fm_run.pause_run(workshop, job_id, body.phase)))
