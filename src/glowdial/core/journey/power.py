"""Bring-up: the safety gate, and six ramp steps judged against this set's own supply model."""

from __future__ import annotations

from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import (
    Ask,
    Doing,
    Field,
    Lead,
    Plot,
    PlotLine,
    Recipe,
    Result,
    Stage,
    Step,
    confirm,
    result,
    settle,
)
from glowdial.core.journey.supply_stage import diagnosis_steps
from glowdial.core.quantities import AC_VOLTS, DC_VOLTS, significant
from glowdial.core.receiver import ReceiverFacts
from glowdial.core.safety import Activity, dangers_for
from glowdial.core.supply.circuit import Supply, Waveform
from glowdial.core.supply.rampup import (
    RAMP_FRACTIONS,
    RampPhase,
    RectifierWear,
    expectation,
    fit_wear,
)
from glowdial.core.windows import Window

NORM_LINE_V = 230.0
PLOT_POINTS = 16
GATE = "bring-up.gate"


def power_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Gate, setting up, ramp, and what ails the supply where the ramp shows that something does."""
    ramp, wear = _ramp(facts, record)
    tired = wear is not None and wear.tired
    more = diagnosis_steps(facts, record, ramp, tired)
    return [_gate(facts, record), _setting_up(facts, record), ramp, *more]


def _gate(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = confirm("ready", "Everything above is so: the set may have power.")
    step = Step(
        GATE,
        Stage.BRING_UP,
        "Pass the safety gate",
        "Nothing that follows is open until these are acknowledged for this set.",
        dangers=dangers_for(facts, Activity.POWER),
    )
    return settle(step, remaining=None if record.latest(GATE, "ready") else ask)


def _setting_up(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = confirm("ready", "Leads on, controls set, line at zero.")
    step = Step(
        "bring-up.set-up",
        Stage.BRING_UP,
        "Connect the filament battery, the high-tension supply and the meters"
        if _on_batteries(facts)
        else "Connect the variable supply and the meters",
        "High tension is brought up slowly so that each fault shows before it harms; the filaments "
        "are hot before it."
        if _on_batteries(facts)
        else "The line is brought up slowly so that each fault shows before it harms.",
        leads=(
            *_supply_leads(facts),
            Lead("DC meter +", "clip", "B+ at the last filter capacitor"),
            Lead("DC meter -", "clip", "chassis"),
        ),
        controls=("loudspeaker or its load connected", "volume at least", "band switch: broadcast"),
        powered=True,
    )
    return settle(step, remaining=None if record.latest(step.key, "ready") else ask)


def _on_batteries(facts: ReceiverFacts) -> bool:
    return facts.supply is not None and facts.supply.waveform is Waveform.BATTERY


def _supply_leads(facts: ReceiverFacts) -> tuple[Lead, ...]:
    """What the power comes through."""
    if _on_batteries(facts):
        return (
            Lead("filament battery", "fuse, polarity checked", "filament leads"),
            Lead("variable high-tension supply", "fuse, 100 mA", "high-tension leads"),
        )
    return (Lead("variable line supply", "fuse and line voltmeter", "mains plug of the set"),)


def _ramp(facts: ReceiverFacts, record: JobRecord) -> tuple[Step, RectifierWear | None]:
    line_v = facts.line_v or NORM_LINE_V
    spoiled = record.last_touch((), ("supply",))
    results: list[Result] = []
    remaining: Ask | None = None
    last: Ask | None = None
    for fraction in RAMP_FRACTIONS:
        ask = _ramp_ask(facts, line_v, fraction)
        answer = record.latest("bring-up.ramp", ask.key)
        if answer is not None:
            results.append(_ramp_result(facts.supply, answer, spoiled))
        if remaining is None and (answer is None or answer.seq < spoiled):
            remaining = ask
        if results and results[-1].judgement.verdict.outside and answer is not None:
            last = ask
    pairs = _pairs(record)
    wear = fit_wear(facts.supply, pairs) if facts.supply and remaining is None else None
    step = Step(
        "bring-up.ramp",
        Stage.BRING_UP,
        "Bring high tension up in six steps and read B+"
        if _on_batteries(facts)
        else "Bring the line up in six steps and read B+",
        "The tubes draw from the first volts; a battery run down shows as volts that sag."
        if _on_batteries(facts)
        else "A tube rectifier gives nothing until its heater is warm, at 45 to 65 % of line; "
        "no volts before that is right.",
        results=tuple(results),
        advice=_ramp_advice(facts, results, wear),
        leads=(
            *_supply_leads(facts),
            Lead("DC meter", "clips", "last filter capacitor and chassis"),
        ),
        controls=("hold each step until B+ stands still", "watch, smell and listen"),
        powered=True,
        plot=_ramp_plot(facts.supply, line_v, pairs),
        cost=_ramp_cost(results),
    )
    return settle(step, remaining=remaining, retake=last), wear


def _ramp_ask(facts: ReceiverFacts, line_v: float, fraction: float) -> Ask:
    supply = facts.supply
    source = "high-tension supply" if _on_batteries(facts) else "line"
    ac = fraction * line_v
    window = expectation(supply, ac).window if supply else None
    nominal = window.nominal if window else None
    return Ask(
        f"{fraction * 100:.0f}",
        f"Set the {source} to {ac:.0f} V ({fraction * 100:.0f} %), wait, and read its volts "
        "and B+.",
        (
            Field("ac", "supply" if _on_batteries(facts) else "line", AC_VOLTS, nominal=ac),
            Field("b_plus", "B+", DC_VOLTS, nominal=nominal or None),
        ),
        f"{ac:.0f} {max(nominal or 0.0, 0.0):.0f}",
        expected=window,
        expected_text=_expected_text(supply, ac),
        recipe=Recipe(Doing.READ, meters=(("ac", "line"), ("b_plus", "b-plus")), line_v=ac),
    )


def _expected_text(supply: Supply | None, ac: float) -> str:
    if supply is None:
        return "no limit given: the sheet does not describe the supply"
    expected = expectation(supply, ac)
    ripple = expected.point.ripple_v[-1]
    window = f"{expected.window.low:.0f} to {expected.window.high:.0f} V"
    if expected.phase is RampPhase.COLD:
        return f"{window}: the rectifier's heater is still cold, no B+ yet is right"
    if expected.phase is RampPhase.WARMING:
        return f"{window}: the heaters are just warming, anything in between is right"
    return f"{window}, typically {expected.window.nominal:.0f} V with {ripple:.1f} V of ripple"


def _ramp_result(supply: Supply | None, answer: Answer, spoiled: int) -> Result:
    ac, b_plus = answer.values["ac"], answer.values["b_plus"]
    window: Window | None = expectation(supply, ac).window if supply else None
    limits = (f"{window.low:.0f} V", f"{window.high:.0f} V") if window else ("", "")
    return result(
        f"{significant(ac, 3)} V line",
        f"{b_plus:.1f} V",
        b_plus,
        window,
        limits,
        seq=answer.seq,
        ask=answer.ask,
        stale=answer.seq < spoiled,
    )


def _pairs(record: JobRecord) -> tuple[tuple[float, float], ...]:
    answers = record.of_step("bring-up.ramp")
    return tuple(sorted((a.values["ac"], a.values["b_plus"]) for a in answers))


def _ramp_advice(
    facts: ReceiverFacts, results: list[Result], wear: RectifierWear | None
) -> tuple[str, ...]:
    lines: list[str] = []
    if facts.supply is None:
        lines.append(
            "The sheet does not describe the supply, so B+ cannot be judged; add the winding, "
            "rectifier and filter to the sheet to have it judged."
        )
    off = [r for r in results if r.judgement.verdict.outside]
    if off and off[-1].judgement.beyond > 0:
        lines.append(
            "B+ is higher than it can be with warm tubes drawing: stop, and see whether they heat "
            "and whether the load is connected."
        )
    elif off:
        lines.append(
            "B+ is too low: switch off if it falls at steady line or anything gets hot. Tired "
            "rectifier, leaky or dried-out filter, or too much load."
        )
    if wear is not None:
        lines.append(
            f"The warm readings fit a rectifier with {wear.emission * 100:.0f} % of its data-sheet "
            f"emission (misfit {wear.residual_v:.1f} V), which costs {wear.shortfall_v:.0f} V. "
            "A heavier load looks the same from B+ alone; line current or a lifted lead decides."
        )
        if wear.tired:
            lines.append("Below 60 % the rectifier counts as tired: note it for the handover.")
    return tuple(lines)


def _ramp_cost(results: list[Result]) -> str:
    off = [r for r in results if r.judgement.verdict.outside]
    return "; ".join(f"{r.judgement.beyond:+.0f} V beyond the window at {r.label}" for r in off)


def _ramp_plot(
    supply: Supply | None, line_v: float, pairs: tuple[tuple[float, float], ...]
) -> Plot | None:
    lines: list[PlotLine] = []
    if supply is not None:
        grid = tuple(line_v * (0.2 + 0.85 * n / (PLOT_POINTS - 1)) for n in range(PLOT_POINTS))
        expected = [expectation(supply, ac) for ac in grid]
        lines = [
            PlotLine("lowest", "low", grid, tuple(e.window.low for e in expected)),
            PlotLine("highest", "high", grid, tuple(e.window.high for e in expected)),
            PlotLine("expected", "expected", grid, tuple(e.window.nominal for e in expected)),
        ]
    if not lines and not pairs:
        return None
    read = PlotLine("read", "measured", tuple(p[0] for p in pairs), tuple(p[1] for p in pairs))
    return Plot("B+ against line", "line (V)", "B+ (V)", (*lines, read))
