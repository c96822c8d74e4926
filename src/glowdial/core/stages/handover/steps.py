"""Handover: only what rests on nothing stale, with nothing left on and nothing left off."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Basis
from glowdial.core.journey.registers import open_lines
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Status, Step, confirm

STAGE = "handover"
HAND_OVER = "handover.report"
REPORT_PANEL = "report-link"


def handover_steps(situation: Situation) -> list[Step]:
    """The last step; it is blocked by everything that is not settled."""
    ask = confirm("handed-over", "Report printed, set handed over.")
    found = reading(situation.record, HAND_OVER, ask, Basis(reopened=True))
    step = Step(
        HAND_OVER,
        STAGE,
        "Hand the set over with its report",
        "The report shows as found and as left against the service data, and every decision.",
        panels=(REPORT_PANEL,),
        closes_job=True,
        by_person=True,
    )
    settled = conclude(step, (found,))
    if settled.status is Status.DONE:
        return [settled]
    blocked = handover_blocks(situation)
    if blocked:
        return [replace(settled, status=Status.BLOCKED, blocked_by=blocked)]
    return [settled]


def handover_blocks(situation: Situation) -> tuple[str, ...]:
    """Sentences for all that stands in the way of handing over."""
    record, before = situation.record, situation.before
    lines = [f"Still on: {t.what}, {t.where}." for t in record.temporaries if t.on]
    lines += [f"Still switched off: {s.what}." for s in record.switched_off if s.off]
    lines += [
        f"Still waiting, {form.title.lower()}: {form.line_title(line)}."
        for form, line in open_lines(record, situation.forms)
        if form.holds_handover
    ]
    stale = [s for s in before if s.status is Status.RECHECK]
    lines += [f"Stale, read again: {s.title}." for s in stale]
    trouble = [s for s in before if s.status is Status.TROUBLE]
    lines += [f"Outside its window, neither mended nor closed: {s.title}." for s in trouble]
    lines += [f"Still being worked out: {s.title}." for s in before if s.thinking]
    open_steps = [s for s in before if s.status in (Status.OPEN, Status.BLOCKED)]
    if open_steps:
        more = f" and {len(open_steps) - 1} more" if len(open_steps) > 1 else ""
        lines.append(f"Not done yet: {open_steps[0].title}{more}.")
    return tuple(lines)
