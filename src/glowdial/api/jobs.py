"""Jobs: the shelf, opening, and one job as its page shows it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from glowdial.api.base.pictures import PrintedScaleShape
from glowdial.api.base.visits import VisitShape
from glowdial.api.base.wiring import (
    Body,
    JobId,
    KeyDep,
    Moment,
    Opened,
    ShortText,
    WorkshopDep,
    plain_json,
)
from glowdial.api.push import EVENTS, until_known
from glowdial.api.steps import AskShape, StageStepShape, StepShape, step_shape
from glowdial.core.journey.record import CHANGEABLES
from glowdial.core.journey.steps import find_ask
from glowdial.core.language.errors import NotFound
from glowdial.core.safety.signs import Sign
from glowdial.core.stages.intake.registers import PARKED, PARKED_FORM
from glowdial.workshop.base.inference import try_again
from glowdial.workshop.base.jobs import (
    HAND,
    LINK_WORDS,
    SIMULATED,
    JobPage,
    OpenCommand,
    ShelfLine,
    job_page,
    open_job,
    shelf,
)
from glowdial.workshop.base.log import LogLine
from glowdial.workshop.base.times import text_with_zone
from glowdial.workshop.simulated import condition_for

router = APIRouter(prefix="/api/jobs", tags=["jobs"])


class StageShape(BaseModel):
    stage: str
    steps: int
    finished: int
    trouble: str


class ShelfShape(BaseModel):
    job_id: int
    set_name: str
    title: str
    link: str
    link_words: str
    stages: list[StageShape]
    next_title: str
    next_stage: str
    trouble: str = Field(description="what was found outside and is not settled, or nothing")
    waits_for: list[str] = Field(description="what somebody else has to bring")
    photo_id: int | None = Field(description="a photo of the set")
    face: list[PrintedScaleShape] = Field(description="the set's scales, from its sheet")
    touched_at: Moment
    days_untouched: int
    closed: bool

    @classmethod
    def of(cls, line: ShelfLine) -> ShelfShape:
        """From the workshop's line."""
        return cls(
            job_id=line.job_id,
            set_name=line.set_name,
            title=line.title,
            link=line.link,
            link_words=LINK_WORDS[line.link],
            stages=[StageShape(**s) for s in line.standing["stages"]],
            next_title=line.standing["next_title"],
            next_stage=line.standing["next_stage"],
            # a line that an older version kept has less
            trouble=line.standing.get("trouble", ""),
            waits_for=line.standing.get("waits_for", []),
            photo_id=line.standing.get("photo") or None,
            face=line.standing.get("face", []),
            touched_at=line.touched_at,
            days_untouched=line.days_untouched,
            closed=line.closed,
        )


class ShelfPage(BaseModel):
    jobs: list[ShelfShape]
    cursor: int | None


class StepLine(BaseModel):
    """A step on the scale."""

    key: str
    stage: str
    title: str
    status: str
    finished: bool


class TemporaryShape(BaseModel):
    id: int
    what: str
    place: str
    wanted_under_power: bool
    on: bool


class SwitchedShape(BaseModel):
    id: int
    what: str
    off: bool


class LogShape(BaseModel):
    seq: int
    at: str
    kind: str
    step: str
    text: str
    verdict: str
    words: str
    struck: bool
    can_withdraw: bool

    @classmethod
    def of(cls, line: LogLine) -> LogShape:
        """From the workshop's line."""
        return cls(
            seq=line.seq,
            at=text_with_zone(line.at),
            kind=line.kind,
            step=line.step,
            text=line.text,
            verdict=line.verdict,
            words=line.words,
            struck=line.struck,
            can_withdraw=line.can_withdraw,
        )


class AlarmShape(BaseModel):
    """The alarm that stands: since when, for what, and whether it is switched off."""

    since: str
    reasons: list[str]
    switched_off: bool


class AdjusterShape(BaseModel):
    key: str
    name: str


class JobShape(BaseModel):
    """A job as its page shows it."""

    job_id: int
    version: int
    set_name: str
    title: str
    link: str
    opened_at: Moment
    closed_at: Moment | None
    stages: list[StageShape]
    steps: list[StepLine]
    next_step: str
    step: StepShape | None
    temporaries: list[TemporaryShape]
    switched_off: list[SwitchedShape]
    changeables: list[str]
    adjusters: list[AdjusterShape]
    log: list[LogShape]
    set_id: int
    visits: list[VisitShape]
    parked: int
    thinking: bool
    by_hand: bool
    bench_turns: bool
    link_words: str
    alarm: AlarmShape | None
    signs: list[str]

    @classmethod
    def of(cls, view: JobPage, step_key: str | None) -> JobShape:
        """From the workshop's view, with one step in full: the one asked for, else the next."""
        keys = {s.key for s in view.journey.steps}
        key = step_key if step_key in keys else view.journey.next_key
        alarm = view.record.alarm
        shown = view.journey.step(key or view.journey.steps[-1].key)
        return cls(
            job_id=view.job_id,
            version=view.version,
            set_name=view.set_name,
            title=view.title,
            link=view.link,
            opened_at=view.opened_at,
            closed_at=view.closed_at,
            stages=[
                StageShape(stage=s.stage, steps=s.steps, finished=s.finished, trouble=s.trouble)
                for s in view.journey.stages()
            ],
            steps=[
                StepLine(
                    key=s.key,
                    stage=s.stage,
                    title=s.title,
                    status=s.status.value,
                    finished=s.status.finished,
                )
                for s in view.journey.steps
            ],
            next_step=view.journey.next_key,
            set_id=view.set_id,
            thinking=view.journey.thinking,
            by_hand=view.link == HAND,
            bench_turns=view.link == SIMULATED,
            link_words=LINK_WORDS[view.link],
            alarm=AlarmShape(
                since=text_with_zone(alarm.since),
                reasons=list(alarm.reasons),
                switched_off=alarm.switched_off,
            )
            if alarm
            else None,
            signs=[s.value for s in Sign],
            visits=[VisitShape.of(v) for v in view.visits],
            parked=sum(PARKED_FORM.waits(e) for e in view.record.register(PARKED)),
            step=step_shape(view, shown, view.working_day),
            temporaries=[
                TemporaryShape(
                    id=int(t.key),
                    what=t.what,
                    place=t.where,
                    wanted_under_power=t.wanted_under_power,
                    on=t.on,
                )
                for t in view.record.temporaries
            ],
            switched_off=[
                SwitchedShape(id=int(s.key), what=s.what, off=s.off)
                for s in view.record.switched_off
            ],
            changeables=list(CHANGEABLES),
            adjusters=[AdjusterShape(key=a.key, name=a.name) for a in view.facts.adjusters],
            log=[LogShape.of(line) for line in view.log],
        )


class OpenJobRequest(Body):
    sheet_id: int = Field(ge=1, le=2**53, examples=[1])
    set_name: ShortText = Field(examples=["Reading room receiver"])
    serial: ShortText = ""
    set_id: int | None = Field(
        default=None, ge=1, le=2**53, description="a set that was here before"
    )
    simulated_seed: int | None = Field(
        default=None, ge=0, le=2**31, description="with a seed, the set is a simulated one"
    )
    simulated_condition: str = Field(
        default="",
        max_length=200_000,
        description="a condition document as JSON text, instead of a seed",
        examples=['{"seed": 7, "faults": [{"kind": "device", "stage": "V2", "strength": 0.4}]}'],
    )
    network: bool = Field(default=False, description="readings from the bench's instruments too")


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


@router.get("/{job_id}", operation_id="getJob", response_model=JobShape)
def get_job(
    workshop: WorkshopDep, job_id: JobId, step: Annotated[str | None, Query(max_length=80)] = None
) -> Response:
    """A job with its scale, its log, and one step in full (the next, unless another is named)."""
    return plain_json(JobShape.of(job_page(workshop, job_id), step))


class StagePage(BaseModel):
    set_name: str
    stage: str
    steps: list[StageStepShape]


@router.get("/{job_id}/stages/{stage}", operation_id="getStage")
def get_stage(
    workshop: WorkshopDep, job_id: JobId, stage: Annotated[str, Path(max_length=40)]
) -> StagePage:
    """All steps of a stage with their results, at a glance."""
    view = job_page(workshop, job_id)
    steps = view.journey.of_stage(stage)
    return StagePage(
        set_name=view.set_name, stage=stage, steps=[StageStepShape.of(view, s) for s in steps]
    )


@router.get("/{job_id}/questions", operation_id="getQuestion")
def get_question(
    workshop: WorkshopDep,
    job_id: JobId,
    step: Annotated[str, Query(max_length=80, examples=["faults.trace.1"])],
    ask: Annotated[str, Query(max_length=120, examples=["volts V2"])],
) -> AskShape:
    """A question that a step takes beside those that it lists: any test of fault tracing."""
    found = find_ask(job_page(workshop, job_id).journey.standing(step), ask)
    if found is None:
        raise NotFound("question", ask)
    return AskShape.of(found)


@router.get("/{job_id}/known", operation_id="awaitKnown", response_class=StreamingResponse)
async def await_known(workshop: WorkshopDep, request: Request, job_id: JobId) -> StreamingResponse:
    """One event when nothing of the job is being worked out any more: then it is read anew."""
    return StreamingResponse(until_known(workshop, request, job_id), media_type=EVENTS)


@router.post("/{job_id}/known", operation_id="tryAgain", status_code=204)
def try_to_know(workshop: WorkshopDep, job_id: JobId) -> None:
    """Have what could not be worked out tried again; nothing is entered."""
    job_page(workshop, job_id)
    try_again(workshop.memory)
