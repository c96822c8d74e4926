"""What the interface sends of shelf, job, bench, report and sheets, as Pydantic models."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from pydantic import BaseModel

from glowdial.api.step_shapes import GapShape, StepShape, step_shape
from glowdial.core.journey.record import CHANGEABLES
from glowdial.core.journey.registers import Register, is_open
from glowdial.core.plan.report import Report
from glowdial.workshop.bench_work import BenchView
from glowdial.workshop.jobs import JobView, KnownSet, ShelfLine, Visit
from glowdial.workshop.log import LogLine


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


class SetShape(BaseModel):
    """A set that was here."""

    id: int
    name: str
    maker: str
    model: str
    serial: str
    visits: int

    @classmethod
    def of(cls, known: KnownSet) -> SetShape:
        """From the workshop's set."""
        return cls(
            id=known.set_id,
            name=known.name,
            maker=known.maker,
            model=known.model,
            serial=known.serial,
            visits=known.visits,
        )


class SetsPage(BaseModel):
    sets: list[SetShape]


class VisitShape(BaseModel):
    """An earlier job of the same set."""

    job_id: int
    opened_at: datetime
    closed_at: datetime | None
    complaint: str
    changed: list[str]

    @classmethod
    def of(cls, visit: Visit) -> VisitShape:
        """From the workshop's visit."""
        return cls(
            job_id=visit.job_id,
            opened_at=visit.opened_at,
            closed_at=visit.closed_at,
            complaint=visit.complaint,
            changed=list(visit.changed),
        )


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
    set_id: int
    visits: list[VisitShape]
    parked: int

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
            set_id=view.set_id,
            visits=[VisitShape.of(v) for v in view.visits],
            parked=sum(is_open(e) for e in view.record.register(Register.PARKED)),
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
    modifications: list[str]
    waiting: list[str]
    visits: list[VisitShape]

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
            modifications=list(report.modifications),
            waiting=list(report.waiting),
            visits=[VisitShape.of(v) for v in view.visits],
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
