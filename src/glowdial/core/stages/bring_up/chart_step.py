"""The voltage chart as a step: supply, heaters, then tube by tube, in any order."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.equipment import BenchKit
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import (
    Ask,
    Doing,
    Field,
    Lead,
    Recipe,
    Result,
    Stage,
    Step,
    result,
    settle,
)
from glowdial.core.language.quantities import (
    AC_VOLTS,
    DC_VOLTS,
    engineering,
    significant,
    supply_volts,
)
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.operating_point import AmplifierStage, OperatingPoint
from glowdial.core.physics.supply.rampup import expectation
from glowdial.core.safety.cautions import Trait, traits_of
from glowdial.core.stages.bring_up.gate_steps import NORM_LINE_V, on_batteries
from glowdial.core.stages.bring_up.voltage_chart import (
    NORM_METER_OHM,
    OVER_DISSIPATED,
    POSITIVE_GRID_V,
    ChartLine,
    chart_lines,
    computed_points,
    design_heat_w,
    heater_lines,
    stage_currents,
)

CHART = "bring-up.chart"
GONE_V = 0.1


@dataclass(frozen=True, slots=True)
class _Bench:
    """Line and meter of this chart: share of nominal line, B+, and the meter's resistance."""

    line_v: float
    share: float
    b_plus_v: float
    meter_ohm: float


def chart_steps(facts: ReceiverFacts, record: JobRecord, kit: BenchKit) -> list[Step]:
    """The step; none where neither the sheet nor the circuit tells any volts."""
    lines = chart_lines(facts.circuit, facts.supply, facts.chart, facts.chart_ohm_per_volt)
    if not lines:
        return []
    return [_chart(facts, record, kit, lines)]


def _chart(
    facts: ReceiverFacts, record: JobRecord, kit: BenchKit, lines: tuple[ChartLine, ...]
) -> Step:
    nominal_v = facts.line_v or NORM_LINE_V
    meter_ohm = kit.meter.input_ohm if kit.meter else NORM_METER_OHM
    spoiled = record.last_touch((), ("supply", "audio", "if", "oscillator"))
    step = Step(
        CHART,
        Stage.BRING_UP,
        "Measure the volts of every tube against the chart",
        "No signal, volume down, set warm. The windows are scaled to the line and to what this "
        f"meter's {engineering(meter_ohm, 'ohm')} takes away.",
        leads=(
            Lead("DC meter -", "clip", "common rail"),
            Lead("DC meter +", "probe, one hand", "one electrode after the other"),
        ),
        powered=True,
    )
    begin = _supply_ask(facts, nominal_v)
    known = record.latest(CHART, begin.key)
    if known is None or known.seq < spoiled:
        return settle(step, remaining=begin)
    bench = _Bench(
        known.values["line"], known.values["line"] / nominal_v, known.values["b_plus"], meter_ohm
    )
    results: list[Result] = _supply_results(facts, known, bench)
    advice: list[str] = []
    asks: list[Ask] = []
    waiting: list[Ask] = []
    if facts.circuit.heaters.heaters:
        ask = _heater_ask(facts, bench, nominal_v)
        answer = _fresh(record, ask.key, known.seq)
        asks.append(ask)
        if answer is None:
            waiting.append(ask)
        else:
            found = _heater_results(facts, answer, bench, nominal_v)
            results += found
            advice += _heater_advice(facts, found)
    designs = computed_points(facts.circuit, facts.supply)
    for name in dict.fromkeys(line.stage for line in lines):
        mine = [line for line in lines if line.stage == name]
        stage = facts.circuit.stage(name)
        ask = _stage_ask(name, _does(facts, name), mine, bench)
        answer = _fresh(record, ask.key, known.seq)
        asks.append(ask)
        if answer is None:
            waiting.append(ask)
            continue
        results += _stage_results(mine, answer, bench)
        if stage is None:
            continue
        results += _heat_results(stage, designs.get(name), answer, bench)
        words, follow = _stage_advice(facts, record, stage, mine, answer, bench)
        advice += words
        waiting += [follow] if follow else []
    step = replace(
        step,
        # what is outside is shown first, and the page shows the last ones first
        results=tuple(sorted(results, key=lambda r: r.judgement.verdict.outside)),
        advice=tuple(advice),
        cost=_cost(results),
        notes=_source_note(lines),
    )
    bad = {r.ask for r in results if r.judgement.verdict.outside}
    retake = next((a for a in asks if a.key in bad), None)
    settled = settle(step, remaining=waiting[0] if waiting else None, retake=retake)
    every = {a.key: a for a in (*waiting, *asks)}
    others = tuple(a for a in every.values() if a is not settled.ask)
    return replace(settled, others=others)


def _fresh(record: JobRecord, key: str, after: int) -> Answer | None:
    answer = record.latest(CHART, key)
    return answer if answer is not None and answer.seq > after else None


def _source_note(lines: tuple[ChartLine, ...]) -> tuple[str, ...]:
    computed = sum(not line.from_sheet for line in lines)
    if not computed:
        return ()
    return (
        f"{computed} of {len(lines)} figures are computed from B+ and the resistors; the sheet "
        "gives none for them.",
    )


def _supply_ask(facts: ReceiverFacts, nominal_v: float) -> Ask:
    expected = expectation(facts.supply, nominal_v) if facts.supply else None
    b_plus = expected.window.nominal if expected else None
    return Ask(
        "supply",
        "Line volts now, and B+ at the last filter capacitor.",
        (
            Field("line", "supply" if on_batteries(facts) else "line", AC_VOLTS, nominal=nominal_v),
            Field("b_plus", "B+", DC_VOLTS, nominal=b_plus),
        ),
        f"{supply_volts(nominal_v)} {b_plus or 230.0:.0f}",
        expected=expected.window if expected else None,
        expected_text=f"{b_plus:.0f} V within 10 %" if b_plus else "",
        recipe=Recipe(
            Doing.READ,
            meters=(("line", "line"), ("b_plus", "b-plus")),
            line_v=nominal_v,
            lamp_w=0.0,
            generator_emf_v=0.0,
        ),
    )


def _supply_results(facts: ReceiverFacts, known: Answer, bench: _Bench) -> list[Result]:
    window = expectation(facts.supply, bench.line_v).window if facts.supply else None
    limits = (f"{window.low:.0f} V", f"{window.high:.0f} V") if window else ("", "")
    shown = f"{bench.b_plus_v:.1f} V"
    return [result("B+", shown, bench.b_plus_v, window, limits, seq=known.seq, ask=known.ask)]


def _heater_ask(facts: ReceiverFacts, bench: _Bench, nominal_v: float) -> Ask:
    lines = heater_lines(facts.circuit, bench.line_v, nominal_v)
    direct = any(h.direct for h in facts.circuit.heaters.heaters)
    quantity = DC_VOLTS if direct else AC_VOLTS
    word = "filament" if direct else "heater"
    typical = " ".join(significant(w.nominal or 0.0, 3) for _, w in lines)
    return Ask(
        "heaters",
        f"Volts across every {word}: {', '.join(tube for tube, _ in lines)}.",
        tuple(
            Field(tube, f"{tube} {word}", quantity, nominal=window.nominal)
            for tube, window in lines
        ),
        typical,
        expected_text=f"{typical} V, within 10 %",
        recipe=Recipe(Doing.READ, meters=tuple((t, f"heater {t}") for t, _ in lines)),
    )


def _heater_results(
    facts: ReceiverFacts, answer: Answer, bench: _Bench, nominal_v: float
) -> list[Result]:
    return [
        result(
            f"{tube} heater",
            f"{significant(answer.values[tube], 3)} V",
            answer.values[tube],
            window,
            (f"{window.low:.1f} V", f"{window.high:.1f} V"),
            seq=answer.seq,
            ask=answer.ask,
        )
        for tube, window in heater_lines(facts.circuit, bench.line_v, nominal_v)
    ]


def _heater_advice(facts: ReceiverFacts, results: list[Result]) -> list[str]:
    """What a pattern of heater volts means."""
    heaters = facts.circuit.heaters
    off = [r for r in results if r.judgement.verdict.outside]
    if not off:
        return []
    if not heaters.in_series:
        return ["One heater low: its socket or joint; all low: the winding, the battery, the line."]
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


def _does(facts: ReceiverFacts, name: str) -> str:
    stage = facts.circuit.stage(name)
    if stage is not None:
        return stage.role.value
    return next((t.function for t in facts.tubes if t.position == name), "")


def _stage_ask(name: str, does: str, lines: list[ChartLine], bench: _Bench) -> Ask:
    nominal = [line.read_v(bench.share, bench.meter_ohm) for line in lines]
    typical = " ".join(significant(v, 3) for v in nominal)
    names = ", ".join(line.label.removeprefix(f"{name} ") for line in lines)
    rectifier = "rectifier" in does.lower()
    meters = tuple(
        (x.electrode, "reservoir" if rectifier else f"{name} {x.electrode}") for x in lines
    )
    return Ask(
        name,
        f"{name}, {does}: volts at {names}.",
        tuple(
            Field(line.electrode, line.label, DC_VOLTS, nominal=v if abs(v) > 1.0 else None)
            for line, v in zip(lines, nominal, strict=True)
        ),
        typical,
        expected_text=f"{typical} V on this meter",
        recipe=Recipe(Doing.READ, meters=meters),
    )


def _stage_results(lines: list[ChartLine], answer: Answer, bench: _Bench) -> list[Result]:
    found: list[Result] = []
    for line in lines:
        window = line.window(bench.share, bench.meter_ohm)
        value = answer.values[line.electrode]
        found.append(
            result(
                line.label,
                f"{significant(value, 3)} V",
                value,
                window,
                (
                    f"{significant(window.low or 0.0, 3)} V",
                    f"{significant(window.high or 0.0, 3)} V",
                ),
                seq=answer.seq,
                ask=answer.ask,
            )
        )
    return found


def _heat_results(
    stage: AmplifierStage, design: OperatingPoint | None, answer: Answer, bench: _Bench
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
            f"{stage.name} plate heat",
            f"{found.plate_w:.2g} W, {engineering(found.cathode_a, 'A')}",
            found.plate_w,
            Window(0.0, most_w, design_w),
            ("0 W", f"{most_w:.2g} W"),
            seq=answer.seq,
            ask=answer.ask,
        )
    ]


def _stage_advice(
    facts: ReceiverFacts,
    record: JobRecord,
    stage: AmplifierStage,
    lines: list[ChartLine],
    answer: Answer,
    bench: _Bench,
) -> tuple[list[str], Ask | None]:
    """Causes, and the logic of a positive grid; a further question where it decides."""
    read = answer.values
    words: list[str] = []
    positive = read.get("grid", 0.0) > POSITIVE_GRID_V and bool(stage.coupled_from)
    if not positive:
        return words + _low_or_high(stage, lines, answer, bench), None
    lifted = _fresh(record, f"{stage.name}-lifted", answer.seq)
    pull = (
        " Never pull a tube of a series string for this."
        if Trait.SERIES_STRING in traits_of(facts)
        else ""
    )
    if lifted is None:
        words.append(
            f"{stage.name}'s grid is positive ({read['grid']:.1f} V): the coupling capacitor from "
            f"{stage.coupled_from} leaks, or the tube is gassy.{pull}"
        )
        return words, _lifted_ask(stage)
    still = lifted.values["grid"]
    if still < max(GONE_V, 0.2 * read["grid"]):
        words.append(
            f"Gone with the capacitor lifted: the coupling capacitor from {stage.coupled_from} "
            f"leaks. Renew it; the tube has run at too much current meanwhile."
        )
    else:
        words.append(
            f"It stays at {still:.1f} V with the capacitor lifted: {stage.name} is gassy, or its "
            f"grid leak is open.{pull}"
        )
    return words, None


def _lifted_ask(stage: AmplifierStage) -> Ask:
    return Ask(
        f"{stage.name}-lifted",
        f"Power off, discharge, lift the coupling capacitor's end at {stage.coupled_from}'s plate; "
        f"power on, warm: {stage.name}'s grid now.",
        (Field("grid", f"{stage.name} grid", DC_VOLTS),),
        "0",
        expected_text="gone: the capacitor; it stays: a gassy tube",
        recipe=Recipe(
            Doing.READ,
            meters=(("grid", f"{stage.name} grid, coupling lifted"),),
        ),
        makes=(("lifted lead", f"coupling capacitor at {stage.coupled_from} plate"),),
    )


def _low_or_high(
    stage: AmplifierStage, lines: list[ChartLine], answer: Answer, bench: _Bench
) -> list[str]:
    """The likely cause of a pattern of volts in one stage."""
    off = {}
    for line in lines:
        window = line.window(bench.share, bench.meter_ohm)
        value = answer.values[line.electrode]
        if window.high is not None and value > window.high:
            off[line.electrode] = 1
        if window.low is not None and value < window.low:
            off[line.electrode] = -1
    name = stage.name
    if off.get("screen") == -1:
        return [f"{name}'s screen is low: its resistor has risen, or its bypass leaks."]
    if off.get("cathode") == -1 and off.get("plate", 0) >= 0:
        return [f"{name} draws too little: a weak tube, a cold heater, or too little screen."]
    if off.get("cathode") == 1 and off.get("plate", 0) <= 0:
        return [f"{name} draws too much: a positive grid, or its cathode resistor has risen."]
    if off.get("plate") == -1:
        return [f"{name}'s plate is low: its load has risen, or a bypass on it leaks."]
    if off.get("plate") == 1:
        return [f"{name}'s plate is high: little current through its load."]
    return []


def _cost(results: list[Result]) -> str:
    off = [r for r in results if r.judgement.verdict.outside]
    named = "; ".join(f"{r.label} {r.judgement.words}" for r in off[:4])
    more = f"; and {len(off) - 4} more" if len(off) > 4 else ""
    return named + more
