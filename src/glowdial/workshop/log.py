"""The log of a job: every entry with its time, newest first; what was superseded stays, struck."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.registers import form_of
from glowdial.core.journey.steps import Result, Step
from glowdial.core.language.quantities import turns
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import Journey
from glowdial.core.stages.intake.function_matrix import MATRIX
from glowdial.store.records import JobRows
from glowdial.store.tables import (
    AcknowledgementRow,
    AnswerRow,
    ChangeRow,
    ClosureRow,
    MoveRow,
    NoteRow,
    RegisterRow,
    SwitchedOffRow,
    TemporaryRow,
    WithdrawalRow,
)

LOG_LINES = 300


@dataclass(frozen=True, slots=True)
class LogLine:
    """One entry of the log; ``struck`` when superseded or withdrawn."""

    seq: int
    at: datetime
    kind: str
    step: str
    text: str
    verdict: str = ""
    words: str = ""
    struck: bool = False
    can_withdraw: bool = False


def log_of(
    rows: JobRows, facts: ReceiverFacts, record: JobRecord, state: Journey
) -> tuple[LogLine, ...]:
    """The log, newest first: what was read with its verdict, and everything else that happened."""
    results: dict[int, Result] = {}
    steps: dict[str, Step] = {}
    for step in state.steps:
        steps[step.key] = step
        for found in step.results:
            results.setdefault(found.seq, found)
    lines = [_answer_line(row, record, results, steps) for row in rows.of(AnswerRow)]
    names = {a.key: a.name for a in facts.adjusters}
    for move in rows.of(MoveRow):
        text = f"{names.get(move.adjuster, move.adjuster)}: {turns(move.turns)}"
        lines.append(LogLine(move.seq, move.at, "turned", move.step, text))
    for table, kind, word in _EVENTS:
        for row in rows.of(table):
            lines.append(LogLine(row.seq, row.at, kind, getattr(row, "step", ""), word(row)))
    lines += [_register_line(row) for row in rows.of(RegisterRow)]
    for connection in rows.of(TemporaryRow):
        what = f"{connection.what}, {connection.place}"
        lines.append(LogLine(connection.seq, connection.at, "clipped on", connection.step, what))
        if connection.removed_seq is not None and connection.removed_at is not None:
            lines.append(
                LogLine(
                    connection.removed_seq,
                    connection.removed_at,
                    "taken off",
                    connection.step,
                    what,
                )
            )
    for switch in rows.of(SwitchedOffRow):
        lines.append(LogLine(switch.seq, switch.at, "switched off", switch.step, switch.what))
        if switch.restored_seq is not None and switch.restored_at is not None:
            lines.append(
                LogLine(
                    switch.restored_seq, switch.restored_at, "restored", switch.step, switch.what
                )
            )
    return tuple(sorted(lines, key=lambda line: -line.seq)[:LOG_LINES])


def _register_line(row: RegisterRow) -> LogLine:
    if row.register == MATRIX:
        cell = row.texts
        found = " ".join(w for w in (cell.get("figure") or cell["state"], cell.get("oddity")) if w)
        text = f"{cell['row']}, {cell['column']}: {'emptied' if row.removed else found}"
        return LogLine(row.seq, row.at, "matrix", row.step, text)
    title = form_of(row.register).title
    text = next((v for v in row.texts.values() if v and not v.isdigit()), row.key)
    gone = " (taken out)" if row.removed else ""
    return LogLine(row.seq, row.at, "noted", row.step, f"{title}: {text}{gone}")


_EVENTS: tuple[tuple[Any, str, Any], ...] = (
    (WithdrawalRow, "withdrawn", lambda r: f"entry {r.answer_seq} withdrawn"),
    (ChangeRow, "changed", lambda r: f"{r.what}: {r.note}"),
    (ClosureRow, "decided", lambda r: f"{r.reason} ({r.decided_by})"),
    (AcknowledgementRow, "caution", lambda r: f"acknowledged: {r.danger}"),
    (NoteRow, "note", lambda r: r.text),
)


def _answer_line(
    row: AnswerRow,
    record: JobRecord,
    results: Mapping[int, Result],
    steps: Mapping[str, Step],
) -> LogLine:
    counts = record.latest(row.step, row.ask)
    struck = counts is None or counts.seq != row.seq
    found = results.get(row.seq)
    title = steps[row.step].title if row.step in steps else row.step
    return LogLine(
        row.seq,
        row.at,
        "read" if found else "entered",
        row.step,
        f"{title}: {found.label}, {found.text}" if found else f"{title}: {row.line}",
        verdict=found.judgement.verdict.value if found and not struck else "",
        words=found.judgement.words if found and not struck else "",
        struck=struck,
        can_withdraw=not struck,
    )
