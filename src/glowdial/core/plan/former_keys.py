"""How the first version's record named things, for reading it: constants of rules were parts of
keys."""

from __future__ import annotations

from glowdial.core.journey.record import Point
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import (
    AVC,
    B_PLUS,
    B_PLUS_OHM,
    B_PLUS_RIPPLE,
    BRIDGE_F,
    CHASSIS_TEMPERATURE,
    GENERATOR_FREQUENCY,
    GENERATOR_LEVEL,
    LABEL_V,
    LAMP_POWER,
    LEADS_OHM,
    LINE,
    LINE_CURRENT,
    LOUDSPEAKER,
    RESERVOIR,
    RESERVOIR_RIPPLE,
    SERIES_OHM,
    SET_INPUT,
    Kind,
    Measurand,
    electrode,
    heater,
    of_part,
    resonance_of,
    turn_of,
    winding,
)

NORM_LINE_V = 230.0
RAMP, CHART, CONVERSION = "bring-up.ramp", "bring-up.chart", "bring-up.conversion"
BY_FIELD: dict[str, Measurand] = {
    "ac": LINE,
    "line": LINE,
    "b_plus": B_PLUS,
    "reservoir": RESERVOIR,
    "ripple_first": RESERVOIR_RIPPLE,
    "ripple_last": B_PLUS_RIPPLE,
    "ripple": B_PLUS_RIPPLE,
    "current": LINE_CURRENT,
    "avc": AVC,
    "before": AVC,
    "after": AVC,
    "level": GENERATOR_LEVEL,
    "on": LOUDSPEAKER,
    "off": LOUDSPEAKER,
    "frequency": GENERATOR_FREQUENCY,
    "resistance": B_PLUS_OHM,
    "temperature": CHASSIS_TEMPERATURE,
    "leads": LEADS_OHM,
    "bridge": BRIDGE_F,
    "lamp": LAMP_POWER,
    "label_v": LABEL_V,
}


def step_of_key(facts: ReceiverFacts, step: str) -> str:
    """A step by today's key: a sensitivity's point was named by its frequency, and is by its number
    within its band."""
    parts = step.split(".")
    if parts[0] != "proof" or len(parts) != 4:
        return step
    band, frequency = parts[2], parts[3]
    mine = [p for p in facts.sensitivity if p.band == band]
    for number, point in enumerate(mine, 1):
        if f"{point.frequency_hz:.0f}" == frequency:
            return f"{parts[0]}.{parts[1]}.{band}.{number}"
    return step


def point_of_key(facts: ReceiverFacts, step: str, ask: str) -> tuple[str, Point]:
    """A question by today's key, and the point that was part of its older one."""
    if not ask.isdigit():
        return ask, ()
    value = float(ask)
    if step in ("if.survey", "if.survey-left"):
        return "point", (("generator_hz", value),)
    if step == RAMP:
        return "held", (("line_v", value / 100.0 * (facts.line_v or NORM_LINE_V)),)
    if step.startswith("dial."):
        return "mark", (("dial_hz", value),)
    return ask, ()


def former_measurand(facts: ReceiverFacts, step: str, ask: str, field: str) -> Measurand | None:
    """What a value of the first version was, and where; None for what was no measurement."""
    if step == CHART and ask == "heaters":
        direct = any(h.direct for h in facts.circuit.heaters.heaters)
        return heater(field, direct=direct)
    if step == CHART and field not in BY_FIELD:
        return electrode(ask.removesuffix("-lifted"), field)
    if step == RAMP and ask == "lamp" and field == "ac":
        return SET_INPUT
    if field == "ohm":
        return SERIES_OHM if step == CONVERSION else winding(ask)
    if field in ("measured", "leakage"):
        resistor = any(p.ref == ask and p.is_resistor for p in facts.parts)
        measured = Kind.RESISTANCE if resistor else Kind.CAPACITANCE
        return of_part(ask, measured if field == "measured" else Kind.LEAKAGE)
    if field == "turns":
        return _turned(facts, step)
    if step == "cold.path" and field == "frequency":
        return resonance_of(ask)
    return BY_FIELD.get(field)


def _turned(facts: ReceiverFacts, step: str) -> Measurand | None:
    """The adjuster of a step in which something was turned."""
    parts = step.split(".")
    keys = {a.key for a in facts.adjusters}
    if parts[-1] in keys:
        return turn_of(parts[-1])
    for band in facts.bands:
        if len(parts) > 2 and parts[1] == band.key:
            by_end = {
                "high": band.high_adjuster,
                "low": band.low_adjuster,
                "aerial": band.aerial_adjuster,
            }
            found = by_end.get(parts[-1])
            return turn_of(found) if found else None
    return None
