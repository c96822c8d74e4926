"""The journey derived leg by leg: what a leg read still stands as it did, so the leg does too.

A leg reads a record that notes what is looked up (``core.journey.watched``); it is derived again
only when one of those places has another entry, when the facts, the bench or the steps that it
looks back on are others, or when something that it asked for was still being worked out. Plots,
pictures and advice that are left to functions are not kept: they may read what the leg did not, so
a step is derived anew when it is looked at.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from glowdial.core.bench.equipment import Equipment
from glowdial.core.journey.memory import Memory
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Leg, Room, Situation
from glowdial.core.journey.steps import Status, Step
from glowdial.core.journey.watched import Read, Reads, WatchedRecord, unchanged
from glowdial.core.model.facts import ReceiverFacts

T = TypeVar("T")
Steps = tuple[Step, ...]


@dataclass(frozen=True, slots=True)
class KeptFacts:
    """What a room made of facts, and what it read for that."""

    given: ReceiverFacts
    reads: Mapping[Read, Hashable]
    found: ReceiverFacts


@dataclass(frozen=True, slots=True)
class KeptLeg:
    """A leg as it was derived: its steps as the room made them, the same as this bench does them,
    and everything that they rest on. ``waits`` says that something was still being worked out."""

    leg: Leg
    record: JobRecord
    facts: ReceiverFacts
    equipment: Equipment
    before: Steps
    reads: Mapping[Read, Hashable]
    steps: Steps
    finished: Steps
    waits: bool

    def holds(self, situation: Situation, before: Steps) -> bool:
        """Whether deriving it now would give the same."""
        return (
            not self.waits
            and self.facts is situation.facts
            and self.equipment == situation.equipment
            and (not self.leg.looks_back or _the_same(self.before, before))
            and unchanged(self.reads, situation.record)
        )


@dataclass(frozen=True, slots=True)
class KeptLegs:
    """What was derived of a job last, to be kept as far as it holds."""

    facts: Mapping[str, KeptFacts] = field(default_factory=dict)
    legs: Mapping[str, KeptLeg] = field(default_factory=dict)


NOTHING_KEPT = KeptLegs()
Finish = Callable[[Step], Step]


class _Asking:
    """A memory that notes whether something was not known yet, and what failed."""

    def __init__(self, of: Memory) -> None:
        self._of = of
        self.waits = False
        self.failed = ""

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """What is known for a key."""
        found = self._of.recall(key, compute)
        self.waits = self.waits or found is None
        if found is None:
            self.failed = self.failed or self._of.failure(key)
        return found

    def failure(self, key: Hashable) -> str:
        """Why the inference of a key gave nothing."""
        return self._of.failure(key)


def facts_by(
    rooms: tuple[Room, ...], facts: ReceiverFacts, record: JobRecord, kept: KeptLegs
) -> tuple[ReceiverFacts, Mapping[str, KeptFacts]]:
    """The facts with what each room found of this set; the very same as before where they are."""
    now: dict[str, KeptFacts] = {}
    for room in rooms:
        before = kept.facts.get(room.stage)
        if before is None or before.given is not facts or not unchanged(before.reads, record):
            reads = Reads()
            found = room.derive(facts, WatchedRecord(record, reads))
            if before is not None and before.found == found:
                found = before.found
            before = KeptFacts(facts, reads.kept(record), found)
        now[room.stage] = before
        facts = before.found
    return facts, now


def leg_by(
    leg: Leg, situation: Situation, before: Steps, kept: KeptLegs, finish: Finish
) -> KeptLeg:
    """A leg as it stands: the kept one where it holds, else derived."""
    known = kept.legs.get(leg.name)
    if known is not None and known.holds(situation, before):
        return known
    return derived_leg(leg, situation, before, finish)


def derived_leg(leg: Leg, situation: Situation, before: Steps, finish: Finish) -> KeptLeg:
    """A leg derived from what the situation holds now."""
    reads, memory = Reads(), _Asking(situation.memory)
    seen = replace(
        situation,
        record=WatchedRecord(situation.record, reads),
        memory=memory,
        before=before if leg.looks_back else (),
    )
    steps = tuple(_told(step, memory.failed) for step in leg.steps(seen))
    return KeptLeg(
        leg,
        situation.record,
        situation.facts,
        situation.equipment,
        before if leg.looks_back else (),
        reads.kept(situation.record),
        steps,
        tuple(finish(step) for step in steps),
        memory.waits,
    )


def _told(step: Step, failed: str) -> Step:
    """A step whose inference failed says so, instead of waiting for it for ever: nothing rests on
    what it would have told, and a person decides whether to go on without."""
    if not failed or not step.thinking:
        return step
    status = Status.OPEN if step.status.finished else step.status
    return replace(step, thinking=False, failed=failed, status=status)


def _the_same(one: Steps, other: Steps) -> bool:
    return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))
