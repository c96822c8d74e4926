"""Selenium to silicon: the new diode drops less, so a series resistor brings B+ back.

Readings with two resistances at the same line voltage enclose the target; the value between them is
computed, tried and measured. Where the resistor sits decides the law and the heat.
"""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.memory import Memory
from glowdial.core.journey.pictures import Place, Probe, SupplyPart, SupplyPicture, Symbol
from glowdial.core.journey.readings import conclude, reading
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Step, result
from glowdial.core.language.quantities import (
    DC_VOLTS,
    RESISTANCE,
    engineering,
    significant,
    supply_volts,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import B_PLUS, SERIES_OHM
from glowdial.core.physics.preferred_values import Series, nearest_standard
from glowdial.core.physics.supply.circuit import RectifierKind, Supply
from glowdial.core.physics.supply.series_resistor import (
    LoadKind,
    ResistorAdvice,
    ResistorPlace,
    ResistorReading,
    on_silicon,
    resistor_choices,
    series_resistor,
    with_resistance,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.safety.cautions import Activity
from glowdial.core.stages.bring_up.gate_steps import STAGE
from glowdial.core.stages.bring_up.ramp_step import SUPPLY
from glowdial.core.stages.bring_up.supply_picture import supply_picture

CONVERSION = "bring-up.conversion"
KEEP, CONVERT = "keep the selenium", "convert to silicon"
TARGET_TOLERANCE = 0.03
MOST_TRIALS = 6
FIRST_GUESS_OHM = 15.0
SHOWN_CHOICES = 3
PEAK_INVERSE_FACTOR = 2.0 * 2.0**0.5 * 1.1


FITTED = "fitted"


def conversion_steps(situation: Situation) -> list[Step]:
    """The step for a set whose sheet has a selenium rectifier; none for others."""
    facts = situation.facts
    supply = facts.original_supply or facts.supply
    if supply is None or supply.rectifier.kind is not RectifierKind.SELENIUM:
        return []
    return [_conversion(facts, supply, situation.record, situation.memory)]


def as_converted(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """The facts with the supply as it was converted in this job, once the resistor is fitted."""
    fitted = record.latest(CONVERSION, FITTED)
    if facts.supply is None or fitted is None:
        return facts
    place, _ = _wanted(record, facts.supply)
    supply = on_silicon(facts.supply, fitted.values["ohm"], place)
    return replace(facts, supply=supply, original_supply=facts.supply)


def _wanted(record: JobRecord, supply: Supply) -> tuple[ResistorPlace, float]:
    answer = record.latest(CONVERSION, "wanted")
    designed = steady_state(supply, supply.line_v).node_v[-1]
    if answer is None:
        return ResistorPlace.AHEAD, designed
    return ResistorPlace(answer.texts["place"]), answer.values.get("target", designed)


def _conversion(facts: ReceiverFacts, supply: Supply, record: JobRecord, memory: Memory) -> Step:
    decide = Ask(
        "choice",
        "Keep the selenium rectifier, or convert it to silicon?",
        (Field("choice", "Rectifier", options=(KEEP, CONVERT)),),
        KEEP,
    )
    step = Step(
        CONVERSION,
        STAGE,
        "Selenium: keep it, or convert it to silicon",
        "Silicon drops less and never fails with fumes; B+ rises, and a series resistor brings it "
        "back. Readings from before the filters were changed do not count.",
        powered=True,
        does=(Activity.REPLACING,),
    )
    decided = reading(record, CONVERSION, decide)
    if decided.answer is None or decided.answer.texts["choice"] == KEEP:
        step = replace(step, show=lambda: _as_built(facts, supply))
        return conclude(step, (decided,))
    place, target_v = _wanted(record, supply)
    wanted = Ask(
        "wanted",
        "Which side of the first filter capacitor does the resistor sit, and what B+ is wanted?",
        (
            Field("place", "Resistor", options=tuple(p.value for p in ResistorPlace)),
            Field("load", "Load", options=tuple(k.value for k in LoadKind)),
            Field("target", "B+ wanted", DC_VOLTS, required=False, nominal=target_v),
        ),
        f"ahead of the reservoir; {significant(target_v, 3)} V is what the sheet's supply gives",
    )
    chosen = reading(record, CONVERSION, wanted)
    if chosen.answer is None:
        step = replace(step, show=lambda: _picture(facts, supply, (), place, target_v))
        return conclude(step, (chosen,))
    fitted = record.latest(CONVERSION, FITTED)
    trials = _trials(record, chosen.answer)
    after = memory.recall(
        ("conversion", supply, facts.line_v, _tried(record, chosen.answer, trials)),
        lambda: _next(facts, supply, record, trials),
    )
    step = replace(
        step,
        leads=(
            Lead("DC meter", "clips", "B+ at the last filter capacitor, behind the resistor"),
            Lead("resistor box", "clips, insulated", _side(place)),
        ),
        results=_results(trials, target_v, fitted),
        notes=(
            "Diodes for at least "
            f"{PEAK_INVERSE_FACTOR * supply.secondary_v:.0f} V peak inverse, each bridged by "
            "nothing but what the sheet shows.",
        ),
    )
    step = replace(step, show=lambda: _picture(facts, supply, step.results, place, target_v))
    if after is None:
        return replace(step, thinking=True)
    advice, remaining = after
    step = replace(
        step,
        advice=tuple(advice),
        change=(SUPPLY, "converted to silicon") if remaining.key == FITTED else None,
    )
    return conclude(step, (), also=remaining if fitted is None else None, retake=remaining)


def _tried(record: JobRecord, chosen: Answer, trials: list[Answer]) -> tuple[object, ...]:
    """All that the next resistor is computed from."""
    values = tuple((a.values["ohm"], a.values["b_plus"]) for a in trials)
    return (*sorted(chosen.texts.items()), *sorted(chosen.values.items()), *values)


def _as_built(facts: ReceiverFacts, supply: Supply) -> SupplyPicture | None:
    """The supply on its selenium, with what it gives."""
    point = steady_state(supply, supply.line_v)
    return supply_picture(replace(facts, supply=supply), point.node_v, {}, line_v=supply.line_v)


def _picture(
    facts: ReceiverFacts,
    supply: Supply,
    results: tuple[Result, ...],
    place: ResistorPlace,
    target_v: float,
) -> SupplyPicture | None:
    """The supply on silicon, the resistor where it is soldered, the probe behind both."""
    silicon = on_silicon(supply, 0.0, place)
    last = len(supply.sections)
    ahead = place is ResistorPlace.AHEAD
    trial = SupplyPart(
        "trial",
        Symbol.RESISTOR,
        Place.INPUT if ahead else Place.BEHIND,
        0,
        "tried here",
        results[-1].label.removeprefix("with ") if results else "",
    )
    point = steady_state(silicon, silicon.line_v)
    return supply_picture(
        replace(facts, supply=silicon),
        (*point.node_v[:-1], target_v),
        {last: results[-1]} if results else {},
        line_v=silicon.line_v,
        probes=(Probe(last, "V", "your DC meter"),),
        extra=(trial,),
    )


def _side(place: ResistorPlace) -> str:
    if place is ResistorPlace.AHEAD:
        return "between rectifier and first capacitor; the probe goes behind both"
    return "between first capacitor and filter; the probe goes behind both"


def _trials(record: JobRecord, chosen: Answer) -> list[Answer]:
    """Readings with a resistor since it was chosen where it sits; before the last one was fitted, a
    changed supply spoils them."""
    fitted = record.latest(CONVERSION, FITTED) is not None
    basis = Basis(areas=() if fitted else (SUPPLY,), after=(chosen,))
    found = [record.latest(CONVERSION, f"trial{n}") for n in range(1, MOST_TRIALS + 1)]
    return [a for a in found if a is not None and not record.stale(a, basis)]


def _next(
    facts: ReceiverFacts, supply: Supply, record: JobRecord, trials: list[Answer]
) -> tuple[list[str], Ask]:
    """What the trials say, and the next one, or the resistor to fit."""
    place, target_v = _wanted(record, supply)
    chosen = record.latest(CONVERSION, "wanted")
    load = LoadKind(chosen.texts["load"]) if chosen else LoadKind.RESISTIVE
    if not trials:
        return (
            ["First without a resistor: that is the most that B+ can be."],
            _trial(facts, 1, 0.0, place, None),
        )
    readings = tuple(
        ResistorReading(a.values["ohm"], a.values["b_plus"])
        for a in sorted(trials, key=lambda a: a.values["ohm"])
    )
    silicon = on_silicon(supply, 0.0, place)
    if len(trials) == 1:
        guess = _first_guess_ohm(silicon, target_v, place)
        return (
            [
                f"Now one that takes B+ below {significant(target_v, 3)} V: two readings must "
                "enclose it, at least a tenth apart."
            ],
            _trial(facts, 2, guess, place, None),
        )
    advice = series_resistor(readings, target_v, place, load, silicon)
    if not advice.final and len(trials) < MOST_TRIALS:
        return (
            [advice.words],
            _trial(facts, len(trials) + 1, advice.try_ohm, place, advice.predicted_v),
        )
    return _to_fit(facts, silicon, advice, target_v, place)


def _first_guess_ohm(silicon: Supply, target_v: float, place: ResistorPlace) -> float:
    """A resistance that surely overshoots: where the model is a tenth below the target."""
    ohm = FIRST_GUESS_OHM
    for _ in range(20):
        tried = with_resistance(silicon, ohm, place)
        if steady_state(tried, silicon.line_v).node_v[-1] < 0.9 * target_v:
            break
        ohm *= 1.6
    return nearest_standard(ohm, Series.E12)


def _trial(
    facts: ReceiverFacts, n: int, ohm: float, place: ResistorPlace, predicted_v: float | None
) -> Ask:
    line_v = facts.nominal_line_v
    with_ohm = "no resistor (0)" if ohm == 0.0 else f"about {engineering(ohm, 'ohm')}"
    return Ask(
        f"trial{n}",
        f"Silicon in, {with_ohm} {place.value}, line at {supply_volts(line_v)} V: the resistance "
        "and B+.",
        _fields(None),
        f"{ohm:.0f} {significant(predicted_v or 250.0, 3)}",
        expected_text=f"{significant(predicted_v, 3)} V" if predicted_v else "",
        recipe=_recipe(ohm, place, line_v),
    )


def _fields(target_v: float | None) -> tuple[Field, ...]:
    return (
        Field("ohm", "resistance", RESISTANCE, measurand=SERIES_OHM, sets="series_ohm"),
        Field("b_plus", "B+", DC_VOLTS, nominal=target_v, measurand=B_PLUS),
    )


def _recipe(ohm: float, place: ResistorPlace, line_v: float) -> Recipe:
    behind = place is ResistorPlace.BEHIND
    change = setting(line_v=line_v, series_ohm=ohm, series_behind=behind)
    return Recipe(Doing.READ, change)


def _to_fit(
    facts: ReceiverFacts,
    silicon: Supply,
    advice: ResistorAdvice,
    target_v: float,
    place: ResistorPlace,
) -> tuple[list[str], Ask]:
    line_v = facts.nominal_line_v
    lines = [advice.words]
    if advice.try_ohm > 0.0:
        choices = resistor_choices(silicon, line_v, advice.try_ohm, target_v, place)
        lines += [
            f"{' + '.join(engineering(v, 'ohm') for v in c.values_ohm)}: B+ "
            f"{significant(c.b_plus_v, 3)} V, {c.dissipation_w:.2g} W, rate it {c.rating_w:g} W."
            for c in choices[:SHOWN_CHOICES]
        ]
        lines.append(choices[0].words.partition(", ")[2].capitalize())
    ask = Ask(
        FITTED,
        "Fit it, and read the resistance fitted and B+ with it.",
        _fields(target_v),
        f"{advice.try_ohm:.0f} {significant(target_v, 3)}",
        expected=Window(
            target_v * (1 - TARGET_TOLERANCE), target_v * (1 + TARGET_TOLERANCE), target_v
        ),
        expected_text=f"{significant(target_v, 3)} V within 3 %",
        recipe=_recipe(advice.try_ohm, place, line_v),
    )
    return lines, ask


def _results(trials: list[Answer], target_v: float, fitted: Answer | None) -> tuple[Result, ...]:
    window = Window(target_v * (1 - TARGET_TOLERANCE), target_v * (1 + TARGET_TOLERANCE), target_v)
    limits = (f"{significant(window.low or 0.0, 3)} V", f"{significant(window.high or 0.0, 3)} V")
    found = [
        result(
            a,
            f"with {engineering(a.values['ohm'], 'ohm')}",
            f"{significant(a.values['b_plus'], 3)} V",
            a.values["b_plus"],
            window,
            limits,
            as_found=a.ask != FITTED,
        )
        for a in (*trials, *([fitted] if fitted else []))
    ]
    return tuple(found)
