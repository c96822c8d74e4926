"""The whole journey as it stands: every step with its status, and which is next."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.equipment import NO_KIT, BenchKit, within_kit
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Stage, Status, Step
from glowdial.core.language.errors import NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.bring_up.chart_step import chart_steps
from glowdial.core.stages.bring_up.conversion_step import as_converted, conversion_steps
from glowdial.core.stages.bring_up.diagnosis_step import diagnosis_steps
from glowdial.core.stages.bring_up.gate_steps import GATE, before_power
from glowdial.core.stages.bring_up.ramp_step import ramp_step
from glowdial.core.stages.cold.filament_step import filament_steps
from glowdial.core.stages.cold.steps import cold_steps
from glowdial.core.stages.dial.steps import dial_steps
from glowdial.core.stages.handover.steps import handover_steps
from glowdial.core.stages.intake.steps import as_seen, intake_steps
from glowdial.core.stages.intermediate.steps import if_steps
from glowdial.core.stages.parts.steps import parts_before_power, parts_under_test
from glowdial.core.stages.proof.steps import as_found_steps, as_left_steps
from glowdial.core.stages.tracking.steps import tracking_steps


@dataclass(frozen=True, slots=True)
class StageState:
    """A stop on the scale: how many of its steps are finished, and whether it has trouble."""

    stage: Stage
    steps: int
    finished: int
    trouble: str


@dataclass(frozen=True, slots=True)
class Journey:
    """All steps in order; ``next_key`` is the first that is not finished, "" when all are."""

    steps: tuple[Step, ...]
    next_key: str

    def step(self, key: str) -> Step:
        """The step of that key; raises NotFound."""
        for step in self.steps:
            if step.key == key:
                return step
        raise NotFound("step", key)

    def stages(self) -> tuple[StageState, ...]:
        """The ten stops with their states."""
        return tuple(self._stage(stage) for stage in Stage)

    def _stage(self, stage: Stage) -> StageState:
        mine = [s for s in self.steps if s.stage is stage]
        worst = next((s for s in mine if s.status is Status.TROUBLE), None)
        stale = next((s for s in mine if s.status is Status.RECHECK), None)
        word = "outside" if worst else "re-check" if stale else ""
        return StageState(stage, len(mine), sum(s.status.finished for s in mine), word)


def journey(facts: ReceiverFacts, record: JobRecord, kit: BenchKit = NO_KIT) -> Journey:
    """Derive the journey from the facts, the record and what the bench's instruments can do.

    Pure; called after every entry.
    """
    as_built = as_seen(facts, record)
    facts = as_converted(as_built, record)
    steps = [
        *intake_steps(facts, record),
        *filament_steps(facts, record, kit),
        *cold_steps(facts, record),
        *parts_before_power(facts, record),
        *before_power(facts, record),
        *_under_power(as_built, facts, record, kit),
        *parts_under_test(facts, record),
        *as_found_steps(facts, record),
        *if_steps(facts, record),
        *tracking_steps(facts, record),
        *dial_steps(facts, record),
        *as_left_steps(facts, record),
    ]
    avc_ohm = facts.circuit.avc.source_ohm
    steps = [within_kit(step, kit, avc_ohm) for step in steps]
    steps = [_gated(_closed(step, record), record, steps) for step in steps]
    steps += [_closed(s, record) for s in handover_steps(record, steps)]
    return Journey(tuple(steps), _next_key(steps))


def _under_power(
    as_built: ReceiverFacts, facts: ReceiverFacts, record: JobRecord, kit: BenchKit
) -> list[Step]:
    """From the first volts to the voltage chart."""
    ramp = ramp_step(facts, record)
    return [
        ramp.step,
        *diagnosis_steps(facts, record, ramp),
        *conversion_steps(as_built, record),
        *chart_steps(facts, record, kit),
    ]


def _next_key(steps: list[Step]) -> str:
    """The first step that is not finished; one that is half done goes before a re-check of what it
    spoiled itself."""
    waiting = [s for s in steps if not s.status.finished]
    if waiting and waiting[0].status is Status.RECHECK:
        begun = next((s for s in waiting if s.begun and s.ask is not None), None)
        return begun.key if begun else waiting[0].key
    return waiting[0].key if waiting else ""


def _closed(step: Step, record: JobRecord) -> Step:
    closure = record.closure(step.key)
    if closure is None or step.status is Status.DONE:
        return step
    if step.status is Status.RECHECK and record.changed_since(closure.seq):
        # what was good enough was another set of parts
        return step
    cost = f" Cost: {closure.cost}." if closure.cost else ""
    because = f"{closure.reason} ({closure.decided_by}).{cost}"
    return replace(step, status=Status.CLOSED, closed_because=because)


def _gated(step: Step, record: JobRecord, steps: list[Step]) -> Step:
    """Block a step that lacks its gate: cautions, the safety gate, what is still clipped on."""
    if step.status.finished:
        return step
    blocks = list(step.blocked_by)
    if step.powered and step.key != GATE:
        blocks += _power_blocks(record, steps)
    if blocks:
        return replace(step, status=Status.BLOCKED, blocked_by=tuple(blocks))
    return step


def _power_blocks(record: JobRecord, steps: list[Step]) -> list[str]:
    blocks: list[str] = []
    gate = record.latest(GATE, "ready")
    if gate is None:
        blocks.append("Pass the safety gate first.")
    cold = next((s for s in steps if s.key == "cold.b-plus"), None)
    cold_settled = cold is None or cold.status is Status.DONE or record.closure(cold.key)
    if not cold_settled:
        blocks.append("Measure B+ to chassis first; what is low there is found before power.")
    for t in record.temporaries:
        if t.on and not t.wanted_under_power:
            blocks.append(f"{t.what} ({t.where}) is still on: take it off, or say it is wanted.")
    return blocks


def missing_cautions(step: Step, record: JobRecord) -> tuple[str, ...]:
    """Dangers of the step that are not acknowledged there yet."""
    return tuple(d for d in step.dangers if not record.acknowledged(step.key, d))
