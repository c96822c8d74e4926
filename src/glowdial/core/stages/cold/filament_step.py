"""Directly heated filaments: which ohmmeter range may touch them, before any does."""

from __future__ import annotations

from glowdial.core.bench.equipment import NORM_RANGES
from glowdial.core.journey.readings import confirmed
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.heaters import Heater
from glowdial.core.physics.ohmmeter import OhmRange
from glowdial.core.physics.operating_point import Device
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.cold.filament_ranges import (
    JUNCTION_LIMIT_A,
    JunctionVerdict,
    RangeRisk,
    RangeVerdict,
    junction_verdicts,
    safest_range,
)
from glowdial.core.stages.cold.steps import STAGE

FILAMENTS = "cold.filaments"
READY = "ready"


def filament_steps(situation: Situation) -> list[Step]:
    """Every filament, heater, lamp and small junction of the line-up against every range of every
    meter.

    One step for a set where a range could burn one out, as with directly heated tubes, or that has
    lamps or small-signal junctions; none where every range is safe for all, unless they were
    checked already.
    """
    facts, record, equipment = situation.facts, situation.record, situation.equipment
    meters = [(m.name, m.ranges) for m in equipment.meters if m.ranges]
    unknown = [m.name for m in equipment.meters if not m.ranges]
    if equipment.meter is None:
        meters = [("", tuple[OhmRange, ...](NORM_RANGES))]
    lines: list[str] = []
    lamps = {t.position for t in facts.tubes if "lamp" in t.function.lower()}
    junctions = junction_words(facts, meters)
    for heater in facts.circuit.heaters.heaters:
        delicate = heater.direct or heater.tube in lamps
        if not meters:
            lines += [_no_range_words(heater)] if delicate else []
            continue
        best, every = safest_range(meters, heater.volts, heater.amperes)
        if not delicate and all(v.risk is RangeRisk.SAFE for v in every):
            continue
        rated = f"{heater.tube} ({heater.volts:g} V, {1e3 * heater.amperes:.0f} mA)"
        lines.append(f"{rated}: {_best_words(best)}{_never_words(every)}")
    filaments = bool(lines)
    lines += [junctions] if junctions else []
    if not lines and record.latest(FILAMENTS, READY) is None:
        return []
    step = Step(
        FILAMENTS,
        STAGE,
        "Check every filament for continuity, on a safe range only"
        if filaments
        else "Check small-signal junctions on a safe range only",
        "First contact finds a cold filament, a fifth of its hot resistance; then it settles where "
        "the range's load line meets its own curve."
        if filaments
        else "An old ohmmeter's lowest range drives more through a junction than it is made for.",
        advice=tuple(lines),
        does=(Activity.OHMMETER_ON_FILAMENTS,),
        notes=_notes(unknown, registered=equipment.meter is not None),
    )
    prompt = (
        "Every filament conducts, measured on a range named as safe."
        if filaments
        else "Junctions are measured on ranges named as safe only."
    )
    return [confirmed(step, record, READY, prompt)]


SMALL_JUNCTIONS = ("transistor", "crystal", "germanium")


def junction_words(facts: ReceiverFacts, meters: list[tuple[str, tuple[OhmRange, ...]]]) -> str:
    """Which ranges may touch the set's transistors and crystal diodes; "" where it has none, and
    where every range may."""
    stages = [s.name for s in facts.circuit.stages if s.device is Device.TRANSISTOR]
    listed = [
        t.position
        for t in facts.tubes
        if any(word in f"{t.function} {t.type}".lower() for word in SMALL_JUNCTIONS)
    ]
    names = list(dict.fromkeys([*stages, *listed]))
    if not names:
        return ""
    who = f"Small-signal junctions ({', '.join(names)}; at most {1e3 * JUNCTION_LIMIT_A:g} mA)"
    if not meters:
        return f"{who}: no meter's ranges are known, so none may touch them."
    verdicts = junction_verdicts(meters)
    safe = [v for v in verdicts if v.safe]
    bad = [v for v in verdicts if not v.safe]
    if not bad:
        return ""
    use = f"use {_junction_range(safe[-1])}" if safe else "no range is safe"
    return f"{who}: {use}. Never {', '.join(_junction_range(v) for v in bad)}."


def _junction_range(verdict: JunctionVerdict) -> str:
    named = f"{verdict.meter}, {verdict.range_name}" if verdict.meter else verdict.range_name
    return f"{named} ({1e3 * verdict.current_a:.2g} mA)"


def _no_range_words(heater: Heater) -> str:
    return (
        f"{heater.tube} ({heater.volts:g} V, {1e3 * heater.amperes:.0f} mA): no meter's ranges are "
        "known, so none may touch it."
    )


def _notes(unknown: list[str], *, registered: bool) -> tuple[str, ...]:
    if not registered:
        return ("No meter is registered: an ordinary old and a digital one are taken.",)
    return tuple(
        f"{name}: its ohm ranges are not entered, so it is unknown here and must not touch a "
        "filament; enter them under Instruments."
        for name in unknown
    )


def _best_words(best: RangeVerdict) -> str:
    share = (
        f"{100.0 * best.met.first_share:.0f} % of its rating at first contact, settles at "
        f"{100.0 * best.met.settled_share:.0f} %"
    )
    if best.risk is RangeRisk.SAFE:
        return f"use {_named(best)}, {share}."
    return f"no range is safe; the least bad is {_named(best)}, {share} ({best.risk})."


def _never_words(every: tuple[RangeVerdict, ...]) -> str:
    words = ""
    for risk, before in ((RangeRisk.CAUTION, " Better not"), (RangeRisk.DANGER, " Never")):
        bad = [v for v in every if v.risk is risk]
        if bad:
            named = ", ".join(f"{_named(v)} ({100.0 * v.met.settled_share:.0f} %)" for v in bad)
            words += f"{before} {named}."
    return words


def _named(verdict: RangeVerdict) -> str:
    return f"{verdict.meter}, {verdict.range_name}" if verdict.meter else verdict.range_name
