"""Alarms of a job: raised, switched off, settled with cause and remedy.

Raising one overtakes everything: it is taken whatever version the page had read.
"""

from __future__ import annotations

from typing import Any

from glowdial.core.journey.alarms import AlarmEvent
from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.safety.signs import SEEN_AS, Sign
from glowdial.workshop.base.texts import LONGEST_TEXT, kept_text
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob, Stamp, write

NEEDED = "is empty; power comes back only with it"


def raise_alarm(opened: OpenedJob, step: str, words: str, what: str = "") -> None:
    """Raise an alarm within a write, which then switches everything off."""
    opened.scribe.alarm(AlarmEvent.RAISED, step, what=what, text=words)
    opened.alarmed = True


def something_is_wrong(
    workshop: Workshop, job_id: int, stamp: Stamp, *, step: str, sign: str, words: str
) -> dict[str, Any]:
    """Raise an alarm from any step: what was seen, smelt or heard. Raises BadInput for no sign."""
    known = {s.value: s for s in Sign}
    if sign not in known:
        raise BadInput("what is wrong", sign, f"must be one of {', '.join(known)}", "smoke")
    text = words.strip()[:LONGEST_TEXT]
    said = SEEN_AS[known[sign]] + (f": {text}" if text else "")

    def act(opened: OpenedJob) -> dict[str, Any]:
        raise_alarm(opened, step, said, sign)
        return {}

    return write(workshop, job_id, stamp, ("alarm", step, sign, text), act, overtakes=True)


def switched_off(workshop: Workshop, job_id: int, stamp: Stamp) -> dict[str, Any]:
    """A person says that everything is switched off; raises Conflict where no alarm stands."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        if opened.record.alarm is None:
            raise Conflict("No alarm stands in this job.")
        opened.scribe.alarm(AlarmEvent.SWITCHED_OFF, "")
        return {}

    return write(workshop, job_id, stamp, ("switched off",), act, overtakes=True)


def settle_alarm(
    workshop: Workshop, job_id: int, stamp: Stamp, *, cause: str, done: str
) -> dict[str, Any]:
    """End an alarm with its cause and what was done; raises Conflict before "switched off" was
    said, BadInput where one of them is missing."""

    def act(opened: OpenedJob) -> dict[str, Any]:
        alarm = opened.record.alarm
        if alarm is None:
            raise Conflict("No alarm stands in this job.")
        if not alarm.switched_off:
            raise Conflict("Say first that it is switched off.")
        text = kept_text("cause", cause, "C12 shorted", empty=NEEDED)
        remedy = kept_text("what was done", done, "C12 renewed, R7 checked", empty=NEEDED)
        opened.scribe.alarm(AlarmEvent.SETTLED, "", text=text, done=remedy)
        return {}

    return write(workshop, job_id, stamp, ("settled", cause, done), act)
