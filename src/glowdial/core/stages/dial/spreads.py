"""A bandspread's scale, by either school: the main pointer stays on its place, or it is moved until
a known signal comes in at a figure of the bandspread. Touching one spoils the other."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.dial_marks import (
    band_adjusters,
    dial_leads,
    dial_recipe,
    frequency_field,
    frequency_quantity,
)
from glowdial.core.journey.readings import Reading, asked_at, conclude, planned, reading, readings
from glowdial.core.journey.record import CABINET, Answer, Basis, JobRecord
from glowdial.core.journey.steps import Ask, Field, Plot, PlotLine, Result, Step, result
from glowdial.core.language.quantities import khz
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, Bandspread, ReceiverFacts
from glowdial.core.stages.dial.stage import STAGE

SCHOOL, SET, FIGURE = "school", "set", "figure"
MAIN_FIRST, ZERO_SET = "main on its place", "main set by a known signal"
# a pointer's width on its scale
TOLERANCE_SHARE = 0.01


def spread_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """A step for each bandspread of a band."""
    return [_spread(facts, record, band, n) for n in range(len(band.spreads))]


def _spread(facts: ReceiverFacts, record: JobRecord, band: BandFacts, number: int) -> Step:
    spread, key = band.spreads[number], f"dial.{band.key}.spread{number + 1}"
    school = reading(record, key, _school_ask(spread))
    chosen = school.answer.texts["school"] if school.answer else ""
    found: list[Reading] = [school]
    basis = Basis(
        adjusters=(*band_adjusters(band), *facts.if_adjusters()),
        areas=(CABINET, "oscillator", "if"),
        after=(school.answer,),
    )
    if chosen == ZERO_SET:
        zero = reading(record, key, _set_ask(facts, band, spread), basis)
        found.append(zero)
        basis = replace(basis, after=(school.answer, zero.answer))
    figures = planned(record, key, spread.figures_hz, school.answer)
    main_hz = spread.main_hz
    if chosen == ZERO_SET and zero.answer is not None:
        main_hz = zero.answer.values["main"]
    asks = [_figure_ask(facts, band, main_hz, hz) for hz in figures]
    read = readings(record, key, asks, basis) if chosen else ()
    results = tuple(
        _result(spread, hz, r.answer, stale=r.stale)
        for hz, r in zip(figures, read, strict=False)
        if r.answer is not None
    )
    step = Step(
        key,
        STAGE,
        f"{band.name}: read the {spread.name} bandspread",
        "The bandspread's scale is right for one place of the main pointer only: touching one "
        "spoils the other.",
        results=results,
        advice=_advice(spread, chosen, results),
        leads=dial_leads(facts),
        controls=(f"main pointer for {spread.name}: {khz(spread.main_hz)}",),
        powered=True,
        programme=figures,
        notes=_notes(spread, chosen, found),
        draw=lambda: _plot(band, spread, results),
    )
    return conclude(step, [*found, *read])


def _school_ask(spread: Bandspread) -> Ask:
    return Ask(
        SCHOOL,
        f"How is the main pointer set for {spread.name}: on its place, or by a known signal?",
        (Field("school", "main pointer", options=(MAIN_FIRST, ZERO_SET)),),
        MAIN_FIRST,
    )


def _set_ask(facts: ReceiverFacts, band: BandFacts, spread: Bandspread) -> Ask:
    quantity = frequency_quantity(band.high_hz)
    known = spread.figures_hz[len(spread.figures_hz) // 2]
    return Ask(
        SET,
        f"Bandspread on {khz(known)}, generator or calibrator on it: move the main dial until it "
        "comes in. Where does the main pointer stand?",
        (Field("main", "main pointer at", quantity, nominal=spread.main_hz),),
        khz(spread.main_hz).split()[0],
        recipe=_recipe(facts, band, Doing.FIND_DIAL, spread.main_hz, known),
    )


def _recipe(
    facts: ReceiverFacts, band: BandFacts, doing: Doing, main_hz: float, figure_hz: float
) -> Recipe:
    recipe = dial_recipe(facts, band, main_hz, doing)
    return recipe.setting(spread_hz=figure_hz, generator_hz=figure_hz)


def _figure_ask(facts: ReceiverFacts, band: BandFacts, main_hz: float, figure_hz: float) -> Ask:
    ask = Ask(
        FIGURE,
        f"Bandspread on {khz(figure_hz)}, main untouched: what comes in?",
        (replace(frequency_field(figure_hz), against=""),),
        khz(figure_hz).split()[0],
        called=khz(figure_hz),
        recipe=_recipe(facts, band, Doing.FIND_FREQUENCY, main_hz, figure_hz),
    )
    return asked_at(ask, dial_hz=figure_hz)


def _tolerance_hz(spread: Bandspread) -> float:
    return TOLERANCE_SHARE * (spread.high_hz - spread.low_hz)


def _result(spread: Bandspread, figure_hz: float, answer: Answer, *, stale: bool) -> Result:
    value, tolerance = answer.values["frequency"], _tolerance_hz(spread)
    return result(
        answer,
        khz(figure_hz),
        f"{khz(value)} ({(value - figure_hz) / 1e3:+.1f} kHz)",
        value,
        symmetric(figure_hz, tolerance),
        (khz(figure_hz - tolerance), khz(figure_hz + tolerance)),
        stale=stale,
    )


def _errors(results: tuple[Result, ...]) -> list[tuple[float, float]]:
    """Figure and error of each reading, in Hz."""
    found = []
    for one in results:
        nominal = one.window.nominal if one.window else None
        if one.value is not None and nominal is not None:
            found.append((nominal, one.value - nominal))
    return found


def _advice(spread: Bandspread, chosen: str, results: tuple[Result, ...]) -> tuple[str, ...]:
    """What the errors have in common says what is to be moved."""
    errors = _errors(results)
    if len(errors) < len(spread.figures_hz):
        return ()
    offs = [off for _, off in errors]
    mean, worst = sum(offs) / len(offs), max(offs, key=abs)
    left = max(abs(off - mean) for off in offs)
    words = f"Worst error {worst / 1e3:+.1f} kHz."
    if abs(worst) <= _tolerance_hz(spread):
        return (words,)
    if left <= _tolerance_hz(spread):
        by = "set the main pointer by a known signal on the middle figure"
        again = "set the main pointer again" if chosen == ZERO_SET else by
        return (f"{words} All are off alike, by {mean / 1e3:+.1f} kHz: {again}.",)
    wide = (errors[-1][0] + errors[-1][1] - errors[0][0] - errors[0][1]) / (
        errors[-1][0] - errors[0][0]
    )
    way = "more" if wide > 1.0 else "less"
    return (
        f"{words} Its scale spreads {abs(wide - 1.0):.0%} {way} than it says: the main pointer "
        "stands elsewhere than this scale is made for, or its own trimmer or plates are off.",
    )


def _notes(spread: Bandspread, chosen: str, found: list[Reading]) -> tuple[str, ...]:
    zero = found[1].answer if len(found) > 1 else None
    if zero is None:
        return (f"School: {chosen}.",) if chosen else ()
    off = zero.values["main"] - spread.main_hz
    return (
        f"School: {chosen}; it stands at {khz(zero.values['main'])} ({off / 1e3:+.0f} kHz beside "
        "its place).",
    )


def _plot(band: BandFacts, spread: Bandspread, results: tuple[Result, ...]) -> Plot | None:
    errors = _errors(results)
    if len(errors) < 2:
        return None
    line = PlotLine(
        "read", "measured", tuple(f / 1e6 for f, _ in errors), tuple(e / 1e3 for _, e in errors)
    )
    title = f"Dial error, {band.name}, {spread.name}"
    return Plot(title, "bandspread (MHz)", "error (kHz)", (line,))
