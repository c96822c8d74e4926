"""Oscillator and aerial: trimmer high, padder low, in rounds, until the dial errors are inside."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from glowdial.core.alignment.band_marks import SURE
from glowdial.core.alignment.oscillator_state import FittedOscillator
from glowdial.core.journey.chain import chain_picture
from glowdial.core.journey.dial_marks import (
    AERIAL_LEVEL_V,
    SEARCH_SHARE,
    as_found_key,
    dial_leads,
    low_stop_words,
    mark_ask,
    mark_cost,
    mark_doubt_hz,
    mark_result,
    scale_picture,
    search_span_hz,
)
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.journey.memory import Memory
from glowdial.core.journey.pictures import ScalePicture
from glowdial.core.journey.readings import Reading, conclude, confirmed, reading, readings
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.signal_in import signal_in_words, signal_lead
from glowdial.core.journey.steps import Ask, Field, Status, Step
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.tracking.design import design_plot, design_words
from glowdial.core.stages.tracking.ghosts import (
    first_foretold,
    foretold,
    second_image_hz,
)
from glowdial.core.stages.tracking.mechanics import mechanics_steps
from glowdial.core.stages.tracking.moved import move_steps
from glowdial.core.stages.tracking.nudges import nudge_steps
from glowdial.core.stages.tracking.oscillator import fitted, fitted_beside
from glowdial.core.stages.tracking.peaks import peak_steps, pulled_steps, set_up_at
from glowdial.core.stages.tracking.plan import (
    Peaking,
    WorkOrder,
    band_order,
    plan_words,
    progress_table,
    school_ask,
    school_of,
)
from glowdial.core.stages.tracking.rock import rock_steps
from glowdial.core.stages.tracking.round_advice import End, band_ends
from glowdial.core.stages.tracking.rounds import round_steps
from glowdial.core.stages.tracking.stage import STAGE


def tracking_steps(situation: Situation) -> list[Step]:
    """The dial's mechanics; then per band: set up, survey as found, decision, rounds, aerial."""
    steps = whole_dial_steps(situation)
    for band in band_order(situation.facts):
        steps += band_steps(situation, band.key)
    return steps


def whole_dial_steps(situation: Situation) -> list[Step]:
    """What is for all bands together: the dial's mechanics with the plan, unknown adjusters."""
    facts, record = situation.facts, situation.record
    table = progress_table(facts, record)
    steps = [
        replace(s, notes=(*s.notes, *plan_words(facts, record)))
        for s in mechanics_steps(facts, record, (school_ask(),), table)
    ]
    return steps + nudge_steps(facts, record)


def band_steps(situation: Situation, key: str) -> list[Step]:
    """The steps of one band."""
    facts = situation.facts
    band = facts.band(key)
    return _band_steps(facts.seen_by(band), situation.record, band, situation.memory)


def _band_steps(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, memory: Memory
) -> list[Step]:
    prefix = f"osc.{band.key}"
    set_up = _set_up(facts, record, band)
    survey = _survey(facts, record, band, memory)
    decide = _decide(facts, record, band, survey)
    moves = move_steps(facts, record, band) if survey.status is Status.DONE else []
    # what is to be moved is aligned: nothing is left to be decided
    moved = band.printed is not None
    steps = [set_up, survey, *moves, *([] if moved else [decide])]
    answer = record.latest(f"{prefix}.decide", "decision")
    if answer is None and not moved:
        return steps
    school = school_of(record)
    left = answer is None or answer.texts.get("decision") != "align"
    if left and not moved:
        return steps + (peak_steps(facts, record, band) if school.peaking is Peaking.ALL else [])
    rounds = round_steps(facts, record, band, memory)
    open_still = any(not s.status.finished for s in rounds)
    if school.order is WorkOrder.SIGNAL_FIRST and open_still:
        return [*steps, *peak_steps(facts, record, band, first=True), *rounds]
    steps += [*rounds, *peak_steps(facts, record, band)]
    steps += pulled_steps(facts, record, band)
    # it does not come and go while a reading of it is worked out
    if all(s.status.finished or s.thinking for s in steps):
        steps += rock_steps(facts, record, band)
    return steps


def _set_up(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = f"osc.{band.key}.set-up"
    now = set_up_at(facts, band, band.high_mark_hz, None)
    step = Step(
        key,
        STAGE,
        f"{band.name}: {_generator_to(facts)}, {low_stop_words(facts)}, pointer on its stop",
        "A pointer that sits wrong would be adjusted into the coils.",
        leads=dial_leads(facts),
        controls=(
            f"band switch: {band.name}",
            f"pointer on its mark, {low_stop_words(facts)}",
            *(f"{c} in its middle" for c in facts.controls if "aerial" in c.lower()),
        ),
        powered=True,
        draw=lambda: design_plot(band),
        advise=lambda: (design_words(band), *signal_in_words(facts, AERIAL_LEVEL_V)),
        show_chain=lambda: chain_picture(facts, record, now),
    )
    return confirmed(step, record, "ready", "Leads on, band switched, pointer checked.")


def _generator_to(facts: ReceiverFacts) -> str:
    """Where the generator's signal goes, in a few words."""
    lead = signal_lead(facts)
    return f"generator to the {lead.to.removeprefix('the ').partition(',')[0]}"


def _survey(facts: ReceiverFacts, record: JobRecord, band: BandFacts, memory: Memory) -> Step:
    key = as_found_key(band)
    ends = band_ends(band)
    fit = fitted_beside(facts, record, band, memory)
    found = readings(record, key, (_as_found_ask(facts, record, band, e, fit) for e in ends))
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
        thinking=fit is None,
    )
    step = conclude(step, found)
    return replace(step, advice=_further_off(facts, band)) if step.ask is not None else step


def _further_off(facts: ReceiverFacts, band: BandFacts) -> tuple[str, ...]:
    """Where to look on, of a band whose image limits how far is looked at first."""
    mark_hz = band.high_mark_hz
    furthest_hz = SEARCH_SHARE * mark_hz
    if search_span_hz(facts, mark_hz) >= furthest_hz:
        return ()
    return (
        "Nothing comes in so near? Then it is further out: look on, as far as "
        f"{khz(round(furthest_hz, -4))} either side.",
    )


def _as_found_ask(
    facts: ReceiverFacts,
    record: JobRecord,
    band: BandFacts,
    end: End,
    fit: FittedOscillator | None,
) -> Ask:
    """A mark as found: foretold by the sheet, and by what the other end was read to be."""
    ask = mark_ask(facts, band, end.mark_hz, end.name)
    if fit is None:
        return ask
    doubt_hz = mark_doubt_hz(facts, band, end.mark_hz)
    found = fit.foreseen(end.mark_hz, reading_doubt_hz=doubt_hz)
    if record.latest(as_found_key(band), end.name) is not None:
        # typed anew: held against everything that was read, itself too
        return replace(ask, foretold=foretold(facts, band, "frequency", found))
    span_hz = search_span_hz(facts, end.mark_hz)
    second_hz = second_image_hz(facts, band)
    told = first_foretold(band.tracked, "frequency", found, end.mark_hz, span_hz, second_hz)
    if not told.twin_hz:
        return replace(ask, foretold=told)
    apart = khz(abs(told.twin_hz))
    prompt = f"{ask.prompt} Two answers stand {apart} apart: take the {told.right_twin} one."
    return replace(ask, foretold=told, prompt=prompt)


def _as_found(facts: ReceiverFacts, band: BandFacts, found: Sequence[Reading]) -> ScalePicture:
    """The scale with what was read at its ends, and where the pointer stands now."""
    asked = next(
        (e.mark_hz for e, r in zip(band_ends(band), found, strict=True) if not r.answer), 0.0
    )
    marks = [
        (end.mark_hz, [(r.answer, "as found")] if r.answer else [])
        for end, r in zip(band_ends(band), found, strict=True)
    ]
    return scale_picture(facts, band, marks, asked)


def _leaving_words(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, survey: Step
) -> tuple[str, ...]:
    """Whether both ends are still inside once the cabinet pulls them, by what was read."""
    if survey.status is not Status.DONE:
        return ()
    if school_of(record).peaking is Peaking.ALL:
        return (
            "Both ends are inside the tolerance. Peak all was chosen: align reads what is between "
            "them too, and turns where that brings the furthest mark nearer to its middle.",
        )
    fit = fitted(facts, record, band)
    doubtful = []
    for end in band_ends(band):
        found = fit.marks_hz((end.mark_hz,), in_cabinet=True)[:, 0]
        sure = float(np.mean(np.abs(found - end.mark_hz) <= band.tolerance_hz(end.mark_hz)))
        if sure < SURE:
            doubtful.append(f"{khz(end.mark_hz)} with {100 * sure:.0f} %")
    if not doubtful:
        return ("Both ends are inside the tolerance: leave it.",)
    return (
        f"Both ends read inside, but in the cabinet only {' and '.join(doubtful)}: near the edge. "
        "Leave it, or choose align to have it read again; what is inside is not turned.",
    )


def _decide(facts: ReceiverFacts, record: JobRecord, band: BandFacts, survey: Step) -> Step:
    key = f"osc.{band.key}.decide"
    off = [r for r in survey.results if r.judgement.verdict.outside]
    # where all is wanted, one that is right may still stand nearer to its middle
    every = school_of(record).peaking is Peaking.ALL
    costs = [
        mark_cost(band, end.mark_hz, r.value)
        for end, r in zip(band_ends(band), survey.results, strict=False)
        if r in off and r.value is not None
    ]
    ask = Ask(
        "decision",
        "Align, or leave it as it is?",
        (Field("decision", "decision", options=("align", LEAVE_IT)),),
        "align" if off or every else LEAVE_IT,
    )
    found = reading(record, key, ask)
    decided = found.answer.texts["decision"] if found.answer else ""
    step = Step(
        key,
        STAGE,
        f"{band.name}: decide, align or leave it",
        "Leave it, it is right, is a result like any other.",
        advice=(f"Outside: {'; '.join(costs)}. Align it.",) if off else (),
        advise=None if off else lambda: _leaving_words(facts, record, band, survey),
        leave=True,
        cost="; ".join(costs),
        powered=True,
        decision=decided,
        notes=(f"Decided: {decided}",) if decided else (),
    )
    if survey.status is not Status.DONE:
        return replace(step, blocked_by=("The survey as found comes first.",), ask=ask, advice=())
    return conclude(step, (found,))
