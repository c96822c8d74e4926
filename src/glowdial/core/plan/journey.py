"""The whole journey as it stands: every step with its status, and which is next."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from glowdial.core.bench.equipment import NO_EQUIPMENT, Equipment
from glowdial.core.journey.chassis import located
from glowdial.core.journey.memory import AtOnce, Memory
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Status, Step, looked_at, with_functions_of
from glowdial.core.journey.within_equipment import within_equipment
from glowdial.core.language.errors import NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.gates import gated, with_dangers
from glowdial.core.plan.legs import (
    NOTHING_KEPT,
    Finish,
    KeptFacts,
    KeptLeg,
    KeptLegs,
    derived_leg,
    facts_by,
    leg_by,
)
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
    """All steps in order; ``next_key`` is the first that is not finished, "" when all are.

    ``situation`` is what it was derived from, ``kept`` what the next derivation may keep of it; a
    journey that was told at a handover has neither.
    """

    steps: tuple[Step, ...]
    next_key: str
    situation: Situation | None = field(default=None, repr=False, compare=False)
    kept: KeptLegs = field(default=NOTHING_KEPT, repr=False, compare=False)

    def step(self, key: str) -> Step:
        """The step of that key with its plot drawn and its advice worked out; raises NotFound."""
        return looked_at(self._of_today(self.standing(key)))

    @property
    def sheet_facts(self) -> ReceiverFacts | None:
        """The facts of the sheet that it began with; None where they are not kept."""
        first = self.kept.facts.get(ROOMS[0].stage)
        return first.given if first is not None else None

    def _of_today(self, step: Step) -> Step:
        """A step whose leg was kept from an earlier entry, with the functions of one derived now:
        they may look up more of the record than the step itself rests on."""
        leg = next(
            (k for k in self.kept.legs.values() if any(s.key == step.key for s in k.steps)), None
        )
        if leg is None or self.situation is None or leg.record is self.situation.record:
            return step
        fresh = derived_leg(leg.leg, self.situation, leg.before, _finish(self.situation))
        return with_functions_of(step, next(s for s in fresh.finished if s.key == step.key))

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

    @property
    def waits(self) -> bool:
        """Whether more may come to be known of it: it is worked out, or could be tried again."""
        return any(s.thinking or s.failed for s in self.steps)


NO_JOURNEY = Journey((), "")


def situation_of(
    facts: ReceiverFacts,
    record: JobRecord,
    equipment: Equipment = NO_EQUIPMENT,
    memory: Memory | None = None,
) -> Situation:
    """What the steps are derived from: the sheet's facts with what the stages found of this set."""
    facts, _ = facts_by(ROOMS, facts, record, NOTHING_KEPT)
    return Situation(facts, record, equipment, memory or AtOnce(), FORMS)


def journey_of(situation: Situation) -> Journey:
    """Derive the journey whole: pure."""
    return _journey(situation, NOTHING_KEPT, {})


def journey_after(
    before: Journey,
    facts: ReceiverFacts,
    record: JobRecord,
    equipment: Equipment = NO_EQUIPMENT,
    memory: Memory | None = None,
) -> Journey:
    """The journey of the same job after something was entered, the bench changed or more is known:
    every leg that still holds is kept, the rest derived. The same as deriving it whole."""
    kept = before.kept
    facts, of_rooms = facts_by(ROOMS, facts, record, kept)
    return _journey(Situation(facts, record, equipment, memory or AtOnce(), FORMS), kept, of_rooms)


def _journey(situation: Situation, kept: KeptLegs, facts: Mapping[str, KeptFacts]) -> Journey:
    finish = _finish(situation)
    legs: dict[str, KeptLeg] = {}
    raw: tuple[Step, ...] = ()
    for leg in LEGS:
        for part in leg.parts(leg, situation.facts):
            legs[part.name] = leg_by(part, situation, raw, kept, finish)
            raw += legs[part.name].steps
    known = tuple(gated([s for k in legs.values() for s in k.finished], situation.record))
    last = derived_leg(LAST, situation, known, finish)
    steps = (*known, *gated(list(last.finished), situation.record, known))
    legs[LAST.name] = last
    return Journey(steps, _next_key(steps), situation, KeptLegs(facts, legs))


def _finish(situation: Situation) -> Finish:
    """How a step that a room made is made one of this bench and this set."""
    facts, record, equipment = situation.facts, situation.record, situation.equipment
    avc_ohm = facts.circuit.avc.source_ohm

    def finish(step: Step) -> Step:
        step = within_equipment(step, equipment, avc_ohm)
        return with_dangers(located(step, facts, record), facts)

    return finish


def journey(
    facts: ReceiverFacts,
    record: JobRecord,
    equipment: Equipment = NO_EQUIPMENT,
    memory: Memory | None = None,
) -> Journey:
    """The journey of a set by its sheet's facts, its record, and what the bench has today."""
    return journey_of(situation_of(facts, record, equipment, memory))


def _next_key(steps: tuple[Step, ...]) -> str:
    """The first step that is not finished; one that is half done goes before a re-check of what it
    spoiled itself."""
    waiting = [s for s in steps if not s.status.finished]
    if waiting and waiting[0].status is Status.RECHECK:
        begun = next((s for s in waiting if s.begun and s.ask is not None), None)
        return begun.key if begun else waiting[0].key
    return waiting[0].key if waiting else ""
