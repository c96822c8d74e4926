"""What holds everywhere: cautions, the gate before power, what is still clipped on, decisions."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Status, Step


def gated(steps: list[Step], record: JobRecord) -> list[Step]:
    """Steps closed by decision where they were, and blocked where a gate is not passed."""
    power = _power_blocks(record, steps)
    return [_gated(_closed(step, record), power) for step in steps]


def _closed(step: Step, record: JobRecord) -> Step:
    closure = record.closure(step.key)
    if closure is None or step.status is Status.DONE:
        return step
    if step.status is Status.RECHECK and record.changed_since(closure):
        # what was good enough was another set of parts
        return step
    cost = f" Cost: {closure.cost}." if closure.cost else ""
    because = f"{closure.reason} ({closure.decided_by}).{cost}"
    return replace(step, status=Status.CLOSED, closed_because=because)


def _gated(step: Step, power: tuple[str, ...]) -> Step:
    """Block a step that lacks its gate."""
    if step.status.finished:
        return step
    blocks = (*step.blocked_by, *(power if step.powered and not step.opens_power else ()))
    return replace(step, status=Status.BLOCKED, blocked_by=blocks) if blocks else step


def _power_blocks(record: JobRecord, steps: list[Step]) -> tuple[str, ...]:
    blocks: list[str] = []
    gates = [s for s in steps if s.opens_power]
    if not all(s.status is Status.DONE for s in gates):
        blocks.append("Pass the safety gate first.")
    cold = [s for s in steps if s.before_power]
    if not all(s.status is Status.DONE or record.closure(s.key) for s in cold):
        blocks.append("Measure B+ to chassis first; what is low there is found before power.")
    blocks += [
        f"{t.what} ({t.where}) is still on: take it off, or say it is wanted."
        for t in record.temporaries
        if t.on and not t.wanted_under_power
    ]
    return tuple(blocks)


def missing_cautions(step: Step, record: JobRecord) -> tuple[str, ...]:
    """Dangers of the step that are not acknowledged there yet."""
    return tuple(d for d in step.dangers if not record.acknowledged(step.key, d))
