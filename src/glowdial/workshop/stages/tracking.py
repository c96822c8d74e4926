"""The oscillator beyond one job: what an earlier visit of the set learned of its adjusters."""

from __future__ import annotations

from sqlalchemy import select

from glowdial.core.stages.tracking.oscillator import TURNS_LEARNED, learned
from glowdial.store.records import load_record
from glowdial.store.tables import JobRow
from glowdial.workshop.base.writing import OpenedJob

MOST_VISITS = 5


def recall_turns(opened: OpenedJob, step: str) -> None:
    """Note in this job what a turn of each oscillator adjuster was found to do when the set was
    here last; once, and only what was learned."""
    if opened.record.register(TURNS_LEARNED):
        return
    job, session, facts = opened.job, opened.session, opened.situation.facts
    query = select(JobRow.id).where(JobRow.set_id == job.set_id, JobRow.id < job.id)
    for earlier in session.scalars(query.order_by(JobRow.id.desc()).limit(MOST_VISITS)):
        known = learned(facts, load_record(session, earlier))
        for key, turner in sorted(known.items()):
            numbers = {"change": turner.change, "doubt": turner.doubt}
            opened.scribe.enter(TURNS_LEARNED, key, step, numbers=numbers, texts={})
        if known:
            return
