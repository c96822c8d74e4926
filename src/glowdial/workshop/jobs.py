"""Opening jobs, the shelf, and one job as a page shows it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from glowdial.core.journey.record import CABINET, JobRecord
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey, journey
from glowdial.core.plan.report import Report, build_report
from glowdial.sim.condition import Condition
from glowdial.sim.state import BenchState
from glowdial.store.records import JobRows, get_job, record_of
from glowdial.store.tables import (
    AnswerRow,
    BenchRow,
    ChangeRow,
    JobRow,
    SetRow,
    SheetRow,
)
from glowdial.workshop.equipment import kit_of
from glowdial.workshop.log import LogLine, log_of
from glowdial.workshop.sheets import facts_of, get_sheet
from glowdial.workshop.workshop import Workshop, once
from glowdial.workshop.writing import standing

HAND, SIMULATED, NETWORK = "hand", "simulated", "network"
MOST_VISITS = 20
STORY = "intake.story"
MOST_SETS = 500


@dataclass(frozen=True, slots=True)
class ShelfLine:
    """A set as it stands in its job."""

    job_id: int
    set_name: str
    title: str
    link: str
    standing: Mapping[str, Any]
    touched_at: datetime
    days_untouched: int
    closed: bool


@dataclass(frozen=True, slots=True)
class Visit:
    """An earlier job of the same set: what was complained of, and what was changed."""

    job_id: int
    opened_at: datetime
    closed_at: datetime | None
    complaint: str
    changed: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class JobView:
    """Everything that a page needs of one job."""

    job_id: int
    version: int
    set_name: str
    title: str
    link: str
    opened_at: datetime
    closed_at: datetime | None
    journey: Journey
    record: JobRecord
    facts: ReceiverFacts
    log: tuple[LogLine, ...]
    set_id: int
    visits: tuple[Visit, ...]


@dataclass(frozen=True, slots=True)
class OpenCommand:
    """A job to open for a new set from a sheet.

    With a ``set_id`` it is a set that was here before. With a ``condition`` the set is a simulated
    one; otherwise readings are typed, or with ``network`` taken from the bench's instruments too.
    """

    sheet_id: int
    set_name: str
    serial: str = ""
    condition: Condition | None = None
    network: bool = False
    set_id: int | None = None

    @property
    def link(self) -> str:
        """Where the job's readings come from."""
        if self.condition is not None:
            return SIMULATED
        return NETWORK if self.network else HAND


def open_job(workshop: Workshop, key: str, command: OpenCommand) -> int:
    """Open a job; returns its id. Raises NotFound for an unknown sheet, BadInput for no name."""
    if command.set_id is None and not command.set_name.strip():
        raise BadInput(
            "set", command.set_name, "needs a name to tell it by", "reading room receiver"
        )

    def act(session: Session, at: datetime) -> dict[str, Any]:
        return {"id": _open(session, at, command)}

    return int(once(workshop, key, command, act)["id"])


def _open(session: Session, at: datetime, command: OpenCommand) -> int:
    sheet = get_sheet(session, command.sheet_id)
    receiver = _receiver(session, sheet, command)
    job = JobRow(
        set_id=receiver.id,
        sheet_id=sheet.id,
        sheet=sheet.document,
        link=command.link,
        opened_at=at,
        touched_at=at,
        closed_at=None,
        seq=0,
        standing=standing(journey(facts_of(sheet.document), JobRecord())),
    )
    session.add(job)
    session.flush()
    if command.condition is not None:
        session.add(
            BenchRow(
                job_id=job.id,
                condition=command.condition.as_document(),
                state=BenchState().as_document(),
                held={},
            )
        )
    return job.id


def _receiver(session: Session, sheet: SheetRow, command: OpenCommand) -> SetRow:
    """The set that is opened: a new one, or one that was here before, by its id."""
    if command.set_id is not None:
        known = session.get(SetRow, command.set_id)
        if known is None:
            raise NotFound("set", str(command.set_id))
        if (known.maker, known.model) != (sheet.maker, sheet.model):
            raise BadInput(
                "sheet",
                f"{sheet.maker} {sheet.model}",
                f"is not this set's: it is a {known.maker} {known.model}",
                f"{known.maker} {known.model}",
            )
        return known
    receiver = SetRow(
        maker=sheet.maker,
        model=sheet.model,
        name=command.set_name.strip(),
        serial=command.serial.strip(),
    )
    session.add(receiver)
    session.flush()
    return receiver


@dataclass(frozen=True, slots=True)
class KnownSet:
    """A set that was here, and how often."""

    set_id: int
    name: str
    maker: str
    model: str
    serial: str
    visits: int


def known_sets(workshop: Workshop) -> list[KnownSet]:
    """The sets of the register, newest first."""
    query = (
        select(SetRow, func.count(JobRow.id))
        .join(JobRow, JobRow.set_id == SetRow.id)
        .group_by(SetRow.id)
        .order_by(SetRow.id.desc())
        .limit(MOST_SETS)
    )
    with workshop.database.reading() as session:
        return [
            KnownSet(s.id, s.name, s.maker, s.model, s.serial, visits)
            for s, visits in session.execute(query).all()
        ]


def earlier_visits(session: Session, job: JobRow) -> tuple[Visit, ...]:
    """What happened to this set before, newest first: what recurs is suspect."""
    query = (
        select(JobRow)
        .where(JobRow.set_id == job.set_id, JobRow.id < job.id)
        .order_by(JobRow.id.desc())
        .limit(MOST_VISITS)
    )
    earlier = list(session.scalars(query))
    if not earlier:
        return ()
    ids = [e.id for e in earlier]
    told = select(AnswerRow).where(AnswerRow.job_id.in_(ids), AnswerRow.step == STORY)
    complaints = {
        a.job_id: str(a.texts.get("complaint", ""))
        for a in session.scalars(told.order_by(AnswerRow.seq))
    }
    noted = select(ChangeRow).where(ChangeRow.job_id.in_(ids), ChangeRow.what != CABINET)
    changes: dict[int, list[str]] = {}
    for change in session.scalars(noted.order_by(ChangeRow.seq)):
        changes.setdefault(change.job_id, []).append(change.note)
    return tuple(
        Visit(
            job_id=e.id,
            opened_at=e.opened_at,
            closed_at=e.closed_at,
            complaint=complaints.get(e.id, ""),
            changed=tuple(changes.get(e.id, [])[:MOST_VISITS]),
        )
        for e in earlier
    )


def shelf(
    workshop: Workshop, *, after: int | None = None, limit: int = 50
) -> tuple[list[ShelfLine], int | None]:
    """Jobs with the last touched first, and the cursor of the next page, if there is one."""
    today = workshop.now()
    query = select(JobRow, SetRow).join(SetRow, SetRow.id == JobRow.set_id)
    if after is not None:
        query = query.where(JobRow.id < after)
    with workshop.database.reading() as session:
        rows = session.execute(query.order_by(JobRow.id.desc()).limit(limit + 1)).all()
    lines = [
        ShelfLine(
            job_id=job.id,
            set_name=receiver.name,
            title=f"{receiver.maker} {receiver.model}",
            link=job.link,
            standing=job.standing,
            touched_at=job.touched_at,
            days_untouched=max((today - job.touched_at).days, 0),
            closed=job.closed_at is not None,
        )
        for job, receiver in rows[:limit]
    ]
    following = lines[-1].job_id if len(rows) > limit else None
    return lines, following


def job_view(workshop: Workshop, job_id: int) -> JobView:
    """One job with its journey and log; raises NotFound."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        receiver = session.get_one(SetRow, job.set_id)
        facts = facts_of(job.sheet)
        rows = JobRows(session, job_id)
        record = record_of(rows)
        state = journey(facts, record, kit_of(session))
        return JobView(
            job_id=job.id,
            version=job.seq,
            set_name=receiver.name,
            title=facts.title,
            link=job.link,
            opened_at=job.opened_at,
            closed_at=job.closed_at,
            journey=state,
            record=record,
            facts=facts,
            log=log_of(rows, facts, record, state),
            set_id=job.set_id,
            visits=earlier_visits(session, job),
        )


def job_report(workshop: Workshop, job_id: int) -> tuple[JobView, Report]:
    """The report of a job as it stands."""
    view = job_view(workshop, job_id)
    return view, build_report(view.facts, view.record, view.journey)
