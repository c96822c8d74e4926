"""Inside a stage: which part explains the volts that were read, and the check that decides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.pictures import StageDrawing, StagePart, StageVolts
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.quantities import DC_VOLTS, engineering, significant
from glowdial.core.model.measurands import AVC, B_PLUS, ELECTRODES, RESERVOIR, Kind, electrode
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.tracing.stage_checks import ProposedCheck, after_check, proposed_check
from glowdial.core.tracing.stage_faults import (
    BAD_FIT,
    HEALTHY,
    NAMED_FROM,
    StageFindings,
    StageReading,
    explain,
    faults_around,
)
from glowdial.core.tracing.stage_network import AVC_LINE, on_the_line, stage_network, together

NORM_METER_OHM = 10e6
ROOM_CELSIUS = 20.0
LEAST_READINGS = 2


# how a check of a part is answered
AT_FAULT, SOUND = "at fault", "good"
CHECK, VOLTS_OF = "check", "volts-of"
# the line held by a lead
CLAMP_OHM = 10.0


@dataclass(frozen=True, slots=True)
class Inside:
    """What a stage's volts tell: its readings, what explains them once the checks that were made
    are counted (None while it is worked out or where too little was read)."""

    stage: AmplifierStage
    readings: tuple[StageReading, ...]
    found: StageFindings | None
    thinking: bool = False
    checked: tuple[str, ...] = ()

    @property
    def check(self) -> ProposedCheck | None:
        """What would decide between the parts that are left; None once one is sure."""
        if self.found is None or len(self.named) < 2:
            return None
        proposed = proposed_check(self.found)
        done = proposed is not None and proposed.fault.key in self.checked
        return None if done else proposed

    @property
    def named(self) -> tuple[tuple[str, float], ...]:
        """The parts that come into question, with how likely each is."""
        if self.found is None:
            return ()
        return tuple((p, s) for p, s in self.found.parts if s >= NAMED_FROM and p != HEALTHY)

    @property
    def blamed(self) -> bool:
        """Whether the volts speak of a fault at all."""
        return self.found is not None and self.found.of(HEALTHY) <= 0.5 and bool(self.named)

    @property
    def lines(self) -> tuple[str, ...]:
        """In sentences."""
        name = self.stage.name
        if self.thinking:
            return (f"{name}: its circuit is being solved with each fault.",)
        if self.found is None:
            return (f"{name}: read its volts, and its own circuit tells which part it is.",)
        if not self.blamed:
            return (
                f"{name}'s volts are as they should be: an open bypass or coupling capacitor, a "
                "shorted turn or a circuit off tune shows in no volt. Look for it by signal, and "
                "bridge capacitors with a good one.",
            )
        said = ", or ".join(f"{part} ({100.0 * share:.0f} %)" for part, share in self.named[:3])
        lines = [f"{name}, solved with each fault: {said}."]
        if self.found.fit > BAD_FIT:
            lines.append(_two_words(self.found))
        if self.check is not None:
            lines.append(f"Decides: {self.check.words}.")
        return tuple(lines)


def stage_drawing(inside: Inside) -> StageDrawing | None:
    """The circuit of a stage with its volts and who is suspected; None until it was solved."""
    if inside.found is None:
        return None
    stage, found = inside.stage, inside.found
    solid = stage.device is Device.TRANSISTOR
    shares = {e.fault.element: 0.0 for e in found.explanations if e.fault}
    for one in found.explanations:
        if one.fault is not None:
            shares[one.fault.element] += one.probability
    resistors = {
        "plate": stage.plate_ohm,
        "screen": 0.0 if solid else stage.screen_ohm,
        "cathode": stage.cathode_ohm,
        "grid": 0.0 if solid else stage.grid_leak_ohm,
        "upper": stage.upper_ohm,
        "lower": stage.lower_ohm,
    }
    placed = [(place, engineering(ohm, "ohm")) for place, ohm in resistors.items() if ohm]
    placed += [("device", stage.name)]
    leaks = ("coupling", "screen bypass", "cathode bypass")
    placed += [(place, "") for place in leaks if f"{stage.name} {place}" in shares]
    return StageDrawing(
        stage.name,
        solid,
        stage.coupled_from or stage.direct_from,
        tuple(
            _drawn_part(p, _part_words(stage, p), v, _share(shares, stage.name, p))
            for p, v in placed
        ),
        tuple(
            StageVolts(
                r.electrode,
                _electrode_word(r.electrode, solid),
                f"{significant(r.volts, 3)} V",
                f"{significant(v, 3)} V",
            )
            for r, v in zip(inside.readings, found.sound, strict=True)
            if r.stage == stage.name
        ),
    )


def _drawn_part(place: str, words: str, value: str, share: float) -> StagePart:
    return StagePart(place, words, value, share, share >= NAMED_FROM)


def _part_words(stage: AmplifierStage, place: str) -> str:
    """A part as it is called: of a transistor there is no plate."""
    solid = stage.device is Device.TRANSISTOR
    where, _, bypass = place.partition(" ")
    if place == "device":
        return "transistor" if solid else "tube"
    if place == "coupling":
        return "coupling capacitor"
    if place in ("upper", "lower"):
        return f"{place} resistor of the divider"
    return f"{_electrode_word(where, solid)} {'bypass capacitor' if bypass else 'resistor'}"


def _share(shares: Mapping[str, float], name: str, place: str) -> float:
    """How likely a part is; of a device all its ways of failing."""
    ways = ("device", "gas", "leakage", "across") if place == "device" else (place,)
    return sum(shares.get(f"{name} {way}", 0.0) for way in ways)


def _two_words(found: StageFindings) -> str:
    """That no single part explains the volts, and which two would."""
    better = [p for p in found.pairs if p.fit < 0.6 * found.fit]
    if not better:
        return "No single part explains these volts well, nor do two: read them again."
    said = ", or ".join(
        f"{p.first} with {p.second} ({100.0 * p.probability:.0f} %)" for p in better[:2]
    )
    return f"No single part explains these volts well. Two do: {said}."


def _electrode_word(electrode_name: str, solid: bool) -> str:
    words = {"plate": "collector", "cathode": "emitter", "grid": "base"}
    return words.get(electrode_name, electrode_name) if solid else electrode_name


def inside_of(
    situation: Situation, name: str, step: str = "", *, clamped: bool = False
) -> Inside | None:
    """What is known inside a stage, with the checks that were answered in a step; None where the
    sheet gives no circuit or no supply for it. ``clamped`` is whether its AVC line is."""
    facts = situation.facts
    stage = facts.circuit.stage(name)
    if stage is None or not facts.circuit.stages_given or facts.supply is None:
        return None
    stages = together(facts.circuit.stages, name)
    readings = stage_readings(situation.record, stages, name)
    if sum(r.stage == name and r.electrode in ELECTRODES for r in readings) < LEAST_READINGS:
        return Inside(stage, readings, None)
    node_v = steady_state(facts.supply, facts.supply.line_v).node_v
    feeds = {s.feed: node_v[s.feed] for s in stages}

    celsius = _room_celsius(situation.record)

    avc_ohm = CLAMP_OHM if clamped else facts.circuit.avc.source_ohm
    avc_v = _avc_open_v(readings, avc_ohm)

    def solve() -> StageFindings:
        placed = stage_network(stages, feeds, avc_v=avc_v, avc_ohm=avc_ohm, celsius=celsius)
        return explain(placed, readings, faults_around(placed, name, readings))

    key = ("stage", name, stages, tuple(feeds.items()), readings, celsius, avc_ohm)
    found = situation.memory.recall(key, solve)
    if found is None:
        return Inside(stage, readings, None, thinking=True)
    checks = {a.ask: a for a in situation.record.of_step(step)} if step else {}
    done = []
    for one in found.explanations:
        answer = checks.get(f"{CHECK} {one.fault.key}") if one.fault else None
        if answer is not None and one.fault is not None:
            made = ProposedCheck(one.fault, one.fault.check, one.probability)
            found = after_check(found, made, positive=answer.texts.get("found") == AT_FAULT)
            done.append(one.fault.key)
    return Inside(stage, readings, found, checked=tuple(done))


def _avc_open_v(readings: tuple[StageReading, ...], avc_ohm: float) -> float:
    """What the detector puts on the line: what was read there, as it stands without the meter; a
    line that reads positive is one that a grid drives current into, and is to be explained."""
    read = next((r for r in readings if r.electrode == AVC_LINE), None)
    if read is None:
        return 0.0
    return min(read.volts * (read.meter_ohm + avc_ohm) / read.meter_ohm, 0.0)


def _room_celsius(record: JobRecord) -> float:
    """The room's temperature as it was entered last: germanium leaks by it."""
    read = record.with_value("temperature")
    return read[-1].values["temperature"] if read else ROOM_CELSIUS


def check_ask(check: ProposedCheck) -> Ask:
    """The check of a part as a question."""
    part = check.fault.part[0].upper() + check.fault.part[1:]
    return Ask(
        f"{CHECK} {check.fault.key}",
        f"{part}: {check.check.value}. Is it at fault?",
        (Field("found", "found", options=(AT_FAULT, SOUND)),),
        AT_FAULT,
        expected_text=f"at fault {100.0 * check.likely:.0f} times in 100",
        called="check a part",
    )


def volts_ask(inside: Inside) -> Ask:
    """Every electrode of a stage, for the circuit to be solved by."""
    stage = inside.stage
    solid = stage.device is Device.TRANSISTOR
    wanted = [e for e in ELECTRODES if e != "screen" or stage.device is Device.PENTODE]
    names = [_electrode_word(e, solid) for e in wanted]
    fields = [
        Field(e, f"{stage.name} {n}", DC_VOLTS, measurand=electrode(stage.name, e))
        for e, n in zip(wanted, names, strict=True)
    ]
    if on_the_line(stage):
        names.append("the AVC line (no signal)")
        line = Field(AVC_LINE, "AVC line", DC_VOLTS, measurand=AVC, required=False)
        fields.append(line)
    return Ask(
        f"{VOLTS_OF} {stage.name}",
        f"{stage.name}: volts at {', '.join(names)}.",
        tuple(fields),
        "235 98 3.1 0" if stage.device is Device.PENTODE else "14.2 1.4 1.6",
        expected_text="a dash for what was not read",
        blanks=True,
        called=f"volts of {stage.name}",
        recipe=Recipe(Doing.READ),
    )


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
    mine = {a.seq: a for place in wanted for a in record.read_at(place)}
    mine |= {a.seq: a for a in record.asked(f"{VOLTS_OF} {name}")}
    for _, answer in sorted(mine.items()):
        for field, place in answer.places.items():
            if place in wanted and place.kind is Kind.DC_VOLTS and field in answer.values:
                found[wanted[place]] = _reading(answer, wanted[place], answer.values[field])
        if answer.ask == f"{VOLTS_OF} {name}":
            # the AVC volts of a signal are no condition of these: only what was read with them is
            found.pop((name, AVC_LINE), None)
            if AVC_LINE in answer.values:
                read = _reading(answer, (name, AVC_LINE), answer.values[AVC_LINE])
                found[name, AVC_LINE] = read
    return tuple(found.values())


def _reading(answer: Answer, at: tuple[str, str], volts: float) -> StageReading:
    ohm = answer.instruments.meter_ohm or NORM_METER_OHM
    return StageReading(at[0], at[1], float(significant(volts, 5)), ohm)
