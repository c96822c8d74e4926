"""Fault tracing beyond one job: what was found before, and mending a simulated set."""

from __future__ import annotations

from collections import Counter

from sqlalchemy import exists, select

from glowdial.core.stages.faults.case import HISTORY, MEND, MENDED_ASK
from glowdial.core.tracing.derived import diagram_of
from glowdial.sim.condition import Condition, mended
from glowdial.store.records import get_bench
from glowdial.store.tables import AnswerRow, JobRow, WithdrawalRow
from glowdial.workshop.base.writing import OpenedJob

THIS_SET, THIS_MODEL = "this set", "this model"
MOST_JOBS = 200


def mend_in_simulation(opened: OpenedJob, block: str) -> None:
    """What was wrong in a block of a simulated set is put right."""
    bench = get_bench(opened.session, opened.job.id)
    if bench is None:
        return
    found = diagram_of(opened.situation.facts).block(block)
    condition = Condition.from_document(bench.condition)
    bench.condition = mended(condition, found).as_document()


def recall_history(opened: OpenedJob, step: str) -> None:
    """Note in this job which blocks were found at fault at earlier visits of this set, and in other
    sets of its model; once."""
    if opened.record.register(HISTORY):
        return
    job, session = opened.job, opened.session
    earlier = select(JobRow.id, JobRow.set_id).where(
        JobRow.sheet_id == job.sheet_id, JobRow.id < job.id
    )
    same = select(JobRow.id, JobRow.set_id).where(JobRow.set_id == job.set_id, JobRow.id < job.id)
    ids = {
        i: s
        for query in (earlier, same)
        for i, s in session.execute(query.order_by(JobRow.id.desc()).limit(MOST_JOBS))
    }
    if not ids:
        return
    taken_back = exists().where(
        WithdrawalRow.job_id == AnswerRow.job_id, WithdrawalRow.answer_seq == AnswerRow.seq
    )
    query = select(AnswerRow.job_id, AnswerRow.ask).where(
        AnswerRow.job_id.in_(ids),
        AnswerRow.step.startswith(f"{MEND}.", autoescape=True),
        ~taken_back,
    )
    counts: Counter[tuple[str, str]] = Counter()
    known = {b.key for b in diagram_of(opened.situation.facts).blocks}
    for job_id, ask in session.execute(query):
        kind, _, block = ask.partition(" ")
        if kind == MENDED_ASK and block in known:
            of = THIS_SET if ids[job_id] == job.set_id else THIS_MODEL
            counts[of, block] += 1
    for (of, block), count in sorted(counts.items()):
        opened.scribe.enter(
            HISTORY,
            f"{of} {block}",
            step,
            numbers={"count": float(count)},
            texts={"of": of, "block": block},
        )
