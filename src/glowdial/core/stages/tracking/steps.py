"""Oscillator and aerial: trimmer high, padder low, in rounds, until the dial errors are inside."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.journey.record import CABINET, Answer, JobRecord
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
    Status,
    Step,
    confirm,
    result,
    settle,
)
from glowdial.core.language.quantities import (
    FREQUENCY,
    FREQUENCY_MHZ,
    TURNS,
    Quantity,
    khz,
    turn_amount,
    turn_entry,
    turns,
)
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind, dial_shift_hz, mistracking_loss_db
from glowdial.core.stages.intermediate.steps import peak_step
from glowdial.core.stages.tracking.turning import TurnAdvice, TurnEffect, advise_turn

Floats = NDArray[np.float64]

AERIAL_LEVEL_V = 1e-3
TRACKING_POINTS = 61
PEAK_LEVEL_V = 200e-6
MOST_ROUNDS = 10
MOST_MOVES = 10
NOMINAL_AERIAL_Q = 75.0
SMALL_TURN = 0.25
CLOSE_SHARE = 0.5
ENOUGH_MOVES = 3
SEARCH_SHARE = 0.08


def dial_leads(facts: ReceiverFacts) -> tuple[Lead, ...]:
    """Generator through the dummy aerial, meter on the AVC line."""
    return (
        Lead("signal generator", f"dummy aerial ({facts.dummy_aerial})", "aerial socket"),
        Lead("high-impedance DC meter", "clip", "AVC line"),
    )


def tracking_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Per band: set up, survey as found, decision, rounds at both ends, aerial trimmer."""
    steps: list[Step] = []
    for band in facts.bands:
        steps += _band_steps(facts, record, band)
    return steps


def frequency_quantity(frequency_hz: float) -> Quantity:
    """The unit that this part of the dial is marked in."""
    return FREQUENCY_MHZ if frequency_hz >= 3e6 else FREQUENCY


def search_span_hz(facts: ReceiverFacts, mark_hz: float) -> float:
    """How far either side to look for a mark; short of the image at twice the IF."""
    return min(SEARCH_SHARE * mark_hz, 0.9 * facts.intermediate_frequency_hz)


def frequency_field(facts: ReceiverFacts, mark_hz: float) -> Field:
    """Field for the frequency that comes in at a mark."""
    return Field("frequency", "comes in at", frequency_quantity(mark_hz), nominal=mark_hz)


def dial_recipe(facts: ReceiverFacts, band: BandFacts, mark_hz: float, doing: Doing) -> Recipe:
    """Pointer on the mark, generator through the dummy aerial."""
    return Recipe(
        doing,
        injection="aerial",
        line_v=facts.line_v or 230.0,
        band=band.key,
        dial_hz=mark_hz,
        generator_hz=mark_hz,
        generator_emf_v=AERIAL_LEVEL_V,
        span_hz=search_span_hz(facts, mark_hz),
    )


def mark_ask(facts: ReceiverFacts, band: BandFacts, mark_hz: float, key: str) -> Ask:
    """What generator frequency comes in with the pointer on a mark?"""
    tolerance = band.tolerance_hz(mark_hz)
    return Ask(
        key,
        f"Pointer on {khz(mark_hz)}: move the generator for the most AVC, and enter its frequency.",
        (frequency_field(facts, mark_hz),),
        khz(mark_hz).split()[0],
        expected=symmetric(mark_hz, tolerance),
        expected_text=f"{khz(mark_hz)} within {khz(tolerance)}",
        recipe=dial_recipe(facts, band, mark_hz, Doing.FIND_FREQUENCY),
    )


def mark_result(
    band: BandFacts, mark_hz: float, answer: Answer, *, label: str, stale: bool, as_found: bool
) -> Result:
    """The frequency that came in at a mark, against the dial tolerance."""
    value = answer.values["frequency"]
    tolerance = band.tolerance_hz(mark_hz)
    return result(
        label,
        f"{khz(value)} ({(value - mark_hz) / 1e3:+.1f} kHz)",
        value,
        symmetric(mark_hz, tolerance),
        (khz(mark_hz - tolerance), khz(mark_hz + tolerance)),
        seq=answer.seq,
        ask=answer.ask,
        stale=stale,
        as_found=as_found,
    )


def mark_cost(band: BandFacts, mark_hz: float, found_hz: float) -> str:
    """What it costs to leave a mark where it is."""
    error = found_hz - mark_hz
    loss = mistracking_loss_db(error, found_hz, NOMINAL_AERIAL_Q)
    return f"{error / 1e3:+.1f} kHz at {khz(mark_hz)}, up to {loss:.1f} dB in the aerial circuit"


def band_adjusters(band: BandFacts) -> tuple[str, ...]:
    """The oscillator adjusters of a band."""
    return (band.high_adjuster, *((band.low_adjuster,) if band.low_adjuster else ()))


@dataclass(frozen=True, slots=True)
class _End:
    """One end of the band: its name, its mark, and what is turned there."""

    name: str
    mark_hz: float
    adjuster: str | None


def _ends(band: BandFacts) -> tuple[_End, _End]:
    return (
        _End("high", band.high_mark_hz, band.high_adjuster),
        _End("low", band.low_mark_hz, band.low_adjuster),
    )


def _band_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    prefix = f"osc.{band.key}"
    set_up = _set_up(facts, record, band)
    survey = _survey(facts, record, band)
    decide = _decide(record, band, survey)
    steps = [set_up, survey, decide]
    answer = record.latest(f"{prefix}.decide", "decision")
    if answer is not None and answer.texts.get("decision") == "align":
        steps += _rounds(facts, record, band)
        if band.aerial_adjuster is not None:
            steps.append(_aerial(facts, record, band))
    return steps


def _set_up(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = f"osc.{band.key}.set-up"
    lo = band.tracked.oscillator
    grid = np.linspace(band.low_hz, band.high_hz, TRACKING_POINTS)
    errors = band.tracked.error_hz(grid)
    worst = int(np.argmax(np.abs(errors)))
    step = Step(
        key,
        Stage.OSCILLATOR,
        f"{band.name}: generator to the aerial socket, gang fully meshed, pointer on its stop",
        "A pointer that sits wrong would be adjusted into the coils.",
        leads=dial_leads(facts),
        controls=(f"band switch: {band.name}", "pointer on its mark with the gang fully meshed"),
        powered=True,
        advice=(
            f"Computed from the sheet: oscillator coil {lo.inductance_h * 1e6:.1f} uH, trimmer and "
            f"strays {lo.trimmer_f * 1e12:.1f} pF, padder {lo.padder_f * 1e12:.0f} pF. Between the "
            f"tracking points the aerial circuit is off by up to {errors[worst] / 1e3:+.1f} kHz, "
            f"at {khz(float(round(grid[worst], -4)))}.",
        ),
        plot=_tracking_plot(band, grid, errors),
    )
    ask = confirm("ready", "Leads on, band switched, pointer checked.")
    return settle(step, remaining=None if record.latest(key, "ready") else ask)


def _tracking_plot(band: BandFacts, grid: Floats, errors: Floats) -> Plot:
    scale, unit = (1e6, "MHz") if band.high_hz >= 3e6 else (1e3, "kHz")
    computed = PlotLine(
        "computed",
        "left",
        tuple(float(f) / scale for f in grid),
        tuple(float(e) / 1e3 for e in errors),
    )
    title = "Tracking error of the design, oscillator less aerial circuit"
    return Plot(title, f"signal ({unit})", "error (kHz)", (computed,))


def _survey(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = f"osc.{band.key}.survey"
    asks = [(end, mark_ask(facts, band, end.mark_hz, end.name)) for end in _ends(band)]
    results = tuple(
        mark_result(band, end.mark_hz, answer, label=khz(end.mark_hz), stale=False, as_found=True)
        for end, ask in asks
        if (answer := record.latest(key, ask.key)) is not None
    )
    remaining = next((ask for _, ask in asks if record.latest(key, ask.key) is None), None)
    step = Step(
        key,
        Stage.OSCILLATOR,
        f"{band.name}: read both ends of the dial as found",
        "Nothing is turned before it is known where it stands.",
        results=results,
        leads=dial_leads(facts),
        powered=True,
    )
    return settle(step, remaining=remaining)


def _decide(record: JobRecord, band: BandFacts, survey: Step) -> Step:
    key = f"osc.{band.key}.decide"
    off = [r for r in survey.results if r.judgement.verdict.outside]
    costs = [
        mark_cost(band, end.mark_hz, r.value)
        for end, r in zip(_ends(band), survey.results, strict=False)
        if r in off and r.value is not None
    ]
    answered = record.latest(key, "decision")
    step = Step(
        key,
        Stage.OSCILLATOR,
        f"{band.name}: decide, align or leave it",
        "Leave it, it is right, is a result like any other.",
        advice=(
            (f"Outside: {'; '.join(costs)}. Align it.",)
            if off
            else ("Both ends are inside the tolerance: leave it.",)
        ),
        leave=True,
        cost="; ".join(costs),
        powered=True,
        notes=(f"Decided: {answered.texts['decision']}",) if answered else (),
    )
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", "leave it")),),
        "align" if off else "leave it",
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask, advice=())
    return settle(step, remaining=None if answered else ask)


def _rounds(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """Visit the ends in turn until both were read close with nothing moved or changed since."""
    survey = f"osc.{band.key}.survey"
    good: dict[str, bool] = {}
    at: dict[str, float] = {}
    position = 0
    for end in _ends(band):
        answer = record.latest(survey, end.name)
        if answer is None:
            return []
        good[end.name] = _good(band, end, answer.values["frequency"], 0)
        at[end.name] = answer.values["frequency"]
        position = max(position, answer.seq)
    fresh = {"high": True, "low": True}
    steps: list[Step] = []
    for number in range(1, MOST_ROUNDS + 1):
        for end in _ends(band):
            key = f"osc.{band.key}.round{number}.{end.name}"
            mine = record.of_step(key)
            until = mine[0].seq if mine else None
            if _foreign_since(facts, record, band, position, until):
                good = dict.fromkeys(good, False)
                fresh = dict.fromkeys(fresh, False)
            if good[end.name]:
                continue
            step = _end_step(
                facts, record, band, end, key, at[end.name] if fresh[end.name] else None
            )
            steps.append(step)
            if not step.status.finished and record.closure(key) is None:
                return steps
            # an end that nothing can turn, or that a person closed, is as good as it gets
            good[end.name] = fresh[end.name] = True
            if mine:
                position = mine[-1].seq
                at[end.name] = mine[-1].values["frequency"]
            if any(a.ask.startswith("move") for a in mine):
                other = "low" if end.name == "high" else "high"
                good[other] = fresh[other] = False
        if all(good.values()) and not _foreign_since(facts, record, band, position, None):
            break
    return steps


def _good(band: BandFacts, end: _End, found_hz: float, moves: int) -> bool:
    """Whether an end may be left: within half the tolerance, which leaves room for the cabinet and
    the marks between; after three moves anywhere inside will do."""
    share = CLOSE_SHARE if moves < ENOUGH_MOVES else 1.0
    return abs(found_hz - end.mark_hz) <= share * band.tolerance_hz(end.mark_hz)


def _foreign_since(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, since: int, until: int | None
) -> bool:
    """Whether something outside these rounds spoiled the readings of the ends."""
    limit = until if until is not None else float("inf")
    touched = set(facts.if_adjusters()) | set(band_adjusters(band))
    own = f"osc.{band.key}.round"
    moves = any(
        since < m.seq < limit and m.adjuster in touched and not m.step.startswith(own)
        for m in record.moves
    )
    return moves or any(
        since < c.seq < limit and c.what in (CABINET, "oscillator", "if") for c in record.changes
    )


def _end_step(
    facts: ReceiverFacts,
    record: JobRecord,
    band: BandFacts,
    end: _End,
    key: str,
    known_hz: float | None,
) -> Step:
    """Bring one end inside with its adjuster: a check where needed, then moves with advice."""
    answers = record.of_step(key)
    found = answers[-1].values["frequency"] if answers else known_hz
    effects = _effects(answers, known_hz)
    results = tuple(
        mark_result(
            band,
            end.mark_hz,
            a,
            label=_label(a),
            stale=False,
            as_found=a is not answers[-1],
        )
        for a in answers
    )
    adjuster = facts.adjuster(end.adjuster) if end.adjuster else None
    advice: tuple[str, ...] = ()
    remaining: Ask | None = None
    title = f"{band.name}: check {khz(end.mark_hz)} again"
    if found is None:
        remaining = mark_ask(facts, band, end.mark_hz, "check")
    elif not _good(band, end, found, len(effects)) and adjuster is not None:
        turn = advise_turn(
            found - end.mark_hz,
            _model_rate(band, end, adjuster.kind, adjuster.change_per_turn),
            effects,
        )
        title = f"Turn the {adjuster.name} {turn_amount(turn.turns)}"
        advice = (_advice_words(end, found, turn),)
        if len(answers) < MOST_MOVES:
            remaining = _move_ask(facts, band, end, len(effects) + 1, turn)
    elif answers and adjuster is not None and len(answers) > (known_hz is None):
        title = f"{band.name}: {khz(end.mark_hz)} with the {adjuster.name}"
    step = Step(
        key,
        Stage.OSCILLATOR,
        title,
        "The trimmer rules the high end, the padder or core the low end; each moves the other.",
        results=results,
        advice=advice,
        leads=dial_leads(facts),
        controls=(f"pointer on {khz(end.mark_hz)}",),
        powered=True,
        adjuster=end.adjuster,
        plot=_convergence_plot(record, band),
        cost=mark_cost(band, end.mark_hz, found) if found is not None else "",
    )
    return settle(step, remaining=remaining)


def _label(answer: Answer) -> str:
    if "turns" not in answer.values:
        return "checked"
    return turns(answer.values["turns"]) if answer.values["turns"] else "not turned"


def _effects(answers: list[Answer], start_hz: float | None) -> tuple[TurnEffect, ...]:
    effects: list[TurnEffect] = []
    before = start_hz
    for answer in answers:
        now = answer.values["frequency"]
        if "turns" in answer.values and before is not None:
            effects.append(TurnEffect(answer.values["turns"], now - before))
        before = now
    return tuple(effects)


def _model_rate(
    band: BandFacts, end: _End, kind: AdjusterKind, change_per_turn: float | None
) -> float | None:
    if change_per_turn is None:
        return None
    shift = dial_shift_hz(band.tracked, end.mark_hz, kind, SMALL_TURN * change_per_turn)
    return shift / SMALL_TURN


def _advice_words(end: _End, found_hz: float, turn: TurnAdvice) -> str:
    error = found_hz - end.mark_hz
    where = "low" if error > 0 else "high"
    rate = f", about {abs(turn.hz_per_turn) / 1e3:.0f} kHz a turn" if turn.hz_per_turn else ""
    return (
        f"{khz(found_hz)} comes in at {khz(end.mark_hz)}: stations stand "
        f"{abs(error) / 1e3:.1f} kHz too {where} on the scale. "
        f"How far to turn is {turn.basis}{rate}."
    )


def _move_ask(
    facts: ReceiverFacts, band: BandFacts, end: _End, number: int, turn: TurnAdvice
) -> Ask:
    tolerance = band.tolerance_hz(end.mark_hz)
    recipe = dial_recipe(facts, band, end.mark_hz, Doing.TURN_AND_FIND)
    return Ask(
        f"move{number}",
        f"Turn, then find the generator frequency that comes in at {khz(end.mark_hz)}: "
        "the turn made, and the frequency.",
        (Field("turns", "turn", TURNS), frequency_field(facts, end.mark_hz)),
        f"{turn_entry(turn.turns)} {khz(end.mark_hz).split()[0]}",
        expected=symmetric(end.mark_hz, tolerance),
        expected_text=f"{khz(end.mark_hz)} within {khz(tolerance)}",
        recipe=replace(recipe, adjuster=end.adjuster, turns=turn.turns),
    )


def _convergence_plot(record: JobRecord, band: BandFacts) -> Plot | None:
    """Dial error at both ends, reading by reading."""
    prefix = f"osc.{band.key}."
    readings = [
        a
        for a in record.answers
        if a.step.startswith(prefix) and "frequency" in a.values and not a.withdrawn
    ]
    lines = []
    for end in _ends(band):
        points = [
            (float(n), (a.values["frequency"] - end.mark_hz) / 1e3)
            for n, a in enumerate(readings, 1)
            if a.step.endswith(f".{end.name}") or a.ask == end.name
        ]
        if points:
            lines.append(
                PlotLine(
                    khz(end.mark_hz),
                    "left" if end.name == "high" else "measured",
                    tuple(p[0] for p in points),
                    tuple(p[1] for p in points),
                )
            )
    if not lines:
        return None
    tolerance = min(band.tolerance_hz(e.mark_hz) for e in _ends(band)) / 1e3
    return Plot(
        "Dial error at both ends", "reading", "error (kHz)", tuple(lines), tolerance=tolerance
    )


def _aerial(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    adjuster = band.aerial_adjuster
    assert adjuster is not None
    key = f"osc.{band.key}.aerial"
    recipe = dial_recipe(facts, band, band.high_mark_hz, Doing.PEAK)
    step = peak_step(
        facts,
        record,
        key,
        Stage.OSCILLATOR,
        adjuster,
        recipe=replace(recipe, adjuster=adjuster, generator_emf_v=PEAK_LEVEL_V),
        level_v=PEAK_LEVEL_V,
        leads=dial_leads(facts),
        spoiled_after=record.last_touch(band_adjusters(band), ("aerial",)),
    )
    return replace(step, title=f"{step.title} at {khz(band.high_mark_hz)}")
