"""A job opened in one transaction to be written in, and what is derived of it before and after.

Every write carries an idempotency key and the job's version that its page had read. A retry gets
the first answer again; a write that read an older version gets a conflict with both versions.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from glowdial.core.bench.equipment import Equipment
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.language.errors import Conflict
from glowdial.core.plan.gates import power_open
from glowdial.core.plan.journey import NO_JOURNEY, Journey, journey_after, situation_of
from glowdial.core.plan.shelf import standing_of
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench, get_job, load_record
from glowdial.store.scribe import Scribe
from glowdial.store.tables import JobRow
from glowdial.workshop.base.closing import close, closed_journey
from glowdial.workshop.base.derived import Derived
from glowdial.workshop.base.equipment import equipment_of
from glowdial.workshop.base.inference import known_by, wait_for_more
from glowdial.workshop.base.sheets import facts_of
from glowdial.workshop.base.workshop import Workshop, once


@dataclass(frozen=True, slots=True)
class Stamp:
    """What a page sends with a write: a key of its own making, the version it had read, and who is
    at the bench, if that was said."""

    key: str
    version: int
    who: str = ""


@dataclass(slots=True)
class OpenedJob:
    """One job within one transaction: as it was derived before, and the scribe that writes into it.

    ``hand_over`` is set by what ends the job, ``alarmed`` by what ends everything powered.
    """

    workshop: Workshop
    session: Session
    job: JobRow
    situation: Situation
    journey: Journey
    scribe: Scribe
    at: datetime
    who: str = ""
    hand_over: bool = False
    alarmed: bool = False

    @property
    def record(self) -> JobRecord:
        """The record with what was written in this transaction."""
        return self.scribe.record


Tell = Callable[[Journey], dict[str, Any]]


def derive(
    workshop: Workshop,
    job: JobRow,
    record: JobRecord,
    equipment: Equipment,
    before: Journey | None = None,
) -> Derived:
    """Derive a job's journey from its sheet, its record, and today's register, keeping what still
    holds of the one ``before``."""
    known = known_by(workshop.memory)
    # a job keeps its sheet
    facts = before.sheet_facts if before is not None else None
    facts = facts or facts_of(job.sheet)
    journey = journey_after(before or NO_JOURNEY, facts, record, equipment, workshop.memory)
    workshop.derivations.counted()
    assert journey.situation is not None
    return Derived(job.seq, equipment, journey.situation, journey, known)


def derived(workshop: Workshop, session: Session, job: JobRow) -> Derived:
    """What is derived of a job: what was kept, as long as it holds. A closed job's journey is the
    one that was told at its handover."""
    equipment = equipment_of(session)
    kept = workshop.derivations.get(job.id)
    if kept is not None and kept.holds(job.seq, equipment, known_by(workshop.memory)):
        return kept
    same = kept is not None and kept.version == job.seq
    record = kept.situation.record if kept and same else load_record(session, job.id)
    if job.closing is not None:
        situation = situation_of(facts_of(job.sheet), record, equipment, workshop.memory)
        found = Derived(job.seq, equipment, situation, closed_journey(session, job))
    else:
        found = derive(workshop, job, record, equipment, kept.journey if kept else None)
    workshop.derivations.put(job.id, found)
    return found


def derived_whole(workshop: Workshop, session: Session, job: JobRow, seconds: float) -> Derived:
    """What is derived of a job once nothing of it is worked out any more; at most so long later."""
    end = time.monotonic() + seconds
    while True:
        known = known_by(workshop.memory)
        found = derived(workshop, session, job)
        left_s = end - time.monotonic()
        if not found.journey.thinking or left_s <= 0.0:
            return found
        wait_for_more(workshop.memory, known, left_s)


def standing(situation: Situation, state: Journey) -> dict[str, Any]:
    """The shelf's line of a journey, as plain data."""
    return dict(json.loads(json.dumps(asdict(standing_of(situation, state)))))


def write(
    workshop: Workshop,
    job_id: int,
    stamp: Stamp,
    command: object,
    act: Callable[[OpenedJob], Tell | dict[str, Any]],
    *,
    reopens: bool = False,
    overtakes: bool = False,
) -> dict[str, Any]:
    """Carry out one write on a job and return its answer, which a retry gets again.

    ``act`` writes, and may return a function that is asked once the journey after it is derived.
    Raises Conflict when the job has moved on since ``stamp.version``, when the key was used for
    another command, or when the set was handed over and the write does not open it again. What
    ``overtakes`` is written whatever was read: danger does not wait for a page to be read anew.
    """
    fresh: list[Derived] = []
    alarmed: list[bool] = []

    def in_one_transaction(session: Session, at: datetime) -> dict[str, Any]:
        opened = _opened(workshop, session, job_id, stamp, at, overtakes=overtakes)
        if not reopens:
            refuse_closed(opened.job)
        told = act(opened)
        after = derive(
            workshop, opened.job, opened.record, opened.situation.equipment, opened.journey
        )
        answer = told(after.journey) if callable(told) else told
        after = replace(after, situation=replace(after.situation, record=opened.record))
        if opened.alarmed or _power_lost(opened, after):
            opened.alarmed = True
            _switch_off(opened)
        _settle(opened, after)
        if not opened.hand_over:
            fresh.append(after)
        alarmed.append(opened.alarmed)
        return {**answer, "version": opened.job.seq}

    answer = once(workshop, stamp.key, (job_id, command), in_one_transaction)
    for each in fresh:
        workshop.derivations.put(job_id, each)
    if any(alarmed):
        workshop.alarmed(job_id)
    return answer


def _power_lost(opened: OpenedJob, after: Derived) -> bool:
    """Whether a gate fell with this entry."""
    return power_open(opened.journey.steps) and not power_open(after.journey.steps)


def _switch_off(opened: OpenedJob) -> None:
    """The simulated set loses its power at once; what is on the network is told afterwards."""
    bench = get_bench(opened.session, opened.job.id)
    if bench is not None:
        bench.state = BenchState.from_document(bench.state).switched_off().as_document()


def refuse_closed(job: JobRow) -> None:
    """Raises Conflict for a job whose set was handed over."""
    if job.closing is not None:
        raise Conflict("This set was handed over: open the job again before writing in it.")


def _opened(
    workshop: Workshop,
    session: Session,
    job_id: int,
    stamp: Stamp,
    at: datetime,
    *,
    overtakes: bool = False,
) -> OpenedJob:
    job = get_job(session, job_id)
    if job.seq != stamp.version and not overtakes:
        raise Conflict(
            "This job was changed in another window since this page was read; nothing was "
            "kept. Look at what is there now, then enter it again.",
            yours=stamp.version,
            current=job.seq,
        )
    before = derived(workshop, session, job)
    scribe = Scribe(session, job, at, before.situation.record)
    return OpenedJob(
        workshop, session, job, before.situation, before.journey, scribe, at, stamp.who
    )


def _settle(opened: OpenedJob, after: Derived) -> None:
    """Keep what the shelf shows; at the handover, what was told."""
    opened.job.standing = standing(after.situation, after.journey)
    if opened.hand_over:
        opened.job.closed_at = opened.at
        close(opened.session, opened.job, after.situation, after.journey)
