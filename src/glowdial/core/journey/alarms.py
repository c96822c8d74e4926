"""An alarm in a job's record: raised, said to be switched off, settled with cause and remedy."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum


class AlarmEvent(StrEnum):
    """What is said of an alarm, in the order in which it has to be said."""

    RAISED = "alarm"
    SWITCHED_OFF = "switched off"
    SETTLED = "alarm settled"


@dataclass(frozen=True, slots=True)
class AlarmEntry:
    """Something said of an alarm: what was seen in ``what`` when it is raised, in a person's words
    or a stop rule's in ``text``; when it is settled the cause in ``text``, and what was ``done``.
    """

    seq: int
    event: AlarmEvent
    step: str
    what: str = ""
    text: str = ""
    done: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True)
class Alarm:
    """The alarm that stands: everything that it was raised for since it stands, when first, and
    whether a person said "switched off" after the last of it."""

    reasons: tuple[str, ...]
    since: str
    switched_off: bool


def alarm_after(entries: Iterable[AlarmEntry]) -> Alarm | None:
    """The alarm that stands after some entries, in order; None while none does."""
    alarm: Alarm | None = None
    for entry in entries:
        match entry.event:
            case AlarmEvent.RAISED:
                reasons = alarm.reasons if alarm else ()
                since = alarm.since if alarm else entry.at
                alarm = Alarm((*reasons, entry.text or entry.what), since, switched_off=False)
            case AlarmEvent.SWITCHED_OFF if alarm is not None:
                alarm = replace(alarm, switched_off=True)
            case AlarmEvent.SETTLED if alarm is not None and alarm.switched_off:
                alarm = None
    return alarm
