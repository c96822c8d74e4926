"""The log of a job: every entry with its time, newest first; what was superseded stays, struck."""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

from glowdial.core.journey.record import Answer, Entered, JobRecord
from glowdial.core.journey.registers import form_of
from glowdial.core.journey.room import Situation
from glowdial.core.language.quantities import turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey

LOG_LINES = 300


@dataclass(frozen=True, slots=True)
class LogLine:
    """One entry of the log; ``struck`` when superseded or withdrawn."""

    seq: int
    at: str
    kind: str
    step: str
    text: str
    verdict: str = ""
    words: str = ""
    struck: bool = False
    can_withdraw: bool = False


def log_of(situation: Situation, state: Journey) -> tuple[LogLine, ...]:
    """The log, newest first: what was read with what was said of it then, and everything else."""
    titles = {s.key: s.title for s in state.steps}
    lines = (
        *_answers(situation.record, titles),
        *_events(situation.record, situation.facts),
        *_connections(situation.record),
        *(_register_line(situation, e) for e in _last(situation.record.entered)),
    )
    return tuple(heapq.nlargest(LOG_LINES, lines, key=lambda line: line.seq))


T = TypeVar("T")


def _last(entries: Sequence[T]) -> Sequence[T]:
    """No more of a list than the log shows: they stand in order."""
    return entries[-LOG_LINES:]


def _answers(record: JobRecord, titles: dict[str, str]) -> Iterator[LogLine]:
    for answer in _last(record.answers):
        counts = record.latest(answer.step, answer.question)
        struck = counts is None or counts.seq != answer.seq
        yield _answer_line(answer, titles, struck=struck)


def _answer_line(answer: Answer, titles: dict[str, str], *, struck: bool) -> LogLine:
    title = answer.told.title or titles.get(answer.step, answer.step)
    said = answer.told.judged
    return LogLine(
        answer.seq,
        answer.at,
        "read" if said else "entered",
        answer.step,
        f"{title}: {said.label}, {said.text}" if said else f"{title}: {answer.line}",
        verdict=said.verdict if said and not struck else "",
        words=said.words if said and not struck else "",
        struck=struck,
        can_withdraw=not struck,
    )


def _events(record: JobRecord, facts: ReceiverFacts) -> Iterator[LogLine]:
    names = {a.key: a.name for a in facts.adjusters}
    for m in _last(record.moves):
        text = f"{names.get(m.adjuster, m.adjuster)}: {turns(m.turns)}"
        yield LogLine(m.seq, m.at, "turned", m.step, text)
    for w in _last(record.withdrawals):
        yield LogLine(w.seq, w.at, "withdrawn", "", f"entry {w.answer_seq} withdrawn")
    for c in _last(record.changes):
        yield LogLine(c.seq, c.at, "changed", "", f"{c.what}: {c.note}")
    for d in _last(record.closures):
        yield LogLine(d.seq, d.at, "decided", d.step, f"{d.reason} ({d.decided_by})")
    for a in _last(record.acknowledgements):
        yield LogLine(a.seq, a.at, "caution", a.step, f"acknowledged: {a.danger}")
    for n in _last(record.notes):
        yield LogLine(n.seq, n.at, "note", n.step, n.text)
    for r in _last(record.reopenings):
        yield LogLine(r.seq, r.at, "opened again", "", r.reason)


def _connections(record: JobRecord) -> Iterator[LogLine]:
    for t in _last(record.temporaries):
        what = f"{t.what}, {t.where}"
        yield LogLine(t.made_seq, t.at, "clipped on", t.step, what)
        if t.removed_seq is not None:
            yield LogLine(t.removed_seq, t.removed_at, "taken off", t.step, what)
    for s in _last(record.switched_off):
        yield LogLine(s.off_seq, s.at, "switched off", s.step, s.what)
        if s.restored_seq is not None:
            yield LogLine(s.restored_seq, s.restored_at, "restored", s.step, s.what)


def _register_line(situation: Situation, line: Entered) -> LogLine:
    form = form_of(situation.forms, line.register)
    return LogLine(line.seq, line.at, form.called, line.step, form.log_words(line))
