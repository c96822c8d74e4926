"""The whole journey as it stands: every step with its status, and which is next."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.equipment import NO_EQUIPMENT, Equipment
from glowdial.core.journey.chassis import located
from glowdial.core.journey.memory import AtOnce, Memory
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Status, Step, looked_at
from glowdial.core.journey.within_equipment import within_equipment
from glowdial.core.language.errors import NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.gates import gated
from glowdial.core.plan.order import FORMS, LAST, LEGS, ROOMS
from glowdial.core.plan.scale import SCALE


@dataclass(frozen=True, slots=True)
class StageState:
    """A stop on the scale: how many of its steps are finished, and whether it has trouble."""

    stage: str
    steps: int
    finished: int
    trouble: str


@dataclass(frozen=True, slots=True)
class Journey:
    """All steps in order; ``next_key`` is the first that is not finished, "" when all are."""

    steps: tuple[Step, ...]
    next_key: str

    def step(self, key: str) -> Step:
        """The step of that key with its plot drawn and its advice worked out; raises NotFound."""
        return looked_at(self.standing(key))

    def standing(self, key: str) -> Step:
        """The step of that key as it stands, plot and advice left alone; raises NotFound."""
        for step in self.steps:
            if step.key == key:
                return step
        raise NotFound("step", key)

    def of_stage(self, stage: str) -> tuple[Step, ...]:
        """The steps of a stop on the scale, in order; raises NotFound for what is no stop."""
        if stage not in SCALE:
            raise NotFound("stage", stage)
        return tuple(s for s in self.steps if s.stage == stage)

    def stages(self) -> tuple[StageState, ...]:
        """The ten stops with their states."""
        return tuple(self._stage(stage) for stage in SCALE)

    def _stage(self, stage: str) -> StageState:
        mine = [s for s in self.steps if s.stage == stage]
        worst = next((s for s in mine if s.status is Status.TROUBLE), None)
        stale = next((s for s in mine if s.status is Status.RECHECK), None)
        word = "outside" if worst else "re-check" if stale else ""
        return StageState(stage, len(mine), sum(s.status.finished for s in mine), word)

    @property
    def thinking(self) -> bool:
        """Whether something is still being worked out."""
        return any(s.thinking for s in self.steps)


def situation_of(
    facts: ReceiverFacts,
    record: JobRecord,
    equipment: Equipment = NO_EQUIPMENT,
    memory: Memory | None = None,
) -> Situation:
    """What the steps are derived from: the sheet's facts with what the stages found of this set."""
    for room in ROOMS:
        facts = room.derive(facts, record)
    return Situation(facts, record, equipment, memory or AtOnce(), FORMS)


def journey_of(situation: Situation) -> Journey:
    """Derive the journey: pure, called once after every entry."""
    facts, record = situation.facts, situation.record
    steps: list[Step] = []
    for leg in LEGS:
        steps += leg.steps(replace(situation, before=tuple(steps)))
    avc_ohm = facts.circuit.avc.source_ohm
    steps = [within_equipment(step, situation.equipment, avc_ohm) for step in steps]
    steps = [located(step, facts, record) for step in steps]
    steps = gated(steps, facts, record)
    known = tuple(steps)
    steps += gated(LAST.steps(replace(situation, before=known)), facts, record, known)
    return Journey(tuple(steps), _next_key(steps))


def journey(
    facts: ReceiverFacts,
    record: JobRecord,
    equipment: Equipment = NO_EQUIPMENT,
    memory: Memory | None = None,
) -> Journey:
    """The journey of a set by its sheet's facts, its record, and what the bench has today."""
    return journey_of(situation_of(facts, record, equipment, memory))


def _next_key(steps: list[Step]) -> str:
    """The first step that is not finished; one that is half done goes before a re-check of what it
    spoiled itself."""
    waiting = [s for s in steps if not s.status.finished]
    if waiting and waiting[0].status is Status.RECHECK:
        begun = next((s for s in waiting if s.begun and s.ask is not None), None)
        return begun.key if begun else waiting[0].key
    return waiting[0].key if waiting else ""
