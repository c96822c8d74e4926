"""What volts that are off mean: patterns of heaters, and of the electrodes of one stage."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.journey.record import Answer
from glowdial.core.journey.steps import Result
from glowdial.core.language.quantities import significant
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.stages.bring_up.voltage_chart import (
    NORM_METER_OHM,
    ChartLine,
    chart_meter_ohm,
    electrode_name,
)


@dataclass(frozen=True, slots=True)
class ChartTaken:
    """Under what a reading of the chart was taken: line volts, their share of the nominal ones, B+,
    and the resistance of the meter that it was read with; ``named`` where the chart was said to be
    read with that one, ``known`` where any was registered."""

    line_v: float
    share: float
    b_plus_v: float
    meter_ohm: float
    named: bool = False
    known: bool = True

    def by(self, answer: Answer) -> ChartTaken:
        """The same with the meter of an answer, unless one was named for the whole chart."""
        if self.named:
            return self
        read_ohm = answer.instruments.meter_ohm
        return replace(self, meter_ohm=read_ohm or NORM_METER_OHM, known=read_ohm is not None)


# a share of the string's volts below which a heater shows nothing, and above which it has all
NO_VOLTS_SHARE, ALL_VOLTS_SHARE = 0.02, 0.5


def _open_heater(facts: ReceiverFacts, results: list[Result]) -> str:
    """The open heater of a series string: all volts stand across it, and none across the others."""
    whole = sum(h.volts for h in facts.circuit.heaters.heaters)
    volts = [(r.label, abs(r.value or 0.0)) for r in results]
    with_all = [label for label, v in volts if v >= ALL_VOLTS_SHARE * whole]
    without = [label for label, v in volts if v <= NO_VOLTS_SHARE * whole]
    if len(with_all) + len(without) != len(volts) or len(with_all) > 1 or not without:
        return ""
    if with_all:
        return (
            f"The string is open at {with_all[0]}: all volts stand across it, none across the "
            "others. Power off, then try its continuity."
        )
    return (
        "No volts at any heater: the string is open at its dropper or ballast, the switch, or a "
        "heater that was not read."
    )


def heater_advice(facts: ReceiverFacts, results: list[Result]) -> list[str]:
    """What a pattern of heater volts means."""
    heaters = facts.circuit.heaters
    off = [r for r in results if r.judgement.verdict.outside]
    if not off:
        return []
    if not heaters.in_series:
        return ["One heater low: its socket or joint; all low: the winding, the battery, the line."]
    open_one = _open_heater(facts, results)
    if open_one:
        return [open_one]
    ratio = [(r.value or 0.0) / r.window.nominal for r in results if r.window and r.window.nominal]
    share = sum(ratio) / len(ratio)
    spread = max(ratio) - min(ratio)
    if spread < 0.12:
        way = (
            "low: the dropper or ballast has risen"
            if share < 1.0
            else "high: part of it is bridged"
        )
        return [
            f"All heaters stand at {100 * share:.0f} % together, {way}. Measure its resistance, "
            "power off."
        ]
    high = max(results, key=lambda r: (r.value or 0.0) / ((r.window and r.window.nominal) or 1.0))
    return [
        f"{high.label} takes more than its share: a tube of another current, or the others shorted "
        "in part. Never pull a tube of a series string under power."
    ]


def low_or_high(
    stage: AmplifierStage, lines: list[ChartLine], answer: Answer, bench: ChartTaken
) -> list[str]:
    """The likely cause of a pattern of volts in one stage."""
    off = {}
    for line in lines:
        window = line.window(bench.share, bench.meter_ohm)
        value = answer.values.get(line.electrode)
        if value is None:
            continue
        if window.high is not None and value > window.high:
            off[line.electrode] = 1
        if window.low is not None and value < window.low:
            off[line.electrode] = -1
    return _causes(stage, off, _loaded_words(lines, answer, bench))


def _causes(stage: AmplifierStage, off: dict[str, int], loaded: str) -> list[str]:
    """What a pattern of low (-1) and high (1) electrodes means, in the device's own words."""
    name, solid = stage.name, stage.device is Device.TRANSISTOR
    plate = electrode_name(stage, "plate")
    if off.get("screen") == -1:
        return [f"{name}'s screen is low: its resistor has risen, or its bypass leaks{loaded}."]
    if off.get("cathode") == -1 and off.get("plate", 0) >= 0:
        why = (
            "a weak or open transistor, or its base divider has drifted"
            if solid
            else "a weak tube, a cold heater, or too little screen"
        )
        return [f"{name} draws too little: {why}."]
    if off.get("cathode") == 1 and off.get("plate", 0) <= 0:
        why = (
            "a leaky transistor, its base divider, or its emitter resistor has risen"
            if solid
            else "a positive grid, or its cathode resistor has risen"
        )
        return [f"{name} draws too much: {why}."]
    if off.get("plate") == -1:
        return [f"{name}'s {plate} is low: its load has risen, or a bypass on it leaks{loaded}."]
    if off.get("plate") == 1:
        return [f"{name}'s {plate} is high: little current through its load."]
    return []


# the old multimeters that charts were made with, in ohm for each volt of the range
OLD_METER_OHM_PER_VOLT = 1e3


def _loaded_words(lines: list[ChartLine], answer: Answer, bench: ChartTaken) -> str:
    """Whether an old meter would pull a low electrode as low; only where no meter is known."""
    if bench.known:
        return ""
    for line in lines:
        value = answer.values.get(line.electrode)
        window = line.window(bench.share, bench.meter_ohm)
        if value is None or window.low is None or value >= window.low or line.open_v <= 0.0:
            continue
        old_ohm = chart_meter_ohm(line.open_v, OLD_METER_OHM_PER_VOLT)
        old_v = line.read_v(bench.share, old_ohm)
        if (1.0 - line.tolerance) * old_v <= value < window.low:
            return (
                f"; or your meter loads it ({significant(old_v, 3)} V would be right on one of "
                "1000 ohm/V): which is it? Register the meter"
            )
    return ""
