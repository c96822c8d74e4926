"""What holds everywhere: cautions, the gate before power, alarms, what is still clipped on,
decisions. All of it is derived from everything known now: what opened the gate once does not keep
it open."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from glowdial.core.journey.activities import activities_of, powers
from glowdial.core.journey.alarms import Alarm
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Status, Step, find_ask
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.safety.cautions import dangers_for


def gated(steps: list[Step], record: JobRecord, before: tuple[Step, ...] = ()) -> list[Step]:
    """Steps closed by decision where they were, and blocked where a gate is not passed. ``before``
    are the gated steps that stand before these, where these are not all."""
    known = [_closed(step, record) for step in steps]
    power = _power_blocks(record, [*before, *known])
    known = [_gated(step, power) for step in known]
    return [replace(s, reopens_gate=()) if s.reopens_gate else s for s in known]


def with_dangers(step: Step, facts: ReceiverFacts) -> Step:
    """A step with the cautions that what it does calls for in this set."""
    dangers, powered = dangers_for(facts, *activities_of(step)), powers(step)
    if (dangers, powered) == (step.dangers, step.powered):
        return step
    return replace(step, dangers=dangers, powered=powered)


def _closed(step: Step, record: JobRecord) -> Step:
    closure = record.closure(step.key)
    if closure is None or step.status is Status.DONE:
        return step
    if step.status is Status.RECHECK and record.changed_since(closure):
        # what was good enough was another set of parts
        return step
    if step.closed_until and record.changed_since(closure, step.closed_until):
        return step
    cost = f" Cost: {closure.cost}." if closure.cost else ""
    because = f"{closure.reason} ({closure.decided_by}).{cost}"
    return replace(step, status=Status.CLOSED, closed_because=because)


def _gated(step: Step, power: tuple[str, ...]) -> Step:
    """Block a step that lacks its gate; a finished one takes no more readings meanwhile."""
    blocks = (*step.blocked_by, *(power if step.powered and not step.opens_power else ()))
    if not blocks:
        return step
    if step.status.finished:
        return replace(step, blocked_by=blocks)
    return replace(step, status=Status.BLOCKED, blocked_by=blocks)


def alarm_words(alarm: Alarm) -> str:
    """What stands in the way of power while an alarm does."""
    wanted = "say that it is switched off, then " if not alarm.switched_off else ""
    return (
        f"Alarm: {'; '.join(alarm.reasons)}. No power: {wanted}say what the cause was and what was "
        "done."
    )


def _power_blocks(record: JobRecord, steps: Iterable[Step]) -> tuple[str, ...]:
    blocks = [alarm_words(record.alarm)] if record.alarm is not None else []
    known = list(steps)
    if not all(s.status is Status.DONE for s in known if s.opens_power):
        blocks.append("Pass the safety gate first.")
    blocks += [f"{s.title}: first." for s in known if s.before_power and not s.status.finished]
    blocks += [words for s in known for words in s.holds_power]
    blocks += [
        f"{t.what} ({t.where}) is still on: take it off, or say it is wanted."
        for t in record.temporaries
        if t.on and not t.wanted_under_power
    ]
    return tuple(blocks)


def power_open(steps: Iterable[Step]) -> bool:
    """Whether some powered step of a gated journey may be worked: no gate stands in its way."""
    return any(s.powered and not s.opens_power and not s.blocked_by for s in steps)


def missing_cautions(step: Step, record: JobRecord, since: str = "") -> tuple[str, ...]:
    """Dangers of the step that are not acknowledged in this job since the working day began."""
    return tuple(d for d in step.dangers if not record.acknowledged(d, since))


def reminded_cautions(step: Step, record: JobRecord, since: str) -> tuple[str, ...]:
    """Dangers of the step that were acknowledged since then: a reminder is enough."""
    return tuple(d for d in step.dangers if record.acknowledged(d, since))


def refusals(step: Step, record: JobRecord, name: str, since: str) -> tuple[str, ...]:
    """Why a question of a step takes no reading now, whoever brings it; empty when it does."""
    if step.blocked_by:
        return step.blocked_by
    missing = missing_cautions(step, record, since)
    if missing:
        return (f"Acknowledge the caution first: {', '.join(missing)}.",)
    if find_ask(step, name) is None:
        return ("This question is not open any more; look at the step as it is now.",)
    return ()
