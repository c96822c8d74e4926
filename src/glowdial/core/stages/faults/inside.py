"""Inside a block: which part of its stage explains the volts that were read."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.language.quantities import significant
from glowdial.core.model.measurands import B_PLUS, RESERVOIR, Kind, electrode
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.tracing.stage_checks import ProposedCheck, proposed_check
from glowdial.core.tracing.stage_faults import (
    HEALTHY,
    NAMED_FROM,
    StageFindings,
    StageReading,
    explain,
)
from glowdial.core.tracing.stage_network import stage_network, together

ELECTRODES = ("plate", "screen", "cathode", "grid")
NORM_METER_OHM = 10e6
ROOM_CELSIUS = 20.0
LEAST_READINGS = 2
# a fit worse than this many standard deviations a reading is no single part's
BAD_FIT = 3.0


@dataclass(frozen=True, slots=True)
class Inside:
    """What a stage's volts tell: its readings, what explains them (None while it is worked out or
    where too little was read), and the check that would decide."""

    stage: str
    readings: tuple[StageReading, ...]
    found: StageFindings | None
    thinking: bool = False

    @property
    def check(self) -> ProposedCheck | None:
        """What would decide between the parts that are left."""
        return proposed_check(self.found) if self.found else None

    @property
    def lines(self) -> tuple[str, ...]:
        """In sentences."""
        if self.found is None:
            if self.thinking:
                return (f"{self.stage}: its circuit is being solved with each fault.",)
            return (f"{self.stage}: read its volts, and its own circuit tells which part it is.",)
        named = [(p, s) for p, s in self.found.parts if s >= NAMED_FROM and p != HEALTHY]
        sound = self.found.of(HEALTHY)
        if not named or sound > 0.5:
            return (
                f"{self.stage}'s volts are as they should be: an open bypass or coupling "
                "capacitor, a shorted turn or a circuit off tune shows in no volt. Look for it by "
                "signal, and bridge capacitors with a good one.",
            )
        lines = [f"{part}: {100.0 * share:.0f} %." for part, share in named[:3]]
        if self.found.fit > BAD_FIT:
            lines.append("No single part explains these volts well: think of two.")
        if self.check is not None and len(named) > 1:
            lines.append(f"Decides: {self.check.words}.")
        return tuple(lines)


def inside_of(situation: Situation, name: str) -> Inside | None:
    """What is known inside a stage; None where the sheet gives no circuit or no supply for it."""
    facts = situation.facts
    stage = facts.circuit.stage(name)
    if stage is None or not facts.circuit.stages_given or facts.supply is None:
        return None
    stages = together(facts.circuit.stages, name)
    readings = stage_readings(situation.record, stages, name)
    if sum(r.stage == name and r.electrode != "feed" for r in readings) < LEAST_READINGS:
        return Inside(name, readings, None)
    node_v = steady_state(facts.supply, facts.supply.line_v).node_v
    feeds = {s.feed: node_v[s.feed] for s in stages}

    def solve() -> StageFindings:
        placed = stage_network(stages, feeds, avc_ohm=facts.circuit.avc.source_ohm)
        return explain(placed, readings)

    found = situation.memory.recall(("stage", stages, tuple(feeds.items()), readings), solve)
    return Inside(name, readings, found, thinking=found is None)


def stage_readings(
    record: JobRecord, stages: tuple[AmplifierStage, ...], name: str
) -> tuple[StageReading, ...]:
    """The last volts of each electrode of some stages, and of what feeds the one."""
    wanted = {
        electrode(s.name, e): (s.name, e)
        for s in stages
        for e in ELECTRODES
        if e != "screen" or s.device is Device.PENTODE
    }
    feed = next(s.feed for s in stages if s.name == name)
    wanted[RESERVOIR if feed == 0 else B_PLUS] = (name, "feed")
    found: dict[tuple[str, str], StageReading] = {}
    for answer in record.answers:
        if answer.withdrawn:
            continue
        for field, place in answer.places.items():
            if place in wanted and place.kind is Kind.DC_VOLTS and field in answer.values:
                found[wanted[place]] = _reading(answer, wanted[place], answer.values[field])
    return tuple(found.values())


def _reading(answer: Answer, at: tuple[str, str], volts: float) -> StageReading:
    ohm = answer.instruments.meter_ohm or NORM_METER_OHM
    return StageReading(at[0], at[1], float(significant(volts, 5)), ohm)
