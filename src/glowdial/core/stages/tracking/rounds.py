"""The rounds of a band's oscillator: what is turned, read again or left, by what the fit says."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.alignment.next_move import Act
from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.dial_marks import (
    MIDDLE,
    as_found_key,
    brought_in_hz,
    dial_leads,
    dial_recipe,
    mark_ask,
    mark_cost,
    mark_fields,
    mark_result,
    pointer_words,
    scale_picture,
)
from glowdial.core.journey.memory import AtOnce, Memory
from glowdial.core.journey.pictures import ScalePicture
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Status, Step, settle
from glowdial.core.language.quantities import (
    TURNS,
    fine_turn_amount,
    fine_turn_entry,
    khz,
    turns,
)
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.measurands import turn_of
from glowdial.core.stages.tracking.drifting import drift_words
from glowdial.core.stages.tracking.ghosts import foretold
from glowdial.core.stages.tracking.oscillator import (
    SLID,
)
from glowdial.core.stages.tracking.round_advice import (
    End,
    Rounds,
    band_ends,
    next_reading,
    worked_marks,
    worked_rounds,
)
from glowdial.core.stages.tracking.round_words import (
    ended_words,
    foretold_words,
    read_words,
    stuck_words,
    turn_words,
)
from glowdial.core.stages.tracking.stage import STAGE


def round_steps(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, memory: Memory | None = None
) -> list[Step]:
    """The visits made so far and the one that is due, until all marks are inside. A ``memory`` may
    work the fit out beside the write: what is due is said once it is known."""
    survey = as_found_key(band)
    if any(record.latest(survey, end.name) is None for end in band_ends(band)):
        return []
    rounds = worked_rounds(facts, record, band, memory or AtOnce())
    if rounds.advice is None:
        return _thinking(rounds)
    steps = [_visit(rounds, key, end) for key, end in rounds.visits]
    if rounds.over:
        return [*steps, *_outside_as_found(rounds)]
    end = next(e for e in worked_marks(band) if e.mark_hz == rounds.now.mark_hz)
    due = _due(rounds, rounds.next_key(end), end)
    due = replace(due, advice=(*due.advice, *drift_words(facts, record, band)))
    if steps and steps[-1].key == due.key:
        return [*steps[:-1], due]
    return [*steps, due]


def _thinking(rounds: Rounds) -> list[Step]:
    """The visits made so far while the last reading is worked out: open, so that nothing goes on
    before it is known what to turn."""
    high = band_ends(rounds.band)[0]
    visits = rounds.visits or ((rounds.next_key(high), high),)
    steps = [settle(_step(rounds, key, end), remaining=None) for key, end in visits]
    last = replace(steps[-1], status=Status.OPEN, ask=None, thinking=True)
    return [*steps[:-1], last]


def _outside_as_found(rounds: Rounds) -> list[Step]:
    """An end that is outside as found and that nothing turns: read again, and judged."""
    survey = as_found_key(rounds.band)
    steps = []
    for end in band_ends(rounds.band):
        found = rounds.record.latest(survey, end.name)
        off_hz = abs(brought_in_hz(rounds.band, found, end.mark_hz) - end.mark_hz) if found else 0.0
        if off_hz > rounds.band.tolerance_hz(end.mark_hz) and not rounds.last_of(end):
            step = _step(rounds, rounds.next_key(end), end)
            steps.append(settle(step, remaining=_check_ask(rounds, end, 0)))
    return steps


def _step(rounds: Rounds, key: str, end: End) -> Step:
    """A visit as it stands, without a question."""
    facts, band = rounds.facts, rounds.band
    answers = rounds.record.of_step(key)
    final = rounds.over and key == rounds.last_of(end)
    results = tuple(
        mark_result(
            band,
            end.mark_hz,
            a,
            label=_label(a),
            stale=False,
            as_found=not final or a is not answers[-1],
        )
        for a in answers
    )
    adjuster = facts.adjuster(end.adjuster) if end.adjuster else None
    moved = adjuster is not None and any("turns" in a.values for a in answers)
    title = (
        f"{band.name}: {khz(end.mark_hz)} with the {adjuster.name}"
        if moved and adjuster
        else _read_title(rounds, key, end)
    )
    return Step(
        key,
        STAGE,
        title,
        _rule(facts, band),
        results=results,
        leads=dial_leads(facts),
        controls=(f"pointer on {pointer_words(band, end.mark_hz)}",),
        powered=True,
        adjuster=end.adjuster,
        scale=_creeping(rounds, end),
        cost=mark_cost(band, end.mark_hz, brought_in_hz(band, answers[-1], end.mark_hz))
        if answers
        else "",
        advice=ended_words(rounds, end) if final else (),
    )


def _rule(facts: ReceiverFacts, band: BandFacts) -> str:
    """Which adjuster rules which end."""
    high = facts.adjuster(band.high_adjuster).name
    if band.low_adjuster is None:
        return f"The {high} moves the whole scale; what is left at the other end is the plates'."
    low = facts.adjuster(band.low_adjuster).name
    return f"The {high} rules the high end, the {low} the low end; each moves the other."


def _visit(rounds: Rounds, key: str, end: End) -> Step:
    """A visit that is over; one that a person closed keeps the question that was open, and one that
    stands outside may be read again or closed."""
    closed = rounds.record.closure(key) is not None
    again = _check_ask(rounds, end, len(rounds.record.of_step(key)))
    return settle(
        _step(rounds, key, end),
        remaining=again if closed else None,
        retake=again if rounds.over and key == rounds.last_of(end) else None,
    )


def _due(rounds: Rounds, key: str, end: End) -> Step:
    """The visit that is due: with its advice, and what is asked."""
    step, now = _step(rounds, key, end), rounds.now
    made = rounds.record.of_step(key)
    if now.act is Act.READ:
        ask = _check_ask(rounds, end, len(made))
        return settle(
            replace(step, title=_read_title(rounds, key, end), advice=read_words(rounds, end)),
            remaining=ask,
        )
    if now.act is Act.SLIDE:
        return _slide(rounds, step, end)
    adjuster = rounds.facts.adjuster(end.adjuster or "")
    number = 1 + sum(a.ask.startswith("move") for a in made)
    if now.act is Act.STUCK:
        stuck = replace(step, advice=stuck_words(rounds, end, adjuster), leave=True)
        return settle(stuck, remaining=_move_ask(rounds, end, number, 0.0))
    advised = replace(
        step,
        title=f"Turn the {adjuster.name} {fine_turn_amount(now.turns)}",
        advice=turn_words(rounds, end),
    )
    return settle(advised, remaining=_move_ask(rounds, end, number, now.turns))


def _read_title(rounds: Rounds, key: str, end: End) -> str:
    """A mark between the ends was not read yet when they were."""
    first_key = next((k for k, e in rounds.visits if e == end), key)
    first = end.name == MIDDLE and key == first_key
    mark = f"read {khz(end.mark_hz)} too" if first else f"check {khz(end.mark_hz)} again"
    return f"{rounds.band.name}: {mark}"


def _slide(rounds: Rounds, step: Step, end: End) -> Step:
    mark = khz(end.mark_hz)
    ask = mark_ask(rounds.facts, rounds.band, end.mark_hz, f"{SLID}{len(rounds.visits) + 1}")
    advice = (
        f"Both ends are off alike, as by a pointer that sits wrong: set the generator to {mark}, "
        f"tune it in, hold the tuning, and slide the pointer onto its {mark} mark. It costs "
        "nothing, and no coil is touched.",
        foretold_words(rounds, rounds.now.lands, end),
    )
    title = f"Slide the pointer onto {mark}"
    recipe = dial_recipe(rounds.facts, rounds.band, end.mark_hz, Doing.SLIDE_AND_FIND)
    ask = replace(ask, prompt=f"Pointer slid: {ask.prompt}", recipe=recipe)
    return settle(
        replace(step, title=title, advice=advice, adjuster=None, leave=True), remaining=ask
    )


def _check_ask(rounds: Rounds, end: End, made: int) -> Ask:
    key = "check" if made == 0 else f"again{made}"
    ask = mark_ask(rounds.facts, rounds.band, end.mark_hz, key)
    told = foretold(rounds.facts, rounds.band, "frequency", next_reading(rounds, end))
    kept = rounds.advice.kept if rounds.advice is not None else None
    if kept is not None:
        told = replace(told, ghosts=(*told.ghosts, kept.ghost(end.mark_hz)))
    return replace(ask, foretold=told)


def _move_ask(rounds: Rounds, end: End, number: int, turned: float) -> Ask:
    facts, band = rounds.facts, rounds.band
    tolerance = band.tolerance_hz(end.mark_hz)
    recipe = dial_recipe(facts, band, end.mark_hz, Doing.TURN_AND_FIND)
    lands = rounds.now.lands.get(end.mark_hz)
    return Ask(
        f"move{number}",
        f"Turn, then find the generator frequency that comes in at "
        f"{pointer_words(band, end.mark_hz)}: "
        "the turn made, and the frequency.",
        (
            Field("turns", "turn", TURNS, measurand=turn_of(end.adjuster or "")),
            *mark_fields(band, end.mark_hz),
        ),
        f"{fine_turn_entry(turned)} {khz(end.mark_hz).split()[0]}",
        expected=symmetric(end.mark_hz, tolerance),
        expected_text=f"{khz(end.mark_hz)} within {khz(tolerance)}",
        recipe=replace(recipe, adjuster=end.adjuster, turns=turned),
        foretold=foretold(facts, band, "frequency", lands) if lands else None,
    )


def _label(answer: Answer) -> str:
    if "turns" not in answer.values:
        return "pointer slid" if answer.ask.startswith(SLID) else "checked"
    return turns(answer.values["turns"]) if answer.values["turns"] else "not turned"


def _creeping(rounds: Rounds, now: End) -> ScalePicture:
    """The marks on the scale, reading by reading, creeping home."""
    band, prefix = rounds.band, f"osc.{rounds.band.key}."
    read = [a for a in rounds.record.with_value("frequency") if a.step.startswith(prefix)]
    marks = [
        (
            end.mark_hz,
            [
                (a, "as found" if a.step == as_found_key(band) else _label(a))
                for a in read
                if a.step.endswith(f".{end.name}") or a.ask == end.name
            ],
        )
        for end in worked_marks(band)
        if end.name != MIDDLE or end == now or rounds.last_of(end)
    ]
    known = rounds.advice is not None
    due = known and not rounds.over and rounds.now.mark_hz == now.mark_hz
    told = next_reading(rounds, now) if due else None
    span = (told.mean_hz - told.half_hz, told.mean_hz + told.half_hz) if told else None
    return scale_picture(rounds.facts, band, marks, now.mark_hz, span)
