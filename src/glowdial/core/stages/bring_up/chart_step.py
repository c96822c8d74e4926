"""The voltage chart as a step: supply, heaters, then tube by tube, in any order."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.conditions import WHICH_METER, which_meter
from glowdial.core.journey.inside_stage import Inside, inside_of
from glowdial.core.journey.readings import Reading, conclude, last_outside, reading
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Result, Step, result
from glowdial.core.language.quantities import (
    AC_VOLTS,
    DC_VOLTS,
    engineering,
    significant,
    supply_volts,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import B_PLUS, LINE, RESERVOIR, electrode, heater
from glowdial.core.physics.operating_point import AmplifierStage, Device, OperatingPoint
from glowdial.core.physics.supply.rampup import expectation
from glowdial.core.safety.cautions import Activity, Trait, common_rail, traits_of
from glowdial.core.stages.bring_up.chart_causes import ChartTaken, heater_advice, low_or_high
from glowdial.core.stages.bring_up.chart_table import chart_table, role_words
from glowdial.core.stages.bring_up.gate_steps import STAGE, on_batteries
from glowdial.core.stages.bring_up.voltage_chart import (
    NORM_METER_OHM,
    OVER_DISSIPATED,
    POSITIVE_GRID_V,
    ChartLine,
    chart_lines,
    computed_points,
    design_heat_w,
    electrode_name,
    heater_lines,
    stage_currents,
    with_output_grids,
)

CHART = "bring-up.chart"
GONE_V = 0.1
COUPLING_LIFTED = "coupling"
CHART_PARTS = Basis(areas=("supply", "audio", "if", "oscillator"))


def chart_steps(situation: Situation) -> list[Step]:
    """The step; none where neither the sheet nor the circuit tells any volts."""
    facts = situation.facts
    outputs = tuple(
        t.position
        for t in facts.tubes
        if "output" in t.function.lower() and facts.device_word == "tube"
    )
    lines = with_output_grids(
        chart_lines(facts.circuit, facts.supply, facts.chart, facts.chart_ohm_per_volt),
        facts.circuit,
        outputs,
    )
    return [_chart(situation, lines)] if lines else []


def _chart(situation: Situation, lines: tuple[ChartLine, ...]) -> Step:
    facts, record, meter = situation.facts, situation.record, situation.equipment.meter
    nominal_v = facts.nominal_line_v
    meter_ohm = meter.input_ohm if meter else NORM_METER_OHM
    step = Step(
        CHART,
        STAGE,
        f"Measure the volts of every {facts.device_word} against the chart",
        _meter_words(meter.name if meter else "", meter_ohm),
        leads=(
            Lead("DC meter -", "clip", common_rail(facts)),
            Lead("DC meter +", "probe, one hand", "one electrode after the other"),
        ),
        powered=True,
    )
    asked = _supply_ask(facts, nominal_v, which_meter(situation.equipment))
    supply = reading(record, CHART, asked, CHART_PARTS)
    known = supply.fresh
    if known is None:
        return conclude(step, (supply,))
    line_v, b_plus_v = known.values["line"], known.values["b_plus"]
    bench = ChartTaken(line_v, line_v / nominal_v, b_plus_v, meter_ohm, known=meter is not None)
    named = known.texts.get(WHICH_METER, "")
    if named:
        bench = replace(bench.by(known), named=True)
        step = replace(step, reason=_meter_words(named, bench.meter_ohm))
    basis = Basis(after=(known,))
    found: list[Reading] = [supply]
    results: list[Result] = _supply_results(facts, known, bench)
    advice: list[str] = []
    thinking = False
    if facts.circuit.heaters.heaters:
        ask = replace(_heater_ask(facts, bench, nominal_v), read_with=named)
        heaters = reading(record, CHART, ask, basis)
        found.append(heaters)
        if heaters.fresh is not None:
            judged = _heater_results(facts, heaters.fresh, bench, nominal_v)
            results += judged
            advice += heater_advice(facts, judged)
    designs = computed_points(facts.circuit, facts.supply)
    for name in dict.fromkeys(line.stage for line in lines):
        mine = [line for line in lines if line.stage == name]
        ask = replace(_stage_ask(name, role_words(facts, name), mine, bench), read_with=named)
        volts = reading(record, CHART, ask, basis)
        found.append(volts)
        if volts.fresh is None:
            continue
        taken = bench.by(volts.fresh)
        results += _stage_results(mine, volts.fresh, taken)
        stage = facts.circuit.stage(name)
        coupled_from = stage.coupled_from if stage else "the stage before"
        solid = stage is not None and stage.device is Device.TRANSISTOR
        if coupled_from and not solid and _grid_v(volts.fresh) > POSITIVE_GRID_V:
            words, follow = _positive_grid(facts, record, name, coupled_from, volts.fresh)
            advice += words
            found += [follow] if follow else []
        elif stage is not None:
            inside = _explained(situation, name, results, volts.fresh)
            thinking = thinking or (inside is not None and inside.thinking)
            blamed = inside is not None and inside.blamed
            told = inside.lines if inside is not None and blamed else ()
            advice += told or low_or_high(stage, mine, volts.fresh, taken)
        if stage is not None:
            results += _heat_results(stage, designs.get(name), volts.fresh, taken)
    step = replace(
        step,
        table=chart_table(facts, lines, bench, results),
        # what is outside is shown first, and the page shows the last ones first
        results=tuple(sorted(results, key=lambda r: r.judgement.verdict.outside)),
        advice=tuple(advice),
        thinking=thinking,
        cost=_cost(results),
        notes=_source_note(lines),
    )
    charted = [r for r in found if r is not supply]
    first_bad = last_outside(reversed(charted), results) or last_outside((supply,), results)
    settled = conclude(step, charted, retake=first_bad)
    others = tuple(r.ask for r in charted if settled.ask is None or r.ask.name != settled.ask.name)
    return replace(settled, others=others)


def _explained(
    situation: Situation, name: str, results: list[Result], answer: Answer
) -> Inside | None:
    """Which part explains a stage that reads outside, by its own circuit; None where the sheet
    gives none, or all of it is inside."""
    mine = [r for r in results if r.question == answer.question]
    if not any(r.judgement.verdict.outside for r in mine):
        return None
    return inside_of(situation, name)


def _meter_words(name: str, meter_ohm: float) -> str:
    scaled = "No signal, volume down, set warm. The windows are scaled to the line and to what "
    own = engineering(meter_ohm, "ohm")
    if not name:
        return f"{scaled}a meter of {own} takes away: none is registered."
    return f"{scaled}{name}, {own}, takes away."


def _source_note(lines: tuple[ChartLine, ...]) -> tuple[str, ...]:
    computed = sum(not line.from_sheet for line in lines)
    if not computed:
        return ()
    return (
        f"{computed} of {len(lines)} figures are computed from B+ and the resistors; the sheet "
        "gives none for them.",
    )


def _supply_ask(facts: ReceiverFacts, nominal_v: float, with_which: tuple[Field, ...]) -> Ask:
    expected = expectation(facts.supply, nominal_v) if facts.supply else None
    b_plus = expected.window.nominal if expected else None
    return Ask(
        "supply",
        "Line volts now, and B+ at the last filter capacitor"
        + ("; then the meter that the chart is read with." if with_which else "."),
        (
            Field(
                "line",
                "supply" if on_batteries(facts) else "line",
                AC_VOLTS,
                nominal=nominal_v,
                measurand=LINE,
                sets="line_v",
            ),
            Field("b_plus", "B+", DC_VOLTS, nominal=b_plus, measurand=B_PLUS),
            *with_which,
        ),
        f"{supply_volts(nominal_v)} {b_plus or 230.0:.0f}",
        expected=expected.window if expected else None,
        expected_text=f"{b_plus:.0f} V within 10 %" if b_plus else "",
        recipe=Recipe(Doing.READ, setting(line_v=nominal_v, lamp_w=0.0, generator_emf_v=0.0)),
    )


def _supply_results(facts: ReceiverFacts, known: Answer, bench: ChartTaken) -> list[Result]:
    window = expectation(facts.supply, bench.line_v).window if facts.supply else None
    limits = (f"{window.low:.0f} V", f"{window.high:.0f} V") if window else ("", "")
    shown = f"{bench.b_plus_v:.1f} V"
    return [result(known, "B+", shown, bench.b_plus_v, window, limits)]


def _heater_ask(facts: ReceiverFacts, bench: ChartTaken, nominal_v: float) -> Ask:
    lines = heater_lines(facts.circuit, bench.line_v, nominal_v)
    direct = any(h.direct for h in facts.circuit.heaters.heaters)
    quantity = DC_VOLTS if direct else AC_VOLTS
    word = "filament" if direct else "heater"
    typical = " ".join(significant(w.nominal or 0.0, 3) for _, w in lines)
    return Ask(
        "heaters",
        f"Volts across every {word}: {', '.join(tube for tube, _ in lines)}.",
        tuple(
            Field(
                tube,
                f"{tube} {word}",
                quantity,
                nominal=window.nominal,
                measurand=heater(tube, direct=direct),
            )
            for tube, window in lines
        ),
        typical,
        expected_text=f"{typical} V, within 10 %",
        recipe=Recipe(Doing.READ),
    )


def _heater_results(
    facts: ReceiverFacts, answer: Answer, bench: ChartTaken, nominal_v: float
) -> list[Result]:
    return [
        result(
            answer,
            f"{tube} heater",
            f"{significant(answer.values[tube], 3)} V",
            answer.values[tube],
            window,
            (f"{window.low:.1f} V", f"{window.high:.1f} V"),
        )
        for tube, window in heater_lines(facts.circuit, bench.line_v, nominal_v)
    ]


def _stage_ask(name: str, does: str, lines: list[ChartLine], bench: ChartTaken) -> Ask:
    nominal = [line.read_v(bench.share, bench.meter_ohm) for line in lines]
    typical = " ".join(significant(v, 3) for v in nominal)
    names = ", ".join(line.label.removeprefix(f"{name} ") for line in lines)
    rectifier = "rectifier" in does.lower()
    return Ask(
        name,
        f"{name}, {does}: volts at {names}.",
        tuple(
            Field(
                line.electrode,
                line.label,
                DC_VOLTS,
                nominal=v if abs(v) > 1.0 else None,
                measurand=RESERVOIR if rectifier else electrode(name, line.electrode),
            )
            for line, v in zip(lines, nominal, strict=True)
        ),
        typical,
        expected_text=f"{typical} V on this meter; a dash for what was not read",
        blanks=True,
        recipe=Recipe(Doing.READ),
    )


def _stage_results(lines: list[ChartLine], answer: Answer, bench: ChartTaken) -> list[Result]:
    found: list[Result] = []
    for line in lines:
        window = line.window(bench.share, bench.meter_ohm)
        value = answer.values.get(line.electrode)
        if value is None:
            continue
        found.append(
            result(
                answer,
                line.label,
                f"{significant(value, 3)} V",
                value,
                window,
                (
                    f"{significant(window.low or 0.0, 3)} V",
                    f"{significant(window.high or 0.0, 3)} V",
                ),
            )
        )
    return found


def _heat_results(
    stage: AmplifierStage, design: OperatingPoint | None, answer: Answer, bench: ChartTaken
) -> list[Result]:
    """Cathode current and plate dissipation, judged against the design's."""
    read = answer.values
    if "plate" not in read or "cathode" not in read:
        return []
    found = stage_currents(
        stage, bench.b_plus_v, read["plate"], read["cathode"], read.get("screen")
    )
    if found is None:
        return []
    design_w = design_heat_w(stage, design)
    most_w = OVER_DISSIPATED * design_w
    return [
        result(
            answer,
            f"{stage.name} {electrode_name(stage, 'plate')} heat",
            f"{found.plate_w:.2g} W, {engineering(found.cathode_a, 'A')}",
            found.plate_w,
            Window(0.0, most_w, design_w),
            ("0 W", f"{most_w:.2g} W"),
        )
    ]


def _grid_v(answer: Answer) -> float:
    return answer.values.get("grid", 0.0)


def _positive_grid(
    facts: ReceiverFacts, record: JobRecord, name: str, coupled_from: str, answer: Answer
) -> tuple[list[str], Reading | None]:
    """The logic of a positive grid; a further question where it decides."""
    lifted = reading(record, CHART, _lifted_ask(name, coupled_from), Basis(after=(answer,)))
    pull = (
        " Never pull a tube of a series string for this."
        if Trait.SERIES_STRING in traits_of(facts)
        else ""
    )
    if lifted.fresh is None:
        return [
            f"{name}'s grid is positive ({_grid_v(answer):.1f} V): the coupling capacitor from "
            f"{coupled_from} leaks, or the tube is gassy.{pull}"
        ], lifted
    still = lifted.fresh.values["grid"]
    if still < max(GONE_V, 0.2 * _grid_v(answer)):
        return [
            f"Gone with the capacitor lifted: the coupling capacitor from {coupled_from} leaks. "
            "Renew it; the tube has run at too much current meanwhile."
        ], None
    return [
        f"It stays at {still:.1f} V with the capacitor lifted: {name} is gassy, or its grid leak "
        f"is open.{pull}"
    ], None


def _lifted_ask(name: str, coupled_from: str) -> Ask:
    return Ask(
        f"{name}-lifted",
        f"Power off, discharge, lift the coupling capacitor's end at {coupled_from}'s plate; "
        f"power on, warm: {name}'s grid now.",
        (Field("grid", f"{name} grid", DC_VOLTS, measurand=electrode(name, "grid")),),
        "0",
        expected_text="gone: the capacitor; it stays: a gassy tube",
        recipe=Recipe(Doing.READ, setting(lifted=(COUPLING_LIFTED,))),
        makes=(("lifted lead", f"coupling capacitor at {coupled_from} plate"),),
        does=(Activity.LIFTING,),
    )


def _cost(results: list[Result]) -> str:
    off = [r for r in results if r.judgement.verdict.outside]
    named = "; ".join(f"{r.label} {r.judgement.words}" for r in off[:4])
    more = f"; and {len(off) - 4} more" if len(off) > 4 else ""
    return named + more
