"""Jobs: the shelf, opening, one job, its report, its readings and the whole job as files."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import JSONResponse, PlainTextResponse

from glowdial.api.requests import OpenJobRequest
from glowdial.api.shapes import JobShape, Opened, ReportShape, ShelfPage, ShelfShape
from glowdial.api.wiring import KeyDep, WorkshopDep
from glowdial.workshop.export import job_document, readings_csv
from glowdial.workshop.jobs import OpenCommand, job_report, job_view, open_job, shelf
from glowdial.workshop.simulated import condition_for

router = APIRouter(prefix="/api/jobs", tags=["jobs"])
JobId = Annotated[int, Path(ge=1, le=2**53)]


@router.get("", operation_id="listJobs")
def list_jobs(
    workshop: WorkshopDep,
    cursor: Annotated[int | None, Query(ge=1, le=2**53)] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> ShelfPage:
    """The shelf: newest jobs first, a page at a time."""
    lines, following = shelf(workshop, after=cursor, limit=limit)
    return ShelfPage(jobs=[ShelfShape.of(line) for line in lines], cursor=following)


@router.post("", operation_id="openJob", status_code=201)
def post_job(workshop: WorkshopDep, key: KeyDep, body: OpenJobRequest) -> Opened:
    """Open a job for a set from a sheet; with a seed or a condition it is a simulated
    one."""
    condition = condition_for(
        workshop, body.sheet_id, body.simulated_seed, body.simulated_condition
    )
    command = OpenCommand(
        body.sheet_id, body.set_name, body.serial, condition, body.network, body.set_id
    )
    return Opened(id=open_job(workshop, key, command))


@router.get("/{job_id}", operation_id="getJob")
def get_job(
    workshop: WorkshopDep, job_id: JobId, step: Annotated[str | None, Query(max_length=80)] = None
) -> JobShape:
    """A job with its scale, its log, and one step in full (the next, unless another is named)."""
    return JobShape.of(job_view(workshop, job_id), step)


@router.get("/{job_id}/report", operation_id="getReport")
def get_report(workshop: WorkshopDep, job_id: JobId) -> ReportShape:
    """The report as it stands."""
    view, report = job_report(workshop, job_id)
    return ReportShape.of(view, report)


@router.get("/{job_id}/readings.csv", operation_id="getReadings", response_class=PlainTextResponse)
def get_readings(workshop: WorkshopDep, job_id: JobId) -> PlainTextResponse:
    """Every reading of the job, SI units, as CSV."""
    name = f'attachment; filename="job-{job_id}-readings.csv"'
    return PlainTextResponse(
        readings_csv(workshop, job_id),
        media_type="text/csv",
        headers={"content-disposition": name},
    )


@router.get("/{job_id}/document", operation_id="getJobDocument", response_class=JSONResponse)
def get_document(workshop: WorkshopDep, job_id: JobId) -> JSONResponse:
    """The whole job as one open file: sheet, record, registers."""
    name = f'attachment; filename="job-{job_id}.json"'
    return JSONResponse(job_document(workshop, job_id), headers={"content-disposition": name})
