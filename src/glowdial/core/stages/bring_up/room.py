"""The room of the bring-up."""

from __future__ import annotations

from glowdial.core.journey.consequences import Consequence, RaiseAlarm
from glowdial.core.journey.room import (
    Entering,
    Leg,
    ReportPart,
    Room,
    Situation,
    pictured,
    report_row,
)
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.stages.bring_up.chart_step import CHART, chart_steps
from glowdial.core.stages.bring_up.conversion_step import as_converted, conversion_steps
from glowdial.core.stages.bring_up.diagnosis_step import (
    DIAGNOSIS,
    check_nodes,
    diagnosis_steps,
)
from glowdial.core.stages.bring_up.gate_steps import STAGE, before_power
from glowdial.core.stages.bring_up.ramp_step import (
    RAMP,
    check_ramp_entry,
    most_current_a,
    moving_words,
    ramp_of,
    ramp_stops,
)
from glowdial.core.stages.bring_up.stop_rules import too_much

TIRED = "Read B+ again in half a year: the rectifier is tired and its emission falls first."


def _under_power(situation: Situation) -> list[Step]:
    """From the first volts to the voltage chart."""
    ramp = ramp_of(situation)
    return [
        ramp.step,
        *diagnosis_steps(situation, ramp),
        *conversion_steps(situation),
        *chart_steps(situation),
    ]


def _check(situation: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    if step.key == RAMP:
        check_ramp_entry(situation.facts, situation.record, ask, kept.values)
    elif step.key == DIAGNOSIS:
        check_nodes(situation.facts, kept.values)


def _follows(situation: Situation, step: Step, ask: Ask, kept: Entering) -> tuple[Consequence, ...]:
    """A reading past a stop rule raises the alarm."""
    stops: tuple[str, ...] = ()
    if step.key == RAMP:
        stops = ramp_stops(situation, kept.values)
    elif "current" in kept.values:
        facts = situation.facts
        most_a = most_current_a(facts, facts.nominal_line_v)
        stops = too_much(kept.values["current"], most_a)
    return (RaiseAlarm("; ".join(stops)),) if stops else ()


def _while_typing(situation: Situation, step: Step, ask: Ask, line: str) -> str:
    return moving_words(situation.facts, ask, line) if step.key == RAMP else ""


def _report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """B+ at the highest line volts read, and when to look again at a tired rectifier."""
    read = situation.record.of_step(RAMP)
    ramp = ramp_of(situation)
    tired = TIRED if ramp.wear is not None and ramp.wear.tired else ""
    if not read:
        return ReportPart(next_check=tired)
    # of the readings at the highest volts the last one counts
    answer = max(reversed(read), key=lambda a: a.values["ac"])
    first = situation.record.first(RAMP, answer.question) or answer
    step = next((s for s in steps if s.key == RAMP), ramp.step)
    shown = next((r for r in step.results if r.question == answer.question), None)
    window = shown.window if shown else None
    b_plus = answer.values["b_plus"]
    row = report_row(
        f"B+ at {answer.values['ac']:.0f} V line",
        f"{window.nominal:.0f} V" if window and window.nominal else "no figure",
        f"{first.values['b_plus']:.0f} V",
        f"{b_plus:.0f} V",
        b_plus,
        window,
    )
    chart = next((s for s in steps if s.key == CHART), None)
    return ReportPart(
        rows=(row,),
        next_check=tired,
        pictures=(*pictured("Supply as left", step), *pictured("Volts as left", chart)),
    )


BEFORE_POWER = Leg("gate, school and set-up", before_power, looks_back=True)
UNDER_POWER = Leg("ramp, diagnosis, conversion, chart", _under_power)
ROOM = Room(
    STAGE,
    (BEFORE_POWER, UNDER_POWER),
    derive=as_converted,
    check=_check,
    follows=_follows,
    while_typing=_while_typing,
    report=_report,
)
