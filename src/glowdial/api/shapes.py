"""What the interface sends and takes, as Pydantic models. Requests refuse unknown keys."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from glowdial.core.journey.plan import missing_cautions
from glowdial.core.journey.record import CHANGEABLES
from glowdial.core.journey.report import Report
from glowdial.core.journey.steps import Ask, Plot, Result, Step
from glowdial.core.receiver import Gap
from glowdial.core.safety import Danger, caution
from glowdial.workshop.benches import BenchView
from glowdial.workshop.jobs import JobView, LogLine, ShelfLine

ShortText = Annotated[str, Field(max_length=200)]
LongText = Annotated[str, Field(max_length=4000)]
Version = Annotated[int, Field(ge=0, description="the job's version that the page had read")]


class Request(BaseModel):
    """A request body."""

    model_config = ConfigDict(extra="forbid")


class OpenJobRequest(Request):
    sheet_id: int = Field(examples=[1])
    set_name: ShortText = Field(examples=["Reading room receiver"])
    serial: ShortText = ""
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


class AnswerRequest(Request):
    version: Version
    step: ShortText = Field(examples=["bring-up.ramp"])
    ask: ShortText = Field(examples=["100"])
    line: LongText | None = Field(default=None, examples=["230 221"])
    fields: dict[ShortText, LongText] = Field(default_factory=dict)
    confirmed: bool = False
    captured: bool = False


class PreviewRequest(Request):
    step: ShortText
    ask: ShortText
    line: LongText = Field(examples=["230 221"])


class Preview(BaseModel):
    """What is understood of a typed line."""

    echo: str


class AcknowledgeRequest(Request):
    version: Version
    step: ShortText
    danger: ShortText


class CloseRequest(Request):
    version: Version
    step: ShortText
    reason: LongText
    decided_by: ShortText


class TemporaryRequest(Request):
    version: Version
    what: ShortText = Field(examples=["jumper"])
    place: ShortText = Field(examples=["V2 grid to chassis"])
    wanted_under_power: bool = False


class ChangeRequest(Request):
    version: Version
    what: ShortText = Field(examples=["supply"])
    note: LongText = Field(examples=["first filter capacitor renewed"])


class MoveRequest(Request):
    version: Version
    step: ShortText = ""
    adjuster: ShortText
    turns: str = Field(max_length=40, examples=["+3/8"])


class WithdrawRequest(Request):
    version: Version
    seq: int


class NoteRequest(Request):
    version: Version
    step: ShortText = ""
    text: LongText


class VersionRequest(Request):
    version: Version


class MeasureRequest(Request):
    version: Version
    step: ShortText


class TurnRequest(Request):
    version: Version
    step: ShortText
    turns: float = Field(ge=-5, le=5, examples=[0.0625])


class Written(BaseModel):
    """The answer to a write."""

    version: int
    echo: str = ""
    verdict: str = ""
    words: str = ""
    next_step: str = ""
    cost: str = ""


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
    stages: list[StageShape]
    next_title: str
    next_stage: str
    touched_at: datetime
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
            stages=[StageShape(**s) for s in line.standing["stages"]],
            next_title=line.standing["next_title"],
            next_stage=line.standing["next_stage"],
            touched_at=line.touched_at,
            days_untouched=line.days_untouched,
            closed=line.closed,
        )


class ShelfPage(BaseModel):
    jobs: list[ShelfShape]
    cursor: int | None


class FieldShape(BaseModel):
    name: str
    label: str
    unit: str
    options: list[str]
    required: bool
    multiline: bool


class AskShape(BaseModel):
    key: str
    prompt: str
    fields: list[FieldShape]
    example: str
    expected_text: str
    expected_low: float | None
    expected_high: float | None
    confirm: bool
    measurable: bool

    @classmethod
    def of(cls, ask: Ask) -> AskShape:
        """From the journey's question."""
        return cls(
            key=ask.key,
            prompt=ask.prompt,
            fields=[
                FieldShape(
                    name=f.name,
                    label=f.label,
                    unit=f.quantity.bare if f.quantity else "",
                    options=list(f.options),
                    required=f.required,
                    multiline=f.multiline,
                )
                for f in ask.fields
            ],
            example=ask.example,
            expected_text=ask.expected_text,
            expected_low=ask.expected.low if ask.expected else None,
            expected_high=ask.expected.high if ask.expected else None,
            confirm=ask.confirm,
            measurable=ask.recipe is not None,
        )


class ResultShape(BaseModel):
    label: str
    text: str
    value: float | None
    low: float | None
    high: float | None
    low_text: str
    high_text: str
    verdict: str
    words: str
    seq: int
    stale: bool
    as_found: bool

    @classmethod
    def of(cls, found: Result) -> ResultShape:
        """From the journey's result."""
        window = found.window
        return cls(
            label=found.label,
            text=found.text,
            value=found.value,
            low=window.low if window else None,
            high=window.high if window else None,
            low_text=found.low_text,
            high_text=found.high_text,
            verdict=found.judgement.verdict.value,
            words=found.judgement.words,
            seq=found.seq,
            stale=found.stale,
            as_found=found.as_found,
        )


class LeadShape(BaseModel):
    source: str
    through: str
    to: str


class CautionShape(BaseModel):
    danger: str
    sentences: list[str]


class PlotLineShape(BaseModel):
    label: str
    role: str
    x: list[float]
    y: list[float | None]


class PlotShape(BaseModel):
    title: str
    x_label: str
    y_label: str
    lines: list[PlotLineShape]
    tolerance: float | None

    @classmethod
    def of(cls, plot: Plot) -> PlotShape:
        """From the journey's plot."""
        return cls(
            title=plot.title,
            x_label=plot.x_label,
            y_label=plot.y_label,
            tolerance=plot.tolerance,
            lines=[
                PlotLineShape(label=p.label, role=p.role, x=list(p.x), y=list(p.y))
                for p in plot.lines
            ],
        )


class GapShape(BaseModel):
    what: str
    instead: str
    stage: str

    @classmethod
    def of(cls, gap: Gap) -> GapShape:
        """From the core's gap."""
        return cls(what=gap.what, instead=gap.instead, stage=gap.stage)


class StepShape(BaseModel):
    key: str
    stage: str
    title: str
    reason: str
    status: str
    ask: AskShape | None
    retake: bool
    results: list[ResultShape]
    advice: list[str]
    notes: list[str]
    blocked_by: list[str]
    leads: list[LeadShape]
    controls: list[str]
    cautions: list[CautionShape]
    powered: bool
    adjuster: str | None
    cost: str
    leave: bool
    closed_because: str
    plot: PlotShape | None
    gaps: list[GapShape]


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
    at: datetime
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
            at=line.at,
            kind=line.kind,
            step=line.step,
            text=line.text,
            verdict=line.verdict,
            words=line.words,
            struck=line.struck,
            can_withdraw=line.can_withdraw,
        )


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
    opened_at: datetime
    closed_at: datetime | None
    stages: list[StageShape]
    steps: list[StepLine]
    next_step: str
    step: StepShape | None
    temporaries: list[TemporaryShape]
    switched_off: list[SwitchedShape]
    changeables: list[str]
    adjusters: list[AdjusterShape]
    log: list[LogShape]

    @classmethod
    def of(cls, view: JobView, step_key: str | None) -> JobShape:
        """From the workshop's view, with one step in full: the one asked for, else the next."""
        keys = {s.key for s in view.journey.steps}
        key = step_key if step_key in keys else view.journey.next_key
        shown = view.journey.step(key) if key else view.journey.steps[-1]
        return cls(
            job_id=view.job_id,
            version=view.version,
            set_name=view.set_name,
            title=view.title,
            link=view.link,
            opened_at=view.opened_at,
            closed_at=view.closed_at,
            stages=[
                StageShape(
                    stage=s.stage.value, steps=s.steps, finished=s.finished, trouble=s.trouble
                )
                for s in view.journey.stages()
            ],
            steps=[
                StepLine(
                    key=s.key,
                    stage=s.stage.value,
                    title=s.title,
                    status=s.status.value,
                    finished=s.status.finished,
                )
                for s in view.journey.steps
            ],
            next_step=view.journey.next_key,
            step=step_shape(view, shown),
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


def step_shape(view: JobView, step: Step) -> StepShape:
    """A step in full, with the cautions that still wait."""
    waiting = missing_cautions(step, view.record)
    return StepShape(
        key=step.key,
        stage=step.stage.value,
        title=step.title,
        reason=step.reason,
        status=step.status.value,
        ask=AskShape.of(step.ask) if step.ask else None,
        retake=step.retake,
        results=[ResultShape.of(r) for r in step.results],
        advice=list(step.advice),
        notes=list(step.notes),
        blocked_by=list(step.blocked_by),
        leads=[LeadShape(source=x.source, through=x.through, to=x.to) for x in step.leads],
        controls=list(step.controls),
        cautions=[
            CautionShape(danger=d, sentences=list(caution(Danger(d), view.facts).sentences))
            for d in waiting
        ],
        powered=step.powered,
        adjuster=step.adjuster,
        cost=step.cost,
        leave=step.leave,
        closed_because=step.closed_because,
        plot=PlotShape.of(step.plot) if step.plot else None,
        gaps=[GapShape.of(g) for g in view.facts.gaps if g.stage == step.stage.value],
    )


class MeterShape(BaseModel):
    key: str
    label: str
    value: float
    text: str


class BenchShape(BaseModel):
    """The bench panel."""

    link: str
    generator: str
    dial: str
    meters: list[MeterShape]
    held_step: str
    held_v: float | None
    peak_words: str
    turned: str

    @classmethod
    def of(cls, view: BenchView) -> BenchShape:
        """From the workshop's view."""
        return cls(
            link=view.link,
            generator=view.generator,
            dial=view.dial,
            held_step=view.held_step,
            held_v=view.held_v,
            peak_words=view.peak_words,
            turned=view.turned,
            meters=[
                MeterShape(key=m.key, label=m.label, value=m.value, text=m.text)
                for m in view.meters
            ],
        )


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


class ReportShape(BaseModel):
    """The printable page."""

    job_id: int
    set_name: str
    title: str
    opened_at: datetime
    closed_at: datetime | None
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

    @classmethod
    def of(cls, view: JobView, report: Report) -> ReportShape:
        """From the core's report."""
        return cls(
            job_id=view.job_id,
            set_name=view.set_name,
            title=report.title,
            opened_at=view.opened_at,
            closed_at=view.closed_at,
            rows=[
                ReportRowShape(
                    what=r.what,
                    specified=r.specified,
                    found=r.found,
                    left=r.left,
                    verdict=r.verdict,
                    words=r.words,
                )
                for r in report.rows
            ],
            story=list(report.story),
            ledger=[LedgerShape(adjuster=x.adjuster, turns=x.turns) for x in report.ledger],
            decisions=list(report.decisions),
            changes=list(report.changes),
            still_on=list(report.still_on),
            not_settled=list(report.not_settled),
            gaps=list(report.gaps),
            cautions=list(report.cautions),
            next_check=report.next_check,
        )


class SheetShape(BaseModel):
    """A sheet in the list."""

    id: int
    maker: str
    model: str
    version: int


class SheetDocument(SheetShape):
    """A sheet with its document and what it does not say."""

    document: dict[str, Any]
    gaps: list[GapShape]


class Opened(BaseModel):
    """A new record's number."""

    id: int


class Health(BaseModel):
    """Whether the server is up."""

    status: str
    version: str
