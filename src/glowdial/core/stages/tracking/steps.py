"""Oscillator and aerial: trimmer high, padder low, in rounds, until the dial errors are inside."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.chain import AERIAL, SetUp, chain_picture
from glowdial.core.journey.dial_marks import (
    as_found_key,
    band_adjusters,
    dial_leads,
    dial_recipe,
    dial_scale,
    frequency_field,
    mark_ask,
    mark_cost,
    mark_result,
    scale_picture,
)
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.journey.peaking import peak_step
from glowdial.core.journey.pictures import ScalePicture
from glowdial.core.journey.readings import Reading, conclude, confirmed, reading, readings
from glowdial.core.journey.record import CABINET, Answer, Basis, JobRecord, latest_of
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Plot, PlotLine, Status, Step, settle
from glowdial.core.language.quantities import (
    TURNS,
    khz,
    turn_amount,
    turn_entry,
    turns,
)
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.measurands import turn_of
from glowdial.core.physics.tracking import AdjusterKind, dial_shift_hz
from glowdial.core.stages.tracking.turning import TurnAdvice, TurnEffect, advise_turn

Floats = NDArray[np.float64]

STAGE = "oscillator and RF"
TRACKING_POINTS = 61
PEAK_LEVEL_V = 200e-6
MOST_ROUNDS = 10
MOST_MOVES = 10
SMALL_TURN = 0.25
CLOSE_SHARE = 0.5
ENOUGH_MOVES = 3


def tracking_steps(situation: Situation) -> list[Step]:
    """Per band: set up, survey as found, decision, rounds at both ends, aerial trimmer."""
    steps: list[Step] = []
    for band in situation.facts.bands:
        steps += _band_steps(situation.facts, situation.record, band)
    return steps


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
    step = Step(
        key,
        STAGE,
        f"{band.name}: generator to the aerial socket, gang fully meshed, pointer on its stop",
        "A pointer that sits wrong would be adjusted into the coils.",
        leads=dial_leads(facts),
        controls=(f"band switch: {band.name}", "pointer on its mark with the gang fully meshed"),
        powered=True,
        draw=lambda: _tracking_plot(band),
        advise=lambda: (_tracking_words(band),),
        show_chain=lambda: chain_picture(facts, record, _now(facts, band, None)),
    )
    return confirmed(step, record, "ready", "Leads on, band switched, pointer checked.")


def _tracking(band: BandFacts) -> tuple[Floats, Floats]:
    """Signal frequencies over a band, and the design's tracking error at each, in Hz."""
    grid = np.linspace(band.low_hz, band.high_hz, TRACKING_POINTS)
    return grid, band.tracked.error_hz(grid)


def _tracking_words(band: BandFacts) -> str:
    lo, (grid, errors) = band.tracked.oscillator, _tracking(band)
    worst = int(np.argmax(np.abs(errors)))
    return (
        f"Computed from the sheet: oscillator coil {lo.inductance_h * 1e6:.1f} uH, trimmer and "
        f"strays {lo.trimmer_f * 1e12:.1f} pF, padder {lo.padder_f * 1e12:.0f} pF. Between the "
        f"tracking points the aerial circuit is off by up to {errors[worst] / 1e3:+.1f} kHz, "
        f"at {khz(float(round(grid[worst], -4)))}."
    )


def _tracking_plot(band: BandFacts) -> Plot:
    grid, errors = _tracking(band)
    scale, unit = dial_scale(band)
    computed = PlotLine(
        "computed",
        "left",
        tuple(float(f) / scale for f in grid),
        tuple(float(e) / 1e3 for e in errors),
    )
    title = "Tracking error of the design, oscillator less aerial circuit"
    return Plot(title, f"signal ({unit})", "error (kHz)", (computed,))


def _survey(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = as_found_key(band)
    ends = _ends(band)
    found = readings(record, key, (mark_ask(facts, band, e.mark_hz, e.name) for e in ends))
    results = tuple(
        mark_result(band, end.mark_hz, r.answer, label=khz(end.mark_hz), stale=False, as_found=True)
        for end, r in zip(ends, found, strict=True)
        if r.answer is not None
    )
    step = Step(
        key,
        STAGE,
        f"{band.name}: read both ends of the dial as found",
        "Nothing is turned before it is known where it stands.",
        results=results,
        leads=dial_leads(facts),
        powered=True,
        scale=_as_found(facts, band, found),
    )
    return conclude(step, found)


def _as_found(facts: ReceiverFacts, band: BandFacts, found: Sequence[Reading]) -> ScalePicture:
    """The scale with what was read at its ends, and where the pointer stands now."""
    asked = next((e.mark_hz for e, r in zip(_ends(band), found, strict=True) if not r.answer), 0.0)
    marks = [
        (end.mark_hz, [(r.answer, "as found")] if r.answer else [])
        for end, r in zip(_ends(band), found, strict=True)
    ]
    return scale_picture(facts, band, marks, asked)


def _decide(record: JobRecord, band: BandFacts, survey: Step) -> Step:
    key = f"osc.{band.key}.decide"
    off = [r for r in survey.results if r.judgement.verdict.outside]
    costs = [
        mark_cost(band, end.mark_hz, r.value)
        for end, r in zip(_ends(band), survey.results, strict=False)
        if r in off and r.value is not None
    ]
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", LEAVE_IT)),),
        "align" if off else LEAVE_IT,
    )
    found = reading(record, key, ask)
    decided = found.answer.texts["decision"] if found.answer else ""
    step = Step(
        key,
        STAGE,
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
        decision=decided,
        notes=(f"Decided: {decided}",) if decided else (),
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask, advice=())
    return conclude(step, (found,))


def _rounds(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """Visit the ends in turn until both were read close with nothing moved or changed since."""
    survey = as_found_key(band)
    found = {end.name: record.latest(survey, end.name) for end in _ends(band)}
    known = {name: answer for name, answer in found.items() if answer is not None}
    if len(known) < len(found):
        return []
    at = {name: answer.values["frequency"] for name, answer in known.items()}
    good = {end.name: _good(band, end, at[end.name], 0) for end in _ends(band)}
    last = latest_of(known.values())
    fresh = {"high": True, "low": True}
    basis = _ends_basis(facts, band)
    steps: list[Step] = []
    for number in range(1, MOST_ROUNDS + 1):
        for end in _ends(band):
            key = f"osc.{band.key}.round{number}.{end.name}"
            mine = record.of_step(key)
            if record.spoiled_between(basis, last, mine[0] if mine else None):
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
                last = mine[-1]
                at[end.name] = last.values["frequency"]
            if any(a.ask.startswith("move") for a in mine):
                other = "low" if end.name == "high" else "high"
                good[other] = fresh[other] = False
        if all(good.values()) and not record.spoiled_between(basis, last, None):
            break
    return steps


def _ends_basis(facts: ReceiverFacts, band: BandFacts) -> Basis:
    """What the readings at both ends rest on, besides the moves of the rounds themselves."""
    return Basis(
        adjusters=(*facts.if_adjusters(), *band_adjusters(band)),
        areas=(CABINET, "oscillator", "if"),
        own_steps=(f"osc.{band.key}.round",),
    )


def _good(band: BandFacts, end: _End, found_hz: float, moves: int) -> bool:
    """Whether an end may be left: within half the tolerance, which leaves room for the cabinet and
    the marks between; after three moves anywhere inside will do."""
    share = CLOSE_SHARE if moves < ENOUGH_MOVES else 1.0
    return abs(found_hz - end.mark_hz) <= share * band.tolerance_hz(end.mark_hz)


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
        STAGE,
        title,
        "The trimmer rules the high end, the padder or core the low end; each moves the other.",
        results=results,
        advice=advice,
        leads=dial_leads(facts),
        controls=(f"pointer on {khz(end.mark_hz)}",),
        powered=True,
        adjuster=end.adjuster,
        scale=_creeping(facts, record, band, end),
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
        (
            Field("turns", "turn", TURNS, measurand=turn_of(end.adjuster or "")),
            frequency_field(end.mark_hz),
        ),
        f"{turn_entry(turn.turns)} {khz(end.mark_hz).split()[0]}",
        expected=symmetric(end.mark_hz, tolerance),
        expected_text=f"{khz(end.mark_hz)} within {khz(tolerance)}",
        recipe=replace(recipe, adjuster=end.adjuster, turns=turn.turns),
    )


def _creeping(facts: ReceiverFacts, record: JobRecord, band: BandFacts, now: _End) -> ScalePicture:
    """Both ends on the scale, reading by reading: the marks creeping home."""
    prefix = f"osc.{band.key}."
    read = [a for a in record.with_value("frequency") if a.step.startswith(prefix)]
    marks = [
        (
            end.mark_hz,
            [
                (a, "as found" if a.step == as_found_key(band) else _label(a))
                for a in read
                if a.step.endswith(f".{end.name}") or a.ask == end.name
            ],
        )
        for end in _ends(band)
    ]
    return scale_picture(facts, band, marks, now.mark_hz)


def _aerial(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    adjuster = band.aerial_adjuster
    assert adjuster is not None
    recipe = dial_recipe(facts, band, band.high_mark_hz, Doing.PEAK)
    step = peak_step(
        record,
        Step(f"osc.{band.key}.aerial", STAGE, "", "", leads=dial_leads(facts)),
        facts.adjuster(adjuster),
        recipe=recipe.setting(generator_emf_v=PEAK_LEVEL_V),
        level_v=PEAK_LEVEL_V,
        basis=Basis(adjusters=band_adjusters(band), areas=("aerial",)),
    )
    return replace(
        step,
        title=f"{step.title} at {khz(band.high_mark_hz)}",
        show_chain=lambda: chain_picture(facts, record, _now(facts, band, adjuster)),
    )


def _now(facts: ReceiverFacts, band: BandFacts, adjuster: str | None) -> SetUp:
    """Generator through the dummy aerial on the high mark, meter on the AVC line."""
    return SetUp(
        signal_hz=band.high_mark_hz,
        generator_at=AERIAL,
        through=facts.dummy_aerial,
        level_v=PEAK_LEVEL_V,
        band=band.key,
        adjuster=adjuster,
    )
