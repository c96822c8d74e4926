"""A job laid on the desk: its row, facts, record and journey, and one transaction to write in.

Every write carries an idempotency key and the job's version that its page had read. A retry gets
the first answer again; a write that read an older version gets a conflict with both versions.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from glowdial.core.bench.equipment import BenchKit
from glowdial.core.journey.record import JobRecord
from glowdial.core.language.errors import Conflict
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey, journey
from glowdial.store.records import Scribe, get_job, load_record
from glowdial.store.tables import JobRow
from glowdial.workshop.equipment import kit_of
from glowdial.workshop.sheets import facts_of
from glowdial.workshop.workshop import Workshop, once


@dataclass(frozen=True, slots=True)
class Stamp:
    """What a page sends with a write: a key of its own making, and the version it had read."""

    key: str
    version: int


@dataclass(slots=True)
class Desk:
    """One job within one transaction."""

    session: Session
    job: JobRow
    facts: ReceiverFacts
    record: JobRecord
    journey: Journey
    scribe: Scribe
    kit: BenchKit

    def refresh(self) -> None:
        """Read the record again after appending, and derive the journey anew."""
        self.session.flush()
        self.record = load_record(self.session, self.job.id)
        self.journey = journey(self.facts, self.record, self.kit)


def lay_out(session: Session, job_id: int, at: datetime) -> Desk:
    """Put a job on the desk; raises NotFound."""
    job = get_job(session, job_id)
    facts = facts_of(job.sheet)
    record = load_record(session, job_id)
    kit = kit_of(session)
    state = journey(facts, record, kit)
    return Desk(session, job, facts, record, state, Scribe(session, job, at), kit)


def standing(state: Journey) -> dict[str, Any]:
    """The shelf's summary of a journey: stops with their counts, and the next action."""
    following = state.step(state.next_key) if state.next_key else None
    return {
        "stages": [
            {"stage": s.stage.value, "steps": s.steps, "finished": s.finished, "trouble": s.trouble}
            for s in state.stages()
        ],
        "next_title": following.title if following else "Handed over",
        "next_stage": following.stage.value if following else "handover",
    }


def write(
    workshop: Workshop,
    job_id: int,
    stamp: Stamp,
    command: object,
    act: Callable[[Desk], dict[str, Any]],
) -> dict[str, Any]:
    """Carry out one write on a job and return its answer, which a retry gets again.

    Raises Conflict when the job has moved on since ``stamp.version``, or when the key was used for
    another command.
    """

    def on_the_desk(session: Session, at: datetime) -> dict[str, Any]:
        desk = lay_out(session, job_id, at)
        if desk.job.seq != stamp.version:
            raise Conflict(
                "This job was changed in another window since this page was read; nothing was "
                "kept. Look at what is there now, then enter it again.",
                yours=stamp.version,
                current=desk.job.seq,
            )
        answer = act(desk)
        desk.refresh()
        desk.job.standing = standing(desk.journey)
        return {**answer, "version": desk.job.seq}

    return once(workshop, stamp.key, (job_id, command), on_the_desk)
