"""Directly heated filaments: which ohmmeter range may touch them, before any does."""

from __future__ import annotations

from glowdial.core.bench.equipment import NORM_RANGES
from glowdial.core.journey.readings import confirmed
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.physics.heaters import Heater
from glowdial.core.physics.ohmmeter import OhmRange
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.cold.filament_ranges import RangeRisk, RangeVerdict, safest_range
from glowdial.core.stages.cold.steps import STAGE

FILAMENTS = "cold.filaments"
READY = "ready"


def filament_steps(situation: Situation) -> list[Step]:
    """Every filament and heater of the line-up against every range of every meter.

    One step for a set where a range could burn one out, as with directly heated tubes; none where
    every range is safe for all, unless they were checked already.
    """
    facts, record, equipment = situation.facts, situation.record, situation.equipment
    meters = [(m.name, m.ranges) for m in equipment.meters if m.ranges]
    unknown = [m.name for m in equipment.meters if not m.ranges]
    if equipment.meter is None:
        meters = [("", tuple[OhmRange, ...](NORM_RANGES))]
    lines: list[str] = []
    for heater in facts.circuit.heaters.heaters:
        if not meters:
            lines += [_no_range_words(heater)] if heater.direct else []
            continue
        best, every = safest_range(meters, heater.volts, heater.amperes)
        if not heater.direct and all(v.risk is RangeRisk.SAFE for v in every):
            continue
        rated = f"{heater.tube} ({heater.volts:g} V, {1e3 * heater.amperes:.0f} mA)"
        lines.append(f"{rated}: {_best_words(best)}{_never_words(every)}")
    if not lines and record.latest(FILAMENTS, READY) is None:
        return []
    step = Step(
        FILAMENTS,
        STAGE,
        "Check every filament for continuity, on a safe range only",
        "First contact finds a cold filament, a fifth of its hot resistance; then it settles where "
        "the range's load line meets its own curve.",
        advice=tuple(lines),
        does=(Activity.OHMMETER_ON_FILAMENTS,),
        notes=_notes(unknown, registered=equipment.meter is not None),
    )
    prompt = "Every filament conducts, measured on a range named as safe."
    return [confirmed(step, record, READY, prompt)]


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
