"""The bench of a job: live values, measuring what a step asks, turning an adjuster."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import StreamingResponse

from glowdial.api.live import live
from glowdial.api.requests import MeasureRequest, TurnRequest
from glowdial.api.shapes import BenchShape, MeasuredShape, Stopped, TurnedShape
from glowdial.api.wiring import KeyDep, WorkshopDep
from glowdial.core.bench.watch import guard_of
from glowdial.workshop.bench_work import bench_view, measure, turn
from glowdial.workshop.instruments import stop_outputs
from glowdial.workshop.writing import Stamp

router = APIRouter(prefix="/api/jobs/{job_id}/bench", tags=["bench"])
GuardText = Annotated[str, Query(max_length=40)]
JobId = Annotated[int, Path(ge=1, le=2**53)]


@router.get("", operation_id="getBench")
def get_bench(workshop: WorkshopDep, job_id: JobId) -> BenchShape:
    """What is connected, and live values."""
    return BenchShape.of(bench_view(workshop, job_id))


@router.get("/live", operation_id="getLive", response_class=StreamingResponse)
async def get_live(
    workshop: WorkshopDep,
    request: Request,
    job_id: JobId,
    guard: GuardText = "",
    low: GuardText = "",
    high: GuardText = "",
) -> StreamingResponse:
    """Live values of the bench's multimeter with the peak held, pushed until the page goes.

    With ``guard`` ("b-plus" or "line current") that value is watched between ``low`` and ``high``.
    """
    watched = guard_of(guard, low, high) if guard else None
    events = live(workshop, request, job_id, watched)
    return StreamingResponse(events, media_type="text/event-stream")


@router.post("/stop", operation_id="stopOutputs")
def stop(workshop: WorkshopDep, job_id: JobId) -> Stopped:
    """Switch every output off at once; what could not be is said."""
    return Stopped(failed=list(stop_outputs(workshop, job_id)))


@router.post("/measurements", operation_id="postMeasurement", status_code=201)
def post_measurement(
    workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: MeasureRequest
) -> MeasuredShape:
    """Do at the bench what the step's question asks; the line comes back to be entered."""
    stamp = Stamp(key, body.version)
    return MeasuredShape(**measure(workshop, job_id, stamp, body.step, body.ask))


@router.post("/turns", operation_id="postTurn", status_code=201)
def post_turn(workshop: WorkshopDep, job_id: JobId, key: KeyDep, body: TurnRequest) -> TurnedShape:
    """Turn the step's adjuster, clockwise positive."""
    return TurnedShape(**turn(workshop, job_id, Stamp(key, body.version), body.step, body.turns))
