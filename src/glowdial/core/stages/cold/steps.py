"""Cold checks: tubes, windings, B+ to chassis, and the signal path, all without power."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.readings import conclude, reading, readings, waiting
from glowdial.core.journey.record import Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Status, Step, confirm, result
from glowdial.core.language.quantities import (
    CAPACITANCE,
    INTERMEDIATE_FREQUENCY,
    RESISTANCE,
    TEMPERATURE,
    engineering,
    khz,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model import measurands
from glowdial.core.model.facts import IfTransformer, ReceiverFacts, WindingFact
from glowdial.core.model.measurands import (
    B_PLUS_OHM,
    BRIDGE_F,
    CHASSIS_TEMPERATURE,
    LEADS_OHM,
    resonance_of,
)
from glowdial.core.physics.copper import copper_ohm
from glowdial.core.safety.cautions import Activity, Trait, common_rail, traits_of
from glowdial.core.stages.cold.windings import WINDING_TOLERANCE, ZERO_LEADS_BELOW_OHM, winding

STAGE = "cold checks"
LEAST_B_PLUS_OHM = 10e3
CHART_TOLERANCE = 0.2
TUBE_OPTIONS = ("untested", "good", "weak", "bad", "shorted", "air or gas", "exchanged")
# a transistor has no vacuum, and leaks instead
TRANSISTOR_OPTIONS = ("untested", "good", "weak", "bad", "shorted", "leaky", "exchanged")
TUBE_WORDS = {
    "leaky": "replace it: its leakage rises with the temperature and takes the bias with it",
    "weak": "keep a known good one at hand; it may still do",
    "bad": "replace it before power",
    "shorted": "replace it before power: it takes its resistors with it",
    "air or gas": "replace it: its grid draws current and pulls the stage up",
}
SHORTED = "shorted"
STOPS_POWER = ("bad", SHORTED, "air or gas")
RESISTANCE_COLUMN = "resistance"
PATH, WINDINGS, TUBES, B_PLUS = "cold.path", "cold.windings", "cold.tubes", "cold.b-plus"
CAN_TOLERANCE = 0.05
NORM_BRIDGE_F = 0.5e-12


def cold_steps(situation: Situation) -> list[Step]:
    """Everything that is found before power: cheap, safe, and first."""
    facts, record = situation.facts, situation.record
    return [
        *_tubes(facts, record),
        *_windings(facts, record),
        _b_plus(facts, record),
        _path(facts, record),
    ]


def _tubes(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    if not facts.tubes:
        return []
    device = facts.device_word
    each = "tube or transistor" if device == "stage" else device
    options = TRANSISTOR_OPTIONS if device == "transistor" else TUBE_OPTIONS
    ask = Ask(
        "tubes",
        f"Each {each} as the tester or an exchange shows it, and by its print: does it stand where "
        "the sheet has it?",
        (
            *(
                Field(t.position, f"{t.position} {t.type}, {t.function}", options=options)
                for t in facts.tubes
            ),
            Field("misplaced", "What stands elsewhere, or is another type", required=False),
        ),
        "V2 holds the output stage's twin",
    )
    tested = reading(record, TUBES, ask)
    answer = tested.answer
    found = [
        (t, answer.texts.get(t.position, "untested")) for t in facts.tubes if answer is not None
    ]
    lines = [
        f"{t.position} {state}: {TUBE_WORDS[state]}." for t, state in found if state in TUBE_WORDS
    ]
    misplaced = answer.texts.get("misplaced", "") if answer else ""
    if misplaced:
        lines.append(f"Put right before power: {misplaced}.")
    if Trait.SERIES_STRING in traits_of(facts):
        lines.append("Power off for every exchange: the heaters are in series.")
    bad = [t.position for t, state in found if state in STOPS_POWER]
    step = Step(
        TUBES,
        STAGE,
        f"Test the {each.replace(' or ', 's and ')}s, and see that each stands where it belongs",
        f"A {device if device != 'stage' else 'tube'} in the wrong place, or a shorted one, costs "
        "resistors at switch-on. A tester's good is weak evidence; an exchange with a known good "
        "one decides.",
        advice=tuple(lines),
        notes=tuple(f"{t.position}: {state}" for t, state in found if state != "untested"),
        cost=f"{', '.join(bad)} may harm other parts" if bad else "",
        does=(Activity.COLD_CHECKS, Activity.RESEATING),
        holds_power=tuple(
            f"{t.position} is shorted and in place: take it out or exchange it, then say so under "
            f"the {each.replace(' or ', 's and ')}s."
            for t, state in found
            if state == SHORTED
        ),
    )
    settled = conclude(step, (tested,))
    if bad and settled.status is Status.DONE:
        settled = replace(settled, status=Status.TROUBLE, ask=ask, retake=True)
    return [settled]


def _windings(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """The chart of coil resistances: the room and the leads first, then winding by winding."""
    if not facts.windings:
        return []
    low = any(w.resistance_ohm < ZERO_LEADS_BELOW_OHM for w in facts.windings)
    room = reading(
        record,
        WINDINGS,
        Ask(
            "room",
            "The chassis's temperature, and what the leads measure held together.",
            (
                Field(
                    "temperature",
                    "temperature",
                    TEMPERATURE,
                    nominal=20.0,
                    measurand=CHASSIS_TEMPERATURE,
                ),
                Field("leads", "leads", RESISTANCE, measurand=LEADS_OHM),
            ),
            "21 0.3",
            expected_text="leads below 1 ohm" if low else "",
        ),
    )
    step = Step(
        WINDINGS,
        STAGE,
        "Measure the windings against the sheet's chart",
        "Copper changes by 0.4 % a degree, and leads count below 10 ohm. An open winding shows; a "
        "few shorted turns hardly do: ring it if in doubt.",
        controls=(
            "power off, capacitors discharged",
            f"{facts.device_word}s in, nothing else clipped on",
        ),
        does=(Activity.COLD_CHECKS,),
    )
    known = room.answer.values if room.answer else {"temperature": 20.0, "leads": 0.0}
    temperature_c, leads_ohm = known["temperature"], known["leads"]
    asks = [_winding_ask(one, temperature_c, leads_ohm) for one in facts.windings]
    found = readings(record, WINDINGS, asks)
    results: list[Result] = []
    advice: list[str] = []
    for one, taken in zip(facts.windings, found, strict=True):
        if taken.answer is None:
            continue
        read = winding(
            max(taken.answer.values["ohm"], leads_ohm),
            one.resistance_ohm,
            temperature_c=temperature_c,
            leads_ohm=leads_ohm,
        )
        window = _winding_window(one)
        results.append(
            result(
                taken.answer,
                one.name,
                "open" if read.open else f"{engineering(read.corrected_ohm, 'ohm')} at 20 C",
                read.corrected_ohm,
                window,
                (engineering(window.low or 0.0, "ohm"), engineering(window.high or 0.0, "ohm")),
            )
        )
        if not read.inside:
            advice.append(f"{one.name}: {read.words}")
    bad = {r.question for r in results if r.judgement.verdict.outside}
    step = replace(
        step,
        results=tuple(results),
        advice=tuple(advice),
        cost="a winding that is not what the sheet says" if bad else "",
        table=_windings_table(facts, asks, results),
    )
    if room.answer is None:
        return [conclude(step, (room,))]
    settled = conclude(step, found)
    open_asks = tuple(r.ask for r in found if r.answer is None or r.ask.name in bad)
    others = tuple(a for a in open_asks if settled.ask is None or a.name != settled.ask.name)
    return [replace(settled, others=others)]


def _windings_table(
    facts: ReceiverFacts, asks: Sequence[Ask], results: Sequence[Result]
) -> ReadingTable:
    """Every winding by the area it belongs to: what the meter should show here, and what it did."""
    read = {r.question: r for r in results}
    rows = []
    for one, ask in zip(facts.windings, asks, strict=True):
        found = read.get(ask.name)
        cell = TableCell(
            RESISTANCE_COLUMN,
            ask.name,
            one.name,
            f"{engineering(one.resistance_ohm, 'ohm')} at 20 C",
            found.text if found else "",
            found.judgement.verdict.value if found else "",
            found.judgement.brief if found else "",
        )
        rows.append(TableRow(ask.name, one.name, one.area, (cell,)))
    return ReadingTable((RESISTANCE_COLUMN,), tuple(rows))


def _winding_window(one: WindingFact) -> Window:
    return Window(
        one.resistance_ohm * (1.0 - WINDING_TOLERANCE),
        one.resistance_ohm * (1.0 + WINDING_TOLERANCE),
        one.resistance_ohm,
    )


def _winding_ask(one: WindingFact, temperature_c: float, leads_ohm: float) -> Ask:
    hot_ohm = copper_ohm(one.resistance_ohm, temperature_c) + leads_ohm
    return Ask(
        one.key,
        f"{one.name}: its resistance; 'open' for no reading at all.",
        (
            Field(
                "ohm",
                one.name,
                RESISTANCE,
                nominal=one.resistance_ohm,
                measurand=measurands.winding(one.key),
            ),
        ),
        f"{hot_ohm:.3g}",
        expected=_winding_window(one),
        expected_text=f"{engineering(hot_ohm, 'ohm')} on this meter, in this room",
        recipe=Recipe(Doing.READ, setting(line_v=0.0)),
    )


def least_b_plus_ohm(facts: ReceiverFacts) -> Window:
    """What B+ to the common rail may be before power: against the sheet's figure, or the norm."""
    given = facts.b_plus_resistance_ohm
    return Window((1 - CHART_TOLERANCE) * given if given else LEAST_B_PLUS_OHM, None, given)


def _b_plus(facts: ReceiverFacts, record: JobRecord) -> Step:
    """Resistance from B+ to chassis: the one cold check that no power may precede."""
    given = facts.b_plus_resistance_ohm
    window = least_b_plus_ohm(facts)
    common = common_rail(facts)
    ask = Ask(
        "resistance",
        f"Measure B+ to {common} and wait until the capacitors have charged from the meter.",
        (
            Field(
                "resistance",
                f"B+ to {common}",
                RESISTANCE,
                nominal=given,
                measurand=B_PLUS_OHM,
            ),
        ),
        "150k",
        expected=window,
        expected_text=f"{engineering(window.low or 0.0, 'ohm')} or more"
        + ("" if given else "; the sheet gives none"),
        recipe=Recipe(Doing.READ, setting(line_v=0.0)),
    )
    found = reading(record, B_PLUS, ask, Basis(areas=("supply",)))
    results: tuple[Result, ...] = ()
    if found.answer is not None:
        value = found.answer.values["resistance"]
        results = (
            result(
                found.answer,
                f"B+ to {common}",
                engineering(value, "ohm"),
                value,
                window,
                (engineering(window.low or 0.0, "ohm"), ""),
                stale=found.stale,
            ),
        )
    low = bool(results) and results[0].judgement.verdict.outside
    step = Step(
        B_PLUS,
        STAGE,
        f"Measure B+ to {common}, set switched off",
        "A short here burns the rectifier or the transformer at switch-on."
        if common == "chassis"
        else "The common rail of this set is B-, which may not be the chassis. A short here burns "
        "the rectifier at switch-on.",
        results=results,
        leads=(
            Lead("ohmmeter +", "clip", "B+ at the last filter capacitor"),
            Lead("ohmmeter -", "clip", common),
        ),
        controls=("meter's positive lead on B+: an electrolytic leaks the other way round",),
        does=(Activity.COLD_CHECKS,),
        advice=(
            "Find out why it is low before power: filter capacitor, bypass, or wiring. Lift the "
            "last filter capacitor's lead and measure again: if it rises, that capacitor leaks; if "
            "not, lift what B+ feeds, one after the other. Put each back, or note it as clipped "
            "off.",
        )
        if low
        else (),
        cost="the rectifier and the transformer are at risk" if low else "",
        before_power=True,
        closed_until=("supply",),
    )
    return conclude(step, (found,), retake=ask)


def bridged_hz(resonance_hz: float, capacitance_f: float, bridge_f: float) -> float:
    """Where a can tuned with ``capacitance_f`` stands with a bridge of ``bridge_f`` beside it."""
    return resonance_hz * math.sqrt(capacitance_f / (capacitance_f + bridge_f))


def _path(facts: ReceiverFacts, record: JobRecord) -> Step:
    """The unpowered signal path: can by can, each stage bridged by a small capacitor."""
    begin = Ask(
        "wanted",
        "Follow a carrier at the IF through the dead set, winding by winding?",
        (Field("wanted", "Follow the path", options=("not needed", "follow it")),),
        "not needed",
    )
    wanted = reading(record, PATH, begin)
    step = Step(
        PATH,
        STAGE,
        "Follow the signal path without power",
        "In a dead set it shows that the windings are whole and that the cans still resonate near "
        "the IF, before anything is risked.",
    )
    if wanted.answer is not None and wanted.answer.texts["wanted"] != "not needed":
        step = replace(step, does=(Activity.COLD_CHECKS, Activity.SIGNAL_IN))
    if wanted.answer is None or wanted.answer.texts["wanted"] == "not needed":
        return conclude(step, (wanted,))
    bridge = Ask(
        "bridge",
        f"Bridge each stage from {_bridged(facts)} with one small capacitor; how much is it?",
        (Field("bridge", "bridge", CAPACITANCE, nominal=NORM_BRIDGE_F, measurand=BRIDGE_F),),
        "0.5",
        expected_text=_pull_words(facts),
        makes=(("bridging capacitors", f"{_bridged(facts)} of each IF stage"),),
    )
    bridged = reading(record, PATH, bridge)
    if bridged.answer is None:
        return conclude(step, (bridged,))
    bridge_f = bridged.answer.values["bridge"]
    cans = list(reversed(facts.transformers))
    found = readings(record, PATH, (_can_ask(facts, can, bridge_f) for can in cans))
    results: list[Result] = []
    for can, taken in zip(cans, found, strict=True):
        if taken.answer is None:
            continue
        window = _can_window(facts, can, bridge_f)
        value = taken.answer.values["frequency"]
        limits = (khz(round(window.low or 0.0, -2)), khz(round(window.high or 0.0, -2)))
        results.append(
            result(taken.answer, can.name, khz(value), value, window, limits, as_found=True)
        )
    off = [r for r in results if r.judgement.verdict.outside]
    step = replace(
        step,
        results=tuple(results),
        leads=(
            Lead("generator, 30 % tone", "10 nF", "primary", signal=True),
            Lead("tracer", "probe", "secondary"),
        ),
        advice=tuple(
            f"{r.label} is far from the IF: a changed capacitor or shorted turns; note it for the "
            "alignment."
            for r in off
        ),
    )
    taken_off = reading(record, PATH, confirm("off", "Every bridge is off again."))
    if waiting(found) is None and taken_off.answer is None:
        step = replace(step, undoes=PATH)
    return conclude(step, (*found, taken_off))


def _bridged(facts: ReceiverFacts) -> str:
    return "base to collector" if facts.device_word == "transistor" else "grid to plate"


def _can_window(facts: ReceiverFacts, can: IfTransformer, bridge_f: float) -> Window:
    centre = bridged_hz(facts.intermediate_frequency_hz, can.capacitance_f, bridge_f)
    return Window(centre * (1 - CAN_TOLERANCE), centre * (1 + CAN_TOLERANCE), centre)


def _can_ask(facts: ReceiverFacts, can: IfTransformer, bridge_f: float) -> Ask:
    window = _can_window(facts, can, bridge_f)
    centre = window.nominal or facts.intermediate_frequency_hz
    return Ask(
        can.key,
        f"Modulated carrier into {can.name}'s primary, signal tracer behind its secondary: "
        "where is it loudest?",
        (
            Field(
                "frequency",
                can.name,
                INTERMEDIATE_FREQUENCY,
                nominal=centre,
                measurand=resonance_of(can.key),
            ),
        ),
        f"{centre / 1e3:.0f}",
        expected=window,
        expected_text=f"about {khz(round(centre, -2))}, pulled down by the bridge",
    )


def _pull_words(facts: ReceiverFacts) -> str:
    capacitance_f = facts.transformers[-1].capacitance_f
    intermediate_hz = facts.intermediate_frequency_hz
    words: list[str] = []
    for bridge_f in (NORM_BRIDGE_F, 5e-12):
        pull_hz = intermediate_hz - bridged_hz(intermediate_hz, capacitance_f, bridge_f)
        words.append(f"{1e12 * bridge_f:g} pF pulls by {pull_hz / 1e3:.1f} kHz")
    return "; ".join(words)
