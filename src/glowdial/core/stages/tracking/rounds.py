"""The rounds of a band's oscillator: what is turned, read again or left, by what the fit says."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from glowdial.core.alignment.fitted_oscillator import IDLE_PRIOR
from glowdial.core.alignment.next_move import STRANGE, Act, NextMove, next_move
from glowdial.core.alignment.oscillator_state import (
    FittedOscillator,
    Foreseen,
)
from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.dial_marks import (
    as_found_key,
    brought_in_hz,
    dial_leads,
    dial_recipe,
    mark_ask,
    mark_cost,
    mark_doubt_hz,
    mark_fields,
    mark_result,
    pointer_words,
    scale_picture,
)
from glowdial.core.journey.pictures import ScalePicture
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Step, settle
from glowdial.core.language.quantities import (
    TURNS,
    engineering,
    fine_turn_amount,
    fine_turn_entry,
    khz,
    turns,
)
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import VHF_HZ, Adjuster, BandFacts, ReceiverFacts
from glowdial.core.model.measurands import turn_of
from glowdial.core.physics.tracking import AdjusterKind, TankRole, dial_shift_hz, role_of
from glowdial.core.stages.tracking.drifting import drift_words
from glowdial.core.stages.tracking.ghosts import foretold
from glowdial.core.stages.tracking.oscillator import (
    SLID,
    fitted,
    mark_of,
    reads_since_moved,
)
from glowdial.core.stages.tracking.rock import RockGoal, chosen_goal
from glowdial.core.stages.tracking.stage import STAGE

MOST_VISITS, MOST_MOVES = 20, 16
# an adjuster that may do nothing is named once that is twice as probable as before it was turned
SUSPECTED = 2.0 * IDLE_PRIOR
# a change small enough for straight lines
PROBE = 1e-3


@dataclass(frozen=True, slots=True)
class End:
    """One end of the band: its name, its mark, and what is turned there."""

    name: str
    mark_hz: float
    adjuster: str | None


def band_ends(band: BandFacts) -> tuple[End, End]:
    """Both ends, the high one first."""
    return (
        End("high", band.high_mark_hz, band.high_adjuster),
        End("low", band.low_mark_hz, band.low_adjuster),
    )


@dataclass(frozen=True, slots=True)
class _Rounds:
    """A band whose oscillator is being worked: what is known, what comes next, and the visits of
    its ends in order, each by the key of its step."""

    facts: ReceiverFacts
    record: JobRecord
    band: BandFacts
    fit: FittedOscillator
    now: NextMove
    visits: tuple[tuple[str, End], ...]

    @property
    def over(self) -> bool:
        """Nothing more is to be done, or enough was tried: what is outside then stands outside."""
        tried = sum(
            a.ask.startswith("move") for key, _ in self.visits for a in self.record.of_step(key)
        )
        enough = len(self.visits) >= MOST_VISITS or tried >= MOST_MOVES
        return enough or self.now.act in (Act.LEAVE, Act.BEST)

    def last_of(self, end: End) -> str:
        """The key of an end's last visit."""
        return next((k for k, e in reversed(self.visits) if e == end), "")

    def next_key(self, end: End) -> str:
        """The step in which an end is worked now: the last one, or a new visit."""
        if self.visits and self.visits[-1][1] == end:
            key = self.visits[-1][0]
            if self.record.closure(key) is None:
                return key
        number = 1 + sum(e == end for _, e in self.visits)
        return f"osc.{self.band.key}.round{number}.{end.name}"


def round_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """The visits made so far and the one that is due, until both ends are inside."""
    survey = as_found_key(band)
    if any(record.latest(survey, end.name) is None for end in band_ends(band)):
        return []
    rounds = _worked(facts, record, band)
    steps = [_visit(rounds, key, end) for key, end in rounds.visits]
    if rounds.over:
        return [*steps, *_outside_as_found(rounds)]
    end = next(e for e in band_ends(band) if e.mark_hz == rounds.now.mark_hz)
    due = _due(rounds, rounds.next_key(end), end)
    due = replace(due, advice=(*due.advice, *drift_words(facts, record, band)))
    if steps and steps[-1].key == due.key:
        return [*steps[:-1], due]
    return [*steps, due]


def _outside_as_found(rounds: _Rounds) -> list[Step]:
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


def _worked(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> _Rounds:
    fit = fitted(facts, record, band)
    visits = _visits(record, band)
    reads = reads_since_moved(facts, record, band)
    marks = [
        mark_of(
            facts,
            band,
            end.mark_hz,
            end.adjuster,
            reads.get(end.mark_hz, 0),
            given_up=_given_up(record, visits, end) or _for_sensitivity(record, band, end),
        )
        for end in band_ends(band)
    ]
    travel = {
        e.adjuster: facts.adjuster(e.adjuster).travel_turns for e in band_ends(band) if e.adjuster
    }
    # what a moved band's pointer stands on is not what comes in: sliding it mends nothing
    free = (
        band == facts.bands[0]
        and band.printed is None
        and not any(record.of_step(as_found_key(other)) for other in facts.bands[1:])
    )
    now = next_move(fit, marks, travel, pointer_free=free)
    return _Rounds(facts, record, band, fit, now, visits)


def _visits(record: JobRecord, band: BandFacts) -> tuple[tuple[str, End], ...]:
    """The steps of the rounds that hold an entry or a decision, in the order of their first."""
    prefix = f"osc.{band.key}.round"
    ends = {end.name: end for end in band_ends(band)}
    keys = [a.step for a in record.answers if a.step.startswith(prefix) and not a.withdrawn]
    keys += [c.step for c in record.closures if c.step.startswith(prefix)]
    return tuple((key, ends[key.rpartition(".")[2]]) for key in dict.fromkeys(keys))


def _given_up(record: JobRecord, visits: Sequence[tuple[str, End]], end: End) -> bool:
    """Whether a person closed the last visit of an end as it is."""
    last = next((key for key, e in reversed(visits) if e == end), "")
    return bool(last) and record.closure(last) is not None


def _for_sensitivity(record: JobRecord, band: BandFacts, end: End) -> bool:
    """Whether the low end was left where it is loudest, by somebody's choice."""
    return end.name == "low" and chosen_goal(record, band) is RockGoal.SENSITIVITY


def _step(rounds: _Rounds, key: str, end: End) -> Step:
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
        else f"{band.name}: check {khz(end.mark_hz)} again"
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
        advice=_ended_words(rounds, end) if final else (),
    )


def _rule(facts: ReceiverFacts, band: BandFacts) -> str:
    """Which adjuster rules which end."""
    high = facts.adjuster(band.high_adjuster).name
    if band.low_adjuster is None:
        return f"The {high} moves the whole scale; what is left at the other end is the plates'."
    low = facts.adjuster(band.low_adjuster).name
    return f"The {high} rules the high end, the {low} the low end; each moves the other."


def _visit(rounds: _Rounds, key: str, end: End) -> Step:
    """A visit that is over; one that a person closed keeps the question that was open, and one that
    stands outside may be read again or closed."""
    closed = rounds.record.closure(key) is not None
    again = _check_ask(rounds, end, len(rounds.record.of_step(key)))
    return settle(
        _step(rounds, key, end),
        remaining=again if closed else None,
        retake=again if rounds.over and key == rounds.last_of(end) else None,
    )


def _ended_words(rounds: _Rounds, end: End) -> tuple[str, ...]:
    if rounds.now.act is not Act.BEST or rounds.now.mark_hz != end.mark_hz:
        return ()
    return (
        "No adjuster brings it nearer without putting another mark further out: what is left is "
        "the gang's plates, or a part. Bend a split plate only with the maker's instructions; "
        "else close it with its cost.",
    )


def _due(rounds: _Rounds, key: str, end: End) -> Step:
    """The visit that is due: with its advice, and what is asked."""
    step, now = _step(rounds, key, end), rounds.now
    made = rounds.record.of_step(key)
    if now.act is Act.READ:
        ask = _check_ask(rounds, end, len(made))
        return settle(
            replace(
                step,
                title=f"{rounds.band.name}: check {khz(end.mark_hz)} again",
                advice=_read_words(rounds, end),
            ),
            remaining=ask,
        )
    if now.act is Act.SLIDE:
        return _slide(rounds, step, end)
    adjuster = rounds.facts.adjuster(end.adjuster or "")
    number = 1 + sum(a.ask.startswith("move") for a in made)
    if now.act is Act.STUCK:
        stuck = replace(step, advice=_stuck_words(rounds, end, adjuster), leave=True)
        return settle(stuck, remaining=_move_ask(rounds, end, number, 0.0))
    advised = replace(
        step,
        title=f"Turn the {adjuster.name} {fine_turn_amount(now.turns)}",
        advice=_turn_words(rounds, end),
    )
    return settle(advised, remaining=_move_ask(rounds, end, number, now.turns))


def _slide(rounds: _Rounds, step: Step, end: End) -> Step:
    mark = khz(end.mark_hz)
    ask = mark_ask(rounds.facts, rounds.band, end.mark_hz, f"{SLID}{len(rounds.visits) + 1}")
    advice = (
        f"Both ends are off alike, as by a pointer that sits wrong: set the generator to {mark}, "
        f"tune it in, hold the tuning, and slide the pointer onto its {mark} mark. It costs "
        "nothing, and no coil is touched.",
        _foretold_words(rounds, rounds.now.lands, end),
    )
    title = f"Slide the pointer onto {mark}"
    recipe = dial_recipe(rounds.facts, rounds.band, end.mark_hz, Doing.SLIDE_AND_FIND)
    ask = replace(ask, prompt=f"Pointer slid: {ask.prompt}", recipe=recipe)
    return settle(
        replace(step, title=title, advice=advice, adjuster=None, leave=True), remaining=ask
    )


def _check_ask(rounds: _Rounds, end: End, made: int) -> Ask:
    key = "check" if made == 0 else f"again{made}"
    ask = mark_ask(rounds.facts, rounds.band, end.mark_hz, key)
    found = _next_reading(rounds, end)
    return replace(ask, foretold=foretold(rounds.band, "frequency", found))


def _move_ask(rounds: _Rounds, end: End, number: int, turned: float) -> Ask:
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
        recipe=replace(recipe, adjuster=end.adjuster, turns=turned) if recipe else None,
        foretold=foretold(band, "frequency", lands) if lands else None,
    )


def _read_words(rounds: _Rounds, end: End) -> tuple[str, ...]:
    fit, now = rounds.fit, fit_words(rounds.fit.foreseen(end.mark_hz))
    if reads_since_moved(rounds.facts, rounds.record, rounds.band).get(end.mark_hz, 0) == 0:
        return (f"Something moved since it was read. Foretold: {now}.",)
    if fit.last_off(end.mark_hz) > STRANGE:
        return (
            f"The other readings do not bear this one out; they say {now}. Read it again, from the "
            "same side. If it goes on moving one way the set is still warming: wait, or take its "
            "drift.",
        )
    return ("It stands at the edge of its tolerance: read it again before anything is turned.",)


def _stuck_words(rounds: _Rounds, end: End, adjuster: Adjuster) -> tuple[str, ...]:
    sure = rounds.fit.does_nothing(adjuster.key)
    return (
        f"The {adjuster.name} changed nothing ({100 * sure:.0f} % sure): do not turn it on and "
        "on. Is it at the end of its travel, is its slot or thread stripped, does it belong to "
        "another band or circuit, or is this band not switched in? Look, turn it back to as "
        "found, and go on with what was found; or close it with its cost.",
        f"At its end, what is missing is {_other_part(rounds, end, adjuster)}",
    )


def _other_part(rounds: _Rounds, end: End, adjuster: Adjuster) -> str:
    """What has to be changed where the adjuster cannot, with how much by the nominal circuit."""
    tracked = rounds.band.tracked
    error_hz = rounds.fit.foreseen(end.mark_hz).mean_hz - end.mark_hz
    per_share = dial_shift_hz(tracked, end.mark_hz, adjuster.kind, PROBE) / PROBE
    share = -error_hz / per_share
    if role_of(adjuster.kind, inductive=tracked.inductive) is TankRole.SCALE:
        return f"the coil, or its core, {'more' if share > 0 else 'less'} by {abs(share):.1%}."
    part = tracked.oscillator
    whole = part.padder_f if adjuster.kind is AdjusterKind.PADDER else part.trimmer_f
    unit = "H" if tracked.inductive else "F"
    place = "in series" if adjuster.kind is AdjusterKind.PADDER else "across it"
    way = "more" if share > 0 else "less"
    return (
        f"about {engineering(abs(share) * whole, unit, 2)} {way} {place}, by the sheet's circuit."
    )


def _turn_words(rounds: _Rounds, end: End) -> tuple[str, ...]:
    fit, now = rounds.fit, rounds.now
    assert end.adjuster is not None
    found = fit.foreseen(end.mark_hz).mean_hz
    error = found - end.mark_hz
    where = "low" if error > 0 else "high"
    first = (
        f"{khz(round(found, -4 if found >= VHF_HZ else -2))} comes in at {khz(end.mark_hz)}: "
        "stations stand "
        f"{abs(error) / 1e3:.1f} kHz too {where} on the scale. {_basis(rounds, end)}"
    )
    words = [first, *_suspect_words(rounds, end), _foretold_words(rounds, now.lands, end)]
    if not now.alone:
        words.append("Both ends have to move: the other one follows, and takes out what is left.")
    return tuple(words)


def _suspect_words(rounds: _Rounds, end: End) -> tuple[str, ...]:
    """An adjuster whose last turn changed less than it should, before that is sure."""
    probability = rounds.fit.does_nothing(end.adjuster or "")
    if probability < SUSPECTED:
        return ()
    name = rounds.facts.adjuster(end.adjuster or "").name
    return (
        f"Its last turn changed little: with {100 * probability:.0f} % the {name} does nothing. Is "
        "it this circuit's, does its part move with it? Watch while you turn, and stop where "
        "nothing follows.",
    )


def _basis(rounds: _Rounds, end: End) -> str:
    """What is known of what a turn does, and whence."""
    fit, key = rounds.fit, end.adjuster or ""
    if rounds.now.trial:
        return "Which way it goes is not known yet: a small test move, whose effect tells the rest."
    rate = fit.hz_per_turn(key, end.mark_hz)
    share = rate.doubt_hz / max(abs(rate.mean_hz), 1.0)
    adjuster = rounds.facts.adjuster(key)
    whence = "learned from its moves" if fit.moves_of(key) else "computed from the sheet"
    if not fit.moves_of(key) and adjuster.change_per_turn is None:
        whence = "guessed from its kind"
    return (
        f"A turn does about {abs(rate.mean_hz) / 1e3:.0f} kHz here, {whence}, good to "
        f"{100 * share:.0f} %."
    )


def fit_words(found: Foreseen) -> str:
    """A foreseen reading as it is said: with half of the interval that holds nine of ten."""
    # two figures of the doubt are enough, and of the frequency no more than it bears
    digits = min(1 - math.floor(math.log10(max(found.half_hz, 1.0))), -1)
    return f"{khz(round(found.mean_hz, digits))} within {khz(round(found.half_hz, digits))}"


def _foretold_words(rounds: _Rounds, lands: Mapping[float, Foreseen], end: End) -> str:
    """What will come in here after the move, and what the move does to the other mark."""
    here = f"Foretold: {khz(end.mark_hz)} comes to {fit_words(lands[end.mark_hz])}"
    others = []
    for mark_hz, there in lands.items():
        if mark_hz == end.mark_hz:
            continue
        by = there.mean_hz - rounds.fit.foreseen(mark_hz).mean_hz
        way = "rises" if by > 0 else "falls"
        tolerance = rounds.band.tolerance_hz(mark_hz)
        out = abs(there.mean_hz - mark_hz) > tolerance
        after = f", to {khz(round(there.mean_hz, -2))}, outside for now" if out else ""
        others.append(f"{khz(mark_hz)} {way} by {abs(by) / 1e3:.1f} kHz{after}")
    return "; ".join((here, *others)) + "."


def _label(answer: Answer) -> str:
    if "turns" not in answer.values:
        return "pointer slid" if answer.ask.startswith(SLID) else "checked"
    return turns(answer.values["turns"]) if answer.values["turns"] else "not turned"


def _creeping(rounds: _Rounds, now: End) -> ScalePicture:
    """Both ends on the scale, reading by reading: the marks creeping home."""
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
        for end in band_ends(band)
    ]
    due = not rounds.over and rounds.now.mark_hz == now.mark_hz
    told = _next_reading(rounds, now) if due else None
    span = (told.mean_hz - told.half_hz, told.mean_hz + told.half_hz) if told else None
    return scale_picture(rounds.facts, band, marks, now.mark_hz, span)


def _next_reading(rounds: _Rounds, end: End) -> Foreseen:
    """What will be read at an end: after the turn that is advised, or as it stands."""
    if end.mark_hz in rounds.now.lands:
        return rounds.now.lands[end.mark_hz]
    doubt_hz = mark_doubt_hz(rounds.facts, rounds.band, end.mark_hz)
    return rounds.fit.foreseen(end.mark_hz, reading_doubt_hz=doubt_hz)
