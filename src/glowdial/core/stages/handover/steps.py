"""Handover: only what rests on nothing stale, with nothing left on and nothing left off."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.registers import Register, form_of, line_title, open_lines
from glowdial.core.journey.steps import Stage, Status, Step, confirm, settle

HAND_OVER = "handover.report"


def handover_steps(record: JobRecord, before: list[Step]) -> list[Step]:
    """The last step; it is blocked by everything that is not settled."""
    step = Step(
        HAND_OVER,
        Stage.HANDOVER,
        "Hand the set over with its report",
        "The report shows as found and as left against the service data, and every decision.",
    )
    ask = confirm("handed-over", "Report printed, set handed over.")
    settled = settle(step, remaining=None if record.latest(HAND_OVER, "handed-over") else ask)
    if settled.status is Status.DONE:
        return [settled]
    blocked = handover_blocks(record, before)
    if blocked:
        return [replace(settled, status=Status.BLOCKED, blocked_by=blocked)]
    return [settled]


def handover_blocks(record: JobRecord, before: list[Step]) -> tuple[str, ...]:
    """Sentences for all that stands in the way of handing over."""
    lines = [f"Still on: {t.what}, {t.where}." for t in record.temporaries if t.on]
    lines += [f"Still switched off: {s.what}." for s in record.switched_off if s.off]
    lines += [
        f"Still waiting, {form_of(e.register).title.lower()}: {line_title(e)}."
        for e in open_lines(record)
        if e.register != Register.QUESTION
    ]
    stale = [s for s in before if s.status is Status.RECHECK]
    lines += [f"Stale, read again: {s.title}." for s in stale]
    trouble = [s for s in before if s.status is Status.TROUBLE]
    lines += [f"Outside its window, neither mended nor closed: {s.title}." for s in trouble]
    open_steps = [s for s in before if s.status in (Status.OPEN, Status.BLOCKED)]
    if open_steps:
        more = f" and {len(open_steps) - 1} more" if len(open_steps) > 1 else ""
        lines.append(f"Not done yet: {open_steps[0].title}{more}.")
    return tuple(lines)
