"""What to do next to a band's oscillator: leave it, read a mark again, or turn one adjuster.

Where one adjuster alone will do, only that one is turned. Of two that have to turn the one that is
less known goes first.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from glowdial.core.alignment.band_marks import (
    Mark,
    by_one_reading,
    error_hz,
    hardly_moved,
    is_idle,
    near_the_edge,
    off_hz,
    outside_for_sure,
    settled,
    slack_hz,
    slid_to,
)
from glowdial.core.alignment.oscillator_state import FittedOscillator, Foreseen
from glowdial.core.alignment.turns_home import (
    FIRST_STEP,
    all_together,
    best_single,
    expected_worst,
    first_of,
    middle_of,
    one_alone,
    unknown_way,
    worst_of,
)

# so often a mark is read between two moves
MOST_READS = 3
# a reading that the others do not bear out by so many of its doubts is taken again
STRANGE = 1.8
# and so is one of two that are about four doubts apart, where it would be left by them
TORN = 1.5
# in tolerances: a turn that brings the worst mark no nearer than by this is not worth it
LEAST_GAIN = 0.08
# and one where all are inside already, if it brings it no nearer than by this
WORTH_A_TOUCH = 0.2
# a mark between may stand so much further out than it could, in tolerances; a band that is turned
# anyway is left when that is so with this probability
FURTHER, SURE_ENOUGH = 0.5, 0.8
# a pointer is slid where that brings every mark this far inside
POINTER_INSIDE = 0.5
# of the scale's length: a pointer does not sit further off by itself
LARGEST_SLIDE = 0.04
# an adjuster that may have done nothing is not turned far
IDLE_DOUBTED = 0.3
TRIAL_SHARE, MOST_TRIAL, LEAST_TRIAL = 0.6, 0.5, 1.0 / 16.0
# a trial is to shift its mark by so many of the doubts of its reading
SHOWS = 4.0
GRAINS = (1.0 / 8.0, 1.0 / 16.0, 1.0 / 32.0, 1.0 / 64.0)
GRAIN_SHARE = 0.12


class Act(StrEnum):
    """What is to be done."""

    LEAVE = "leave it"
    READ = "read it again"
    TURN = "turn"
    STUCK = "nothing turns it"
    BEST = "as good as it gets"
    SLIDE = "slide the pointer"


class Why(StrEnum):
    """Why a mark is read, or one that is inside is turned for."""

    MOVED = "something moved since it was read"
    BETWEEN = "what is turned moves it too"
    EDGE = "it stands at its edge"
    NOT_BORNE_OUT = "the other readings say otherwise"
    TORN = "two readings of it disagree"
    ALONE = "one reading alone says so, and may be from the wrong side"
    LITTLE = "the first turn of its adjuster did little, or nothing"
    FURTHER = "one between the ends could stand much nearer"
    MIDDLE = "all are to be brought to their middle"


@dataclass(frozen=True, slots=True)
class NextMove:
    """What to do, at which mark; for a turn how far, where every mark then stands, whether it is a
    trial of something whose direction is not known, and the mark that it is for: its own, or
    another that is the only one outside; and of a reading or of a turn of what is inside, why."""

    act: Act
    mark_hz: float = 0.0
    adjuster: str = ""
    turns: float = 0.0
    lands: Mapping[float, Foreseen] = field(default_factory=dict)
    trial: bool = False
    alone: bool = True
    sake_hz: float = 0.0
    why: Why | None = None


def next_move(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    travel_turns: Mapping[str, float],
    *,
    pointer_free: bool = False,
    to_middle: bool = False,
) -> NextMove:
    """What brings the marks inside with the fewest moves.

    ``travel_turns`` is the whole travel of each adjuster; no single move is more than half of it.
    The pointer is slid only where it is free to be: no other band was read with it. What is inside
    is left, and the band with it, but where all is wanted ``to_middle``: then a turn is made as
    long as it brings the worst mark nearer by what is worth a touch.
    """
    unseen = [m for m in marks if not m.seen and not m.given_up]
    open_marks = [m for m in marks if m.seen and not m.given_up]
    unread = [m for m in open_marks if m.reads == 0]
    # where one has to move in any case, the others are read after it
    if unread and not any(outside_for_sure(fit, m) for m in open_marks):
        return _read(unread[0], Why.MOVED)
    unsettled = [m for m in open_marks if not settled(fit, m)]
    if not unsettled:
        # of two readings that disagree a third one decides, before it is left by the second
        torn = [
            m for m in open_marks if 1 < m.reads < MOST_READS and fit.last_off(m.mark_hz) > TORN
        ]
        if torn:
            return _read(torn[0], Why.TORN)
        turned = any(fit.moves_of(t.key) for t in fit.turners)
        single = [m for m in open_marks if turned and by_one_reading(fit, m)]
        if single:
            return _read(single[0], Why.ALONE)
        if to_middle and unseen:
            return _read(unseen[0], Why.BETWEEN)
        further = turned and _further_than_need_be(fit, open_marks, travel_turns)
        if not (to_middle or further):
            return NextMove(Act.LEAVE)
        touch = replace(
            _touch(fit, open_marks, travel_turns), why=Why.FURTHER if further else Why.MIDDLE
        )
        return _told_of_all(fit, open_marks, touch)
    # what is turned in any case moves what stands between: that is looked at after it
    due = any(outside_for_sure(fit, m) for m in open_marks)
    slack_only = all(off_hz(fit, m) <= m.tolerance_hz + slack_hz(fit, m) for m in open_marks)
    for mark in unsettled:
        why = _why_again(fit, mark, slack_only=slack_only)
        if why is not None and mark.reads < MOST_READS and not (mark.between and due):
            return _read(mark, why)
    if pointer_free and _pointer_mends(fit, open_marks):
        first = open_marks[0]
        lands = {m.mark_hz: slid_to(fit, first, m) for m in open_marks}
        return NextMove(Act.SLIDE, first.mark_hz, lands=lands)
    if unseen:
        # what is turned in any case is turned with the middle in view
        return _read(unseen[0], Why.BETWEEN)
    return _told_of_all(fit, open_marks, _turn(fit, open_marks, unsettled, travel_turns))


def _read(mark: Mark, why: Why) -> NextMove:
    return NextMove(Act.READ, mark.mark_hz, why=why)


def _why_again(fit: FittedOscillator, mark: Mark, *, slack_only: bool) -> Why | None:
    """Why one that is not settled is read again before anything is turned; None: it is not.
    ``slack_only``: a drive's slack may be all that any mark is out by."""
    if fit.last_off(mark.mark_hz) > STRANGE:
        return Why.NOT_BORNE_OUT
    if hardly_moved(fit, mark):
        return Why.LITTLE
    if near_the_edge(fit, mark):
        return Why.EDGE
    return Why.ALONE if slack_only and by_one_reading(fit, mark) else None


def _told_of_all(fit: FittedOscillator, marks: Sequence[Mark], now: NextMove) -> NextMove:
    """A turn with where every mark then stands, also one that had no say in it."""
    if now.act is not Act.TURN:
        return now
    turned = {now.adjuster: now.turns}
    lands = {m.mark_hz: fit.foreseen(m.mark_hz, turned, reading_doubt_hz=m.doubt_hz) for m in marks}
    return replace(now, lands=lands)


def _further_than_need_be(
    fit: FittedOscillator, marks: Sequence[Mark], travel_turns: Mapping[str, float]
) -> bool:
    """Whether a mark between may well stand further out than it would with all turned as they
    should be, by more than it may."""
    between = [m for m in marks if m.between]
    keys = [m.adjuster for m in marks if m.adjuster is not None and not is_idle(fit, m)]
    if not between or not keys:
        return False
    best = all_together(fit, marks, keys, travel_turns)
    further = [
        (np.abs(error_hz(fit, m)) - np.abs(error_hz(fit, m, best))) / m.tolerance_hz
        for m in between
    ]
    return any(float(np.mean(some <= FURTHER)) < SURE_ENOUGH for some in further)


def _touch(
    fit: FittedOscillator, marks: Sequence[Mark], travel_turns: Mapping[str, float]
) -> NextMove:
    """Where all are inside, the one more turn that brings the worst mark so much nearer, the hand's
    own error counted in, that it is worth it; or the first of two that do."""
    furthest = max(marks, key=lambda m: abs(float(np.median(error_hz(fit, m)))) / m.tolerance_hz)
    best = best_single(fit, marks, travel_turns)
    if best is not None and best[0] >= WORTH_A_TOUCH:
        return _made(fit, best[1], best[2], sake=furthest)
    usable = [m for m in marks if m.adjuster is not None and not is_idle(fit, m)]
    if len(usable) < 2 or unknown_way(fit, usable):
        return NextMove(Act.LEAVE)
    joint = middle_of(
        fit, all_together(fit, marks, [m.adjuster or "" for m in usable], travel_turns)
    )
    gain = expected_worst(fit, marks, {}) - expected_worst(fit, marks, joint)
    if gain < len(usable) * WORTH_A_TOUCH:
        return NextMove(Act.LEAVE)
    return _made(fit, *first_of(fit, marks, usable, joint), alone=False, sake=furthest)


def _for_another(
    fit: FittedOscillator, marks: Sequence[Mark], off: Mark, travel_turns: Mapping[str, float]
) -> NextMove:
    """What is inside is not moved for another mark that nothing turns, unless that brings all of
    them inside; one whose direction is not known may be tried."""
    gain, mark, turns = best_single(fit, marks, travel_turns) or (0.0, off, 0.0)
    mends = gain >= LEAST_GAIN and worst_of(fit, marks, {mark.adjuster or "": turns}) <= 1.0
    if mends:
        return _made(fit, mark, turns, sake=off)
    usable = [m for m in marks if m.adjuster is not None and not is_idle(fit, m)]
    unknown = unknown_way(fit, usable)
    if unknown is None:
        return NextMove(Act.BEST, off.mark_hz)
    return _trial(fit, marks, unknown, [m.adjuster or "" for m in usable], travel_turns)


def _pointer_mends(fit: FittedOscillator, marks: Sequence[Mark]) -> bool:
    """Whether every mark is outside, and comes well inside with the pointer slid to the first, by
    no more than a pointer slips on its cord."""
    if len(marks) < 2 or not all(outside_for_sure(fit, m) for m in marks):
        return False
    low, high = fit.circuit.span
    ratio = fit.foreseen(marks[0].mark_hz).mean_hz / marks[0].mark_hz
    if abs(math.log(ratio)) > LARGEST_SLIDE * math.log(high / low):
        return False
    return all(
        abs(slid_to(fit, marks[0], m).mean_hz - m.mark_hz) <= POINTER_INSIDE * m.tolerance_hz
        for m in marks
    )


def _turn(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    unsettled: Sequence[Mark],
    travel_turns: Mapping[str, float],
) -> NextMove:
    idle = [m for m in unsettled if is_idle(fit, m)]
    if idle:
        # another's mark is not moved to make up for an adjuster that does nothing
        unsettled = [m for m in unsettled if m not in idle]
        marks = [m for m in marks if m not in idle]
        stuck = NextMove(Act.STUCK, idle[0].mark_hz, idle[0].adjuster or "")
        if not any(m.adjuster for m in unsettled):
            return stuck
        other = _turn(fit, marks, unsettled, travel_turns)
        return stuck if other.act is Act.BEST else other
    usable = [m for m in marks if m.adjuster is not None and not is_idle(fit, m)]
    keys = [m.adjuster for m in usable if m.adjuster is not None]
    if not keys:
        return NextMove(Act.BEST, unsettled[0].mark_hz)
    unknown = unknown_way(fit, [m for m in usable if m in unsettled])
    if unknown is not None:
        return _trial(fit, marks, unknown, [unknown.adjuster or ""], travel_turns)
    if not any(m in unsettled for m in usable):
        return _for_another(fit, marks, unsettled[0], travel_turns)
    joint: dict[str, float] = {}
    chosen = one_alone(fit, marks, [m for m in usable if m in unsettled], travel_turns)
    alone = chosen is not None
    if chosen is None:
        unknown = unknown_way(fit, usable)
        if unknown is not None:
            return _trial(fit, marks, unknown, keys, travel_turns)
        joint = middle_of(fit, all_together(fit, marks, keys, travel_turns))
        chosen = first_of(fit, marks, usable, joint)
    mark, turns = chosen
    assert mark.adjuster is not None
    every = {mark.adjuster: turns} if alone else joint
    # before all were turned it is not known what they can do
    known = all(fit.moves_of(key) for key in keys)
    if known and worst_of(fit, marks, {}) - worst_of(fit, marks, every) < LEAST_GAIN:
        return _without_those_between(fit, marks, unsettled, travel_turns)
    sake = mark if mark in unsettled else unsettled[0]
    return _made(fit, mark, turns, alone=alone, sake=sake)


def _without_those_between(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    unsettled: Sequence[Mark],
    travel_turns: Mapping[str, float],
) -> NextMove:
    """Where nothing brings all of them inside, the ends come first."""
    ends, off = ([m for m in some if not m.between] for some in (marks, unsettled))
    if off and len(ends) < len(marks):
        return _turn(fit, ends, off, travel_turns)
    return NextMove(Act.BEST, unsettled[0].mark_hz)


def _made(
    fit: FittedOscillator,
    mark: Mark,
    turns: float,
    *,
    alone: bool = True,
    sake: Mark | None = None,
) -> NextMove:
    assert mark.adjuster is not None
    if fit.does_nothing(mark.adjuster) > IDLE_DOUBTED:
        # what may have slipped once is not turned as far as if it had hardly any effect
        turns = min(max(turns, -MOST_TRIAL), MOST_TRIAL)
    grained = _grained(fit, mark, turns)
    sake_hz = (sake or mark).mark_hz
    return NextMove(Act.TURN, mark.mark_hz, mark.adjuster, grained, alone=alone, sake_hz=sake_hz)


def _grained(fit: FittedOscillator, mark: Mark, turns: float) -> float:
    """To the coarsest part of a turn that a hand can tell and the mark does not mind."""
    assert mark.adjuster is not None
    rate = abs(fit.hz_per_turn(mark.adjuster, mark.mark_hz).mean_hz)
    for grain in GRAINS:
        if rate * grain / 2.0 <= GRAIN_SHARE * mark.tolerance_hz and abs(turns) >= 2.0 * grain:
            return round(turns / grain) * grain
    finest = round(turns / GRAINS[-1]) * GRAINS[-1]
    return finest or turns


def _trial(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    mark: Mark,
    keys: Sequence[str],
    travel_turns: Mapping[str, float],
) -> NextMove:
    """A first move of an adjuster whose direction is not known: part of the way, as if it were the
    usual direction; ``keys`` are those that will have to move with it."""
    assert mark.adjuster is not None
    place = [t.key for t in fit.turners].index(mark.adjuster)
    wanted = all_together(fit, marks, keys, travel_turns)[mark.adjuster] * fit.ways[:, place]
    turns = TRIAL_SHARE * middle_of(fit, {mark.adjuster: wanted})[mark.adjuster]
    least = max(_shown_by(fit, mark), LEAST_TRIAL)
    turns = math.copysign(min(max(abs(turns), least), MOST_TRIAL), turns or 1.0)
    made = _made(fit, mark, turns, alone=len(keys) == 1)
    return replace(made, trial=True)


def _shown_by(fit: FittedOscillator, mark: Mark) -> float:
    """So many turns as most probably shift a mark by what its reading shows."""
    assert mark.adjuster is not None
    at, on = (error_hz(fit, mark, t) for t in (None, {mark.adjuster: FIRST_STEP}))
    rate = float(np.median(np.abs(on - at))) / FIRST_STEP
    return SHOWS * mark.doubt_hz / rate if rate > 0.0 else MOST_TRIAL
