"""Entries of the demo: as somebody at the bench types them, at whatever state the job is in."""

from __future__ import annotations

from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import AnswerCommand, record_answer


def stamp_now(workshop: Workshop, job_id: int, name: str) -> Stamp:
    """A stamp of the job as it stands."""
    return Stamp(f"demo-{job_id}-{name}", job_page(workshop, job_id).version)


def entered(
    workshop: Workshop,
    job_id: int,
    step: str,
    ask: str,
    line: str | None = None,
    **fields: str,
) -> None:
    """A question answered by a line or by fields, with a yes to what is asked about it."""
    version = job_page(workshop, job_id).version
    command = AnswerCommand(step, ask, line, tuple(fields.items()), confirmed=True)
    record_answer(workshop, job_id, Stamp(f"demo-{job_id}-at-{version}", version), command)
