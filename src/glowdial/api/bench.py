"""The bench of a job: live values, measuring what a step asks, turning an adjuster."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from glowdial.api.base.pictures import PeakTraceShape, PlotShape
from glowdial.api.base.wiring import Body, JobId, KeyDep, ShortText, Version, WorkshopDep
from glowdial.api.push import EVENTS, live
from glowdial.core.bench.movements import TURN_STEPS
from glowdial.core.bench.watch import WATCHED, guard_of
from glowdial.core.language.quantities import engineering, turn_entry
from glowdial.workshop.base.jobs import LINK_WORDS, SIMULATED
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.bench_work import BenchView, bench_view, measure, turn
from glowdial.workshop.instruments import stop_outputs
from glowdial.workshop.sweeping import swept_view

router = APIRouter(prefix="/api/jobs/{job_id}/bench", tags=["bench"])
GuardText = Annotated[str, Query(max_length=40)]


class MeasureRequest(Body):
    version: Version
    step: ShortText
    ask: ShortText = Field(default="", description="another of the step's questions than the first")


class TurnRequest(Body):
    version: Version
    step: ShortText
    turns: float = Field(ge=-5, le=5, examples=[0.0625])


class MeasuredShape(BaseModel):
    """What the bench measured, as the line to enter."""

    version: int
    line: str
    remarks: list[str]


class Stopped(BaseModel):
    """What could not be switched off; empty when all outputs are off."""

    failed: list[str]


class TurnedShape(BaseModel):
    """Where a turn led."""

    version: int
    avc: float
    held: float
    words: str


class MeterShape(BaseModel):
    key: str
    label: str
    value: float
    text: str


class TurnStep(BaseModel):
    """A press of a key, in turns clockwise, and how it is said."""

    turns: float
    words: str
    large: bool


class Watchable(BaseModel):
    """A value that may be watched through every step."""

    value: str
    label: str


TURNS = [
    TurnStep(
        turns=sign * amount, words=turn_entry(amount).lstrip("+"), large=amount == max(TURN_STEPS)
    )
    for sign in (-1.0, 1.0)
    for amount in (TURN_STEPS if sign > 0 else TURN_STEPS[::-1])
]
WATCHABLE = [
    Watchable(value=key, label=f"{w.label} in {w.quantity.bare}") for key, w in WATCHED.items()
]


class GuardShape(BaseModel):
    """The guard reading."""

    label: str
    text: str
    alarm: bool
    words: str


class LiveShape(BaseModel):
    """One live reading: of what, how it is shown and typed, the peak held, where it stands, the
    pitch that follows it, whether that must be heard, and the guard reading."""

    label: str
    value: float
    text: str
    typed: str
    held: float
    held_text: str
    words: str
    tone_hz: float
    must_sound: bool
    guard: GuardShape | None


class BenchShape(BaseModel):
    """The bench panel."""

    link: str
    link_words: str
    turn_steps: list[TurnStep]
    watchable: list[Watchable]
    generator: str
    dial: str
    meters: list[MeterShape]
    held_step: str
    held: str
    peak_words: str
    turned: str
    trace: PeakTraceShape | None

    @classmethod
    def of(cls, view: BenchView) -> BenchShape:
        """From the workshop's view."""
        return cls(
            link=view.link,
            link_words=LINK_WORDS[view.link],
            turn_steps=TURNS if view.link == SIMULATED else [],
            watchable=WATCHABLE,
            generator=view.generator,
            dial=view.dial,
            held_step=view.held_step,
            held=engineering(view.held_v, "V") if view.held_v is not None else "",
            peak_words=view.peak_words,
            turned=view.turned,
            trace=PeakTraceShape.of(view.trace) if view.trace else None,
            meters=[
                MeterShape(key=m.key, label=m.label, value=m.value, text=m.text)
                for m in view.meters
            ],
        )


@router.get("", operation_id="getBench")
def get_bench(workshop: WorkshopDep, job_id: JobId) -> BenchShape:
    """What is connected, and live values."""
    return BenchShape.of(bench_view(workshop, job_id))


LIVE_ANSWER: dict[int | str, dict[str, Any]] = {
    200: {"model": LiveShape, "description": "each event's data; the last may be a trouble's"}
}


@router.get(
    "/live",
    operation_id="getLive",
    response_class=StreamingResponse,
    responses=LIVE_ANSWER,
)
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
    return StreamingResponse(events, media_type=EVENTS)


class SweptShape(BaseModel):
    """A simulated set's response: the drawing, the samples as a table, what it shows in words, and
    the turn as it is typed."""

    plot: PlotShape | None
    table: str
    words: str
    typed: str


@router.get("/sweep", operation_id="getSweep")
def get_sweep(
    workshop: WorkshopDep,
    job_id: JobId,
    step: Annotated[str, Query(max_length=200)],
    ask: Annotated[str, Query(max_length=200)],
    core: Annotated[str, Query(max_length=80)] = "",
    turns: Annotated[float, Query(ge=-5, le=5)] = 0.0,
) -> SweptShape:
    """The simulated set's curve with a core turned by so much; nothing is turned by asking."""
    view = swept_view(workshop, job_id, step, ask, core, turns)
    return SweptShape(
        plot=PlotShape.of(view.plot) if view.plot else None,
        table=view.table,
        words=view.words,
        typed=view.typed,
    )


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
