"""One step as the interface sends it: question, results, plot, cautions."""

from __future__ import annotations

from pydantic import BaseModel, Field

from glowdial.api.base.pictures import (
    ChainPictureShape,
    ChassisPictureShape,
    DiagramPictureShape,
    PeakTraceShape,
    PlotShape,
    ReadingTableShape,
    ScalePictureShape,
    SupplyPictureShape,
)
from glowdial.core.journey import steps as journey_steps
from glowdial.core.journey.steps import Ask, Result, Status, Step
from glowdial.core.model.facts import Gap
from glowdial.core.plan.gates import missing_cautions, reminded_cautions
from glowdial.core.safety.cautions import Danger, caution
from glowdial.core.stages.intake.steps import VISITS_PANEL
from glowdial.workshop.base.jobs import JobPage
from glowdial.workshop.base.log import said_in


class FieldShape(BaseModel):
    name: str
    label: str
    unit: str
    options: list[str]
    required: bool
    multiline: bool
    table: bool

    @classmethod
    def of(cls, field: journey_steps.Field) -> FieldShape:
        """From the journey's field."""
        return cls(
            name=field.name,
            label=field.label,
            unit=field.quantity.bare if field.quantity else "",
            options=list(field.options),
            required=field.required,
            multiline=field.multiline,
            table=field.table,
        )


class AskShape(BaseModel):
    """A question: ``key`` tells it apart within its step, ``called`` is its short word."""

    key: str
    called: str
    prompt: str
    fields: list[FieldShape]
    example: str
    expected_text: str
    expected_low: float | None
    expected_high: float | None
    confirm: bool
    measurable: bool
    series: bool = Field(description="the next of its kind is asked for when it is answered")
    listens: bool = Field(description="what the computer's microphone hears may answer it")
    swept: str = Field(description="what a simulated bench shows as a curve: a core, or a trace")

    @classmethod
    def of(cls, ask: Ask) -> AskShape:
        """From the journey's question."""
        return cls(
            key=ask.name,
            called=ask.called or ask.key,
            prompt=ask.prompt,
            fields=[FieldShape.of(f) for f in ask.fields],
            example=ask.example,
            expected_text=ask.expected_text,
            expected_low=ask.expected.low if ask.expected else None,
            expected_high=ask.expected.high if ask.expected else None,
            confirm=ask.confirm,
            measurable=ask.recipe is not None,
            series=ask.series,
            listens=ask.listens,
            swept=ask.swept,
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


class GapShape(BaseModel):
    what: str
    instead: str
    stage: str

    @classmethod
    def of(cls, gap: Gap) -> GapShape:
        """From the core's gap."""
        return cls(what=gap.what, instead=gap.instead, stage=gap.stage)


class SaidShape(BaseModel):
    """Something that was entered in a step."""

    seq: int
    at: str
    text: str
    verdict: str
    words: str


class StepShape(BaseModel):
    key: str
    stage: str
    title: str
    reason: str
    status: str
    status_words: str
    shouts: bool
    blocked: bool
    thinking: bool
    failed: str = Field(description="why what it tells could not be worked out; empty if it could")
    closable: bool
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
    closed_because: str
    plot: PlotShape | None
    picture: SupplyPictureShape | None
    table: ReadingTableShape | None
    scale: ScalePictureShape | None
    chain: ChainPictureShape | None
    chassis: ChassisPictureShape | None
    diagram: DiagramPictureShape | None
    trace: PeakTraceShape | None
    gaps: list[GapShape]
    others: list[AskShape]
    panels: list[str]
    reminded: list[str]
    said: list[SaidShape] = Field(description="what was entered in it, oldest first")


def step_shape(view: JobPage, step: Step, since: str) -> StepShape:
    """A step in full, with the cautions that still wait since then; of the others a reminder. Of a
    set that was handed over none waits: nothing can be done on it but read."""
    waiting = () if view.closed_at else missing_cautions(step, view.record, since)
    return StepShape(
        key=step.key,
        stage=step.stage,
        title=step.title,
        reason=step.reason,
        status=step.status.value,
        status_words=step.status.words if step.status is not Status.OPEN else "",
        shouts=step.status.shouts,
        blocked=step.status is Status.BLOCKED,
        thinking=step.thinking,
        failed=step.failed,
        closable=step.closable,
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
        closed_because=step.closed_because,
        plot=PlotShape.of(step.plot) if step.plot else None,
        picture=SupplyPictureShape.of(step.picture) if step.picture else None,
        table=ReadingTableShape.of(step.table) if step.table else None,
        scale=ScalePictureShape.of(step.scale) if step.scale else None,
        chain=ChainPictureShape.of(step.chain) if step.chain else None,
        chassis=ChassisPictureShape.of(step.chassis) if step.chassis else None,
        diagram=DiagramPictureShape.of(step.diagram) if step.diagram else None,
        trace=PeakTraceShape.of(step.trace) if step.trace else None,
        gaps=[GapShape.of(g) for g in view.facts.gaps if g.stage == step.stage],
        others=[AskShape.of(a) for a in step.others],
        panels=[p for p in step.panels if p != VISITS_PANEL or view.visits],
        reminded=list(reminded_cautions(step, view.record, since)),
        said=[
            SaidShape(seq=m.seq, at=m.at, text=m.text, verdict=m.verdict, words=m.words)
            for m in said_in(view.record, step)
        ],
    )


class StageStepShape(BaseModel):
    """A step of a stage at a glance: how it stands, what it found, what was said in it."""

    key: str
    title: str
    status_words: str
    shouts: bool
    finished: bool
    results: list[ResultShape]
    notes: list[str]
    said: list[str] = Field(description="what was entered in it, oldest first")
    closed_because: str

    @classmethod
    def of(cls, view: JobPage, step: Step) -> StageStepShape:
        """From a job's step and its log."""
        return cls(
            key=step.key,
            title=step.title,
            status_words=step.status.words if step.status is not Status.OPEN else "",
            shouts=step.status.shouts,
            finished=step.status.finished,
            results=[ResultShape.of(r) for r in step.results],
            notes=list(step.notes),
            said=[line.text for line in said_in(view.record, step)],
            closed_because=step.closed_because,
        )
