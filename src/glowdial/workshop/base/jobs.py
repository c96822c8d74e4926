"""Opening jobs, the shelf, and one job as a page shows it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey, journey_of, situation_of
from glowdial.sim.condition import Condition
from glowdial.sim.state import BenchState
from glowdial.store.records import get_job
from glowdial.store.tables import BenchRow, JobRow, SetRow, SheetRow
from glowdial.workshop.base.closing import report_document
from glowdial.workshop.base.inference import known_by, wait_for_more
from glowdial.workshop.base.log import LogLine, log_of
from glowdial.workshop.base.sheets import facts_of, get_sheet
from glowdial.workshop.base.visits import Visit, earlier_visits
from glowdial.workshop.base.workshop import Workshop, once
from glowdial.workshop.base.writing import derived, derived_whole, standing

HAND, SIMULATED, NETWORK = "hand", "simulated", "network"
LINK_WORDS = {HAND: "by hand", SIMULATED: "simulated set", NETWORK: "network"}
SOURCE_WORDS = {
    HAND: "typed by hand",
    NETWORK: "typed, or from the instruments on the network",
    SIMULATED: "a simulated set, to try the way without a receiver",
}
MOST_SETS = 500
# how long is waited for what is worked out: before a first page, and before a report
FIRST_PATIENCE_S, REPORT_PATIENCE_S = 0.5, 10.0


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
class JobPage:
    """Everything that a page needs of one job; a closed one's journey is the one that was told."""

    job_id: int
    version: int
    set_name: str
    title: str
    link: str
    opened_at: datetime
    closed_at: datetime | None
    journey: Journey
    situation: Situation
    log: tuple[LogLine, ...]
    set_id: int
    visits: tuple[Visit, ...]
    working_day: str

    @property
    def record(self) -> JobRecord:
        """The job's record."""
        return self.situation.record

    @property
    def facts(self) -> ReceiverFacts:
        """What is known of the set."""
        return self.situation.facts


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
        return {"id": _open(workshop, session, at, command)}

    return int(once(workshop, key, command, act)["id"])


def _open(workshop: Workshop, session: Session, at: datetime, command: OpenCommand) -> int:
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
        standing=_first_standing(workshop, sheet),
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


def _first_standing(workshop: Workshop, sheet: SheetRow) -> dict[str, Any]:
    """Where a job stands that has no entry yet."""
    situation = situation_of(facts_of(sheet.document), JobRecord(), memory=workshop.memory)
    return standing(situation, journey_of(situation))


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
        stands = {job.id: _stands(workshop, session, job) for job, _ in rows[:limit]}
    lines = [
        ShelfLine(
            job_id=job.id,
            set_name=receiver.name,
            title=f"{receiver.maker} {receiver.model}",
            link=job.link,
            standing=stands[job.id],
            touched_at=job.touched_at,
            days_untouched=max((today - job.touched_at).days, 0),
            closed=job.closed_at is not None,
        )
        for job, receiver in rows[:limit]
    ]
    following = lines[-1].job_id if len(rows) > limit else None
    return lines, following


def _stands(workshop: Workshop, session: Session, job: JobRow) -> Mapping[str, Any]:
    """The line that the last write left; where that was still thinking, as it is known now."""
    if not job.standing.get("thinking") or job.closing is not None:
        return job.standing
    found = derived(workshop, session, job)
    return standing(found.situation, found.journey)


def job_page(workshop: Workshop, job_id: int) -> JobPage:
    """One job with its journey and log; raises NotFound."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        receiver = session.get_one(SetRow, job.set_id)
        # after a start nothing is known yet: a page is not drawn twice for what takes a moment
        patience_s = 0.0 if workshop.derivations.get(job_id) else FIRST_PATIENCE_S
        found = derived_whole(workshop, session, job, patience_s)
        return JobPage(
            job_id=job.id,
            version=job.seq,
            set_name=receiver.name,
            title=found.situation.facts.title,
            link=job.link,
            opened_at=job.opened_at,
            closed_at=job.closed_at,
            journey=found.journey,
            situation=found.situation,
            log=log_of(found.situation, found.journey),
            set_id=job.set_id,
            visits=earlier_visits(session, job),
            working_day=workshop.working_day,
        )


def job_report(workshop: Workshop, job_id: int) -> dict[str, Any]:
    """The report of a job as it stands; of a closed one as it was told to the owner."""
    with workshop.database.reading() as session:
        job = get_job(session, job_id)
        if job.closing is not None:
            return dict(job.closing["report"])
        found = derived_whole(workshop, session, job, REPORT_PATIENCE_S)
        return report_document(session, job, found.situation, found.journey)


def known_within(workshop: Workshop, job_id: int, seconds: float) -> bool:
    """Whether nothing of a job is being worked out any more; waits for more to be known, at most so
    long. Raises NotFound."""
    known = known_by(workshop.memory)
    if not _still_thinking(workshop, job_id):
        return True
    wait_for_more(workshop.memory, known, seconds)
    return False


def _still_thinking(workshop: Workshop, job_id: int) -> bool:
    with workshop.database.reading() as session:
        return derived(workshop, session, get_job(session, job_id)).journey.thinking
