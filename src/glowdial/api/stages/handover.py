"""What leaves with the set: the report, the readings, and the whole job as files."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from glowdial.api.base.pictures import (
    PlotShape,
    ReadingTableShape,
    ScalePictureShape,
    SupplyPictureShape,
)
from glowdial.api.base.visits import VisitShape
from glowdial.api.base.wiring import CsvAnswer, JobId, Moment, WorkshopDep
from glowdial.workshop.base.jobs import job_report
from glowdial.workshop.export import (
    correction_card_csv,
    job_document,
    readings_csv,
    stations_csv,
)

router = APIRouter(prefix="/api/jobs/{job_id}", tags=["handover"])


class ReportRowShape(BaseModel):
    what: str
    specified: str
    found: str
    left: str
    verdict: str
    words: str


class LedgerShape(BaseModel):
    adjuster: str
    turns: str


class ReportPictureShape(BaseModel):
    """A picture of the printed page, of one of the kinds that a step shows."""

    title: str
    picture: SupplyPictureShape | None
    table: ReadingTableShape | None
    scale: ScalePictureShape | None
    plot: PlotShape | None


class ReportShape(BaseModel):
    """The printable page."""

    job_id: int
    set_name: str
    title: str
    opened_at: Moment
    closed_at: Moment | None
    rows: list[ReportRowShape]
    story: list[str]
    ledger: list[LedgerShape]
    decisions: list[str]
    changes: list[str]
    still_on: list[str]
    not_settled: list[str]
    gaps: list[str]
    cautions: list[str]
    next_check: str
    modifications: list[str]
    waiting: list[str]
    visits: list[VisitShape]
    # a report that was told by an older version has none
    pictures: list[ReportPictureShape] = Field(default_factory=list)
    photo_id: int = Field(default=0, description="of the set; 0 where there is none")


@router.get("/report", operation_id="getReport")
def get_report(workshop: WorkshopDep, job_id: JobId) -> ReportShape:
    """The report as it stands; of a job that was handed over, as it was told."""
    return ReportShape.model_validate(job_report(workshop, job_id))


@router.get("/readings.csv", operation_id="getReadings", response_class=CsvAnswer)
def get_readings(workshop: WorkshopDep, job_id: JobId) -> CsvAnswer:
    """Every reading of the job, SI units, as CSV."""
    name = f'attachment; filename="job-{job_id}-readings.csv"'
    return CsvAnswer(
        readings_csv(workshop, job_id),
        headers={"content-disposition": name},
    )


@router.get("/correction-card.csv", operation_id="getCorrectionCard", response_class=CsvAnswer)
def get_correction_card(workshop: WorkshopDep, job_id: JobId) -> CsvAnswer:
    """What comes in where the dial says what, for every band whose dial was read, as CSV."""
    name = f'attachment; filename="job-{job_id}-correction-card.csv"'
    return CsvAnswer(
        correction_card_csv(workshop, job_id),
        headers={"content-disposition": name},
    )


@router.get("/stations.csv", operation_id="getStations", response_class=CsvAnswer)
def get_stations(workshop: WorkshopDep, job_id: JobId) -> CsvAnswer:
    """The stations that were listed in the job, and what was heard of them, as CSV."""
    return CsvAnswer(
        stations_csv(workshop, job_id),
        headers={"content-disposition": f'attachment; filename="job-{job_id}-stations.csv"'},
    )


@router.get("/document", operation_id="getJobDocument", response_class=JSONResponse)
def get_document(workshop: WorkshopDep, job_id: JobId) -> JSONResponse:
    """The whole job as one open file: sheet, record, registers."""
    name = f'attachment; filename="job-{job_id}.json"'
    return JSONResponse(job_document(workshop, job_id), headers={"content-disposition": name})
