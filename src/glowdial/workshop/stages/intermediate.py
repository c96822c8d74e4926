"""The IF beyond one job: what an earlier visit of the set learned of its cores."""

from __future__ import annotations

from sqlalchemy import select

from glowdial.core.stages.intermediate.rates import RATES, by_sheet, rates_of
from glowdial.store.records import load_record
from glowdial.store.tables import JobRow
from glowdial.workshop.base.writing import OpenedJob

MOST_VISITS = 5


def recall_rates(opened: OpenedJob, step: str) -> None:
    """Note in this job what a turn of each IF core was found to do when the set was here last;
    once, and only what was learned."""
    if opened.record.register(RATES):
        return
    job, session, facts = opened.job, opened.session, opened.situation.facts
    query = select(JobRow.id).where(JobRow.set_id == job.set_id, JobRow.id < job.id)
    for earlier in session.scalars(query.order_by(JobRow.id.desc()).limit(MOST_VISITS)):
        known = rates_of(facts, load_record(session, earlier))
        learned = {k: r for k, r in known.items() if r.doubt < by_sheet(facts.adjuster(k)).doubt}
        for key, rate in sorted(learned.items()):
            numbers = {"change": rate.change, "doubt": rate.doubt}
            opened.scribe.enter(RATES, key, step, numbers=numbers, texts={})
        if learned:
            return
