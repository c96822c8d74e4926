"""The log of a job: every entry with its time, newest first; what was superseded stays, struck."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import chain
from operator import itemgetter
from typing import Protocol, TypeVar

from glowdial.core.journey.alarms import AlarmEntry, AlarmEvent
from glowdial.core.journey.record import Answer, Entered, JobRecord, Move
from glowdial.core.journey.registers import form_of
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
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


Waiting = tuple[int, Callable[[], LogLine]]


def log_of(situation: Situation, state: Journey) -> tuple[LogLine, ...]:
    """The log, newest first: what was read with what was said of it then, and everything else.

    Only the lines that are shown are put into words.
    """
    titles = {s.key: s.title for s in state.steps}
    record = situation.record
    lines: Iterator[Waiting] = chain(
        ((a.seq, partial(_answer_line, record, a, titles)) for a in _last(record.answers)),
        _events(record, situation.facts),
        _connections(record),
        ((e.seq, partial(_register_line, situation, e)) for e in _last(record.entered)),
    )
    shown = heapq.nlargest(LOG_LINES, lines, key=itemgetter(0))
    return tuple(line() for _, line in shown)


def said_in(record: JobRecord, step: Step) -> tuple[LogLine, ...]:
    """What was entered in a step and counts, oldest first, without the step's title: however long
    the job has become meanwhile."""
    titles = {step.key: step.title}
    lines = (_answer_line(record, a, titles) for a in record.of_step(step.key))
    return tuple(
        replace(line, text=line.text.removeprefix(f"{a.told.title or step.title}: "))
        for line, a in zip(lines, record.of_step(step.key), strict=True)
    )


T = TypeVar("T")


def _last(entries: Sequence[T]) -> Sequence[T]:
    """No more of a list than the log shows: they stand in order."""
    return entries[-LOG_LINES:]


def _answer_line(record: JobRecord, answer: Answer, titles: dict[str, str]) -> LogLine:
    counts = record.latest(answer.step, answer.question)
    struck = counts is None or counts.seq != answer.seq
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


def _events(record: JobRecord, facts: ReceiverFacts) -> Iterator[Waiting]:
    names = {a.key: a.name for a in facts.adjusters}
    for m in _last(record.moves):
        yield m.seq, partial(_move_line, m, names.get(m.adjuster, m.adjuster))
    for w in _last(record.withdrawals):
        yield _event(w, "withdrawn", "", f"entry {w.answer_seq} withdrawn")
    for c in _last(record.changes):
        yield _event(c, "changed", "", f"{c.what}: {c.note}")
    for d in _last(record.closures):
        yield _event(d, "decided", d.step, f"{d.reason} ({d.decided_by})")
    for a in _last(record.acknowledgements):
        yield _event(a, "caution", a.step, f"acknowledged: {a.danger}")
    for n in _last(record.notes):
        yield _event(n, "note", n.step, n.text)
    for alarm in _last(record.alarms):
        yield _event(alarm, alarm.event.value, alarm.step, _alarm_text(alarm))
    for r in _last(record.reopenings):
        yield _event(r, "opened again", "", r.reason)


def _alarm_text(entry: AlarmEntry) -> str:
    match entry.event:
        case AlarmEvent.RAISED:
            return entry.text or entry.what
        case AlarmEvent.SWITCHED_OFF:
            return "everything is switched off"
        case AlarmEvent.SETTLED:
            return f"cause: {entry.text}; done: {entry.done}"


class _Entry(Protocol):
    @property
    def seq(self) -> int: ...
    @property
    def at(self) -> str: ...


def _event(entry: _Entry, kind: str, step: str, text: str) -> Waiting:
    return entry.seq, partial(LogLine, entry.seq, entry.at, kind, step, text)


def _move_line(move: Move, name: str) -> LogLine:
    return LogLine(move.seq, move.at, "turned", move.step, f"{name}: {turns(move.turns)}")


def _connections(record: JobRecord) -> Iterator[Waiting]:
    for t in _last(record.temporaries):
        what = f"{t.what}, {t.where}"
        made, removed = t.made_seq, t.removed_seq
        yield made, partial(LogLine, made, t.at, "clipped on", t.step, what)
        if removed is not None:
            yield removed, partial(LogLine, removed, t.removed_at, "taken off", t.step, what)
    for s in _last(record.switched_off):
        off, restored = s.off_seq, s.restored_seq
        yield off, partial(LogLine, off, s.at, "switched off", s.step, s.what)
        if restored is not None:
            yield restored, partial(LogLine, restored, s.restored_at, "restored", s.step, s.what)


def _register_line(situation: Situation, line: Entered) -> LogLine:
    form = form_of(situation.forms, line.register)
    return LogLine(line.seq, line.at, form.called, line.step, form.log_words(line))
