"""What to do next to a band's oscillator: leave it, read a mark again, or turn one adjuster.

The turns that bring all marks home together are each sample's own least squares, in tolerances, and
of those the middle one. Where one adjuster alone will do, only that one is turned, as far as
brings most samples inside: an effect that is not well known is thereby aimed at short of the mark.
Of two that have to turn the one that is less known goes first. Source: expected loss, as in
textbooks of decision theory.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.alignment.oscillator_state import (
    FittedOscillator,
    Foreseen,
)

Floats = NDArray[np.float64]

# what is inside with this probability is left; below that, and near the edge, it is read again
SURE, MOST_READS = 0.95, 3
# a reading from the wrong side of a slack drive is off by so much of the scale's length; one that
# the others bear out tells no more than they do, so that little of its own doubt is left
SLACK, BORNE_OUT = 0.003, 0.7
EDGE_DOUBTS = 1.7
# a reading that the others do not bear out by so many of its doubts is taken again
STRANGE = 1.8
# and so is one of two that are about four doubts apart, where it would be left by them
TORN = 1.5
# a turn is tried at these shares of what the squared error asks for
SHARES = (0.6, 0.7, 0.8, 0.85, 0.9, 0.95, 1.0, 1.05, 1.1, 1.2)
# where the other one can still put it right
JOINT_SHARE, RIDGE = 0.9, 1e-6
# in tolerances: a turn that brings the worst mark no nearer than by this is not worth it
LEAST_GAIN = 0.08
# and one where all are inside already, if it brings it no nearer than by this
WORTH_A_TOUCH = 0.2
# a mark between may stand so much further out than it could, in tolerances; a band that is turned
# anyway is left when that is so with this probability
FURTHER, SURE_ENOUGH = 0.5, 0.8
# one adjuster will do where it brings every mark this far inside
ENOUGH_INSIDE, POINTER_INSIDE = 0.7, 0.5
# of the scale's length: a pointer does not sit further off by itself
LARGEST_SLIDE = 0.04
# of the cabinet's pull, this share is met beforehand, by no more than so many tolerances
CABINET_SHARE_MET, MOST_MET = 0.5, 0.3
# an adjuster that most probably did nothing is not turned again; one that may have, not far
IDLE_SURE, IDLE_DOUBTED = 0.8, 0.3
FIRST_STEP, ROUNDS = 1.0 / 8.0, 4
TRIAL_SHARE, MOST_TRIAL, LEAST_TRIAL = 0.6, 0.5, 1.0 / 16.0
# a trial is to shift its mark by so many of the doubts of its reading; so many are seen
SHOWS, SEEN = 4.0, 3.0
# what a first turn did is far less than what was expected of it, below this share
FAR_LESS = 0.5
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
class Mark:
    """A mark that is adjusted: where, its tolerance, what is turned there (None: nothing), how well
    it is read, how often it was read since something last moved, and whether a person gave it up.
    One ``between`` the ends has no adjuster of its own; it counts once it was ``seen``.
    """

    mark_hz: float
    tolerance_hz: float
    adjuster: str | None
    doubt_hz: float
    reads: int
    given_up: bool = False
    between: bool = False
    seen: bool = True


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
    if unread and not any(_outside_for_sure(fit, m) for m in open_marks):
        return _read(unread[0], Why.MOVED)
    unsettled = [m for m in open_marks if not _settled(fit, m)]
    if not unsettled:
        # of two readings that disagree a third one decides, before it is left by the second
        torn = [
            m for m in open_marks if 1 < m.reads < MOST_READS and fit.last_off(m.mark_hz) > TORN
        ]
        if torn:
            return _read(torn[0], Why.TORN)
        turned = any(fit.moves_of(t.key) for t in fit.turners)
        single = [m for m in open_marks if turned and _by_one_reading(fit, m)]
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
    due = any(_outside_for_sure(fit, m) for m in open_marks)
    slack_only = all(_off_hz(fit, m) <= m.tolerance_hz + _slack_hz(fit, m) for m in open_marks)
    for mark in unsettled:
        why = _why_again(fit, mark, slack_only=slack_only)
        if why is not None and mark.reads < MOST_READS and not (mark.between and due):
            return _read(mark, why)
    if pointer_free and _pointer_mends(fit, open_marks):
        first = open_marks[0]
        lands = {m.mark_hz: _slid_to(fit, first, m) for m in open_marks}
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
    if _hardly_moved(fit, mark):
        return Why.LITTLE
    if _near_the_edge(fit, mark):
        return Why.EDGE
    return Why.ALONE if slack_only and _by_one_reading(fit, mark) else None


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
    keys = [m.adjuster for m in marks if m.adjuster is not None and not _is_idle(fit, m)]
    if not between or not keys:
        return False
    best = _together(fit, marks, keys, travel_turns)
    further = [
        (np.abs(_error(fit, m)) - np.abs(_error(fit, m, best))) / m.tolerance_hz for m in between
    ]
    return any(float(np.mean(some <= FURTHER)) < SURE_ENOUGH for some in further)


def _touch(
    fit: FittedOscillator, marks: Sequence[Mark], travel_turns: Mapping[str, float]
) -> NextMove:
    """Where all are inside, the one more turn that brings the worst mark so much nearer, the hand's
    own error counted in, that it is worth it; or the first of two that do."""
    furthest = max(marks, key=lambda m: abs(float(np.median(_error(fit, m)))) / m.tolerance_hz)
    best = _best_single(fit, marks, travel_turns)
    if best is not None and best[0] >= WORTH_A_TOUCH:
        return _made(fit, best[1], best[2], sake=furthest)
    usable = [m for m in marks if m.adjuster is not None and not _is_idle(fit, m)]
    if len(usable) < 2 or _unknown_way(fit, usable):
        return NextMove(Act.LEAVE)
    joint = _middle(fit, _together(fit, marks, [m.adjuster or "" for m in usable], travel_turns))
    gain = _expected_worst(fit, marks, {}) - _expected_worst(fit, marks, joint)
    if gain < len(usable) * WORTH_A_TOUCH:
        return NextMove(Act.LEAVE)
    return _made(fit, *_first_of(fit, marks, usable, joint), alone=False, sake=furthest)


def _for_another(
    fit: FittedOscillator, marks: Sequence[Mark], off: Mark, travel_turns: Mapping[str, float]
) -> NextMove:
    """What is inside is not moved for another mark that nothing turns, unless that brings all of
    them inside; one whose direction is not known may be tried."""
    gain, mark, turns = _best_single(fit, marks, travel_turns) or (0.0, off, 0.0)
    mends = gain >= LEAST_GAIN and _worst(fit, marks, {mark.adjuster or "": turns}) <= 1.0
    if mends:
        return _made(fit, mark, turns, sake=off)
    usable = [m for m in marks if m.adjuster is not None and not _is_idle(fit, m)]
    unknown = _unknown_way(fit, usable)
    if unknown is None:
        return NextMove(Act.BEST, off.mark_hz)
    return _trial(fit, marks, unknown, [m.adjuster or "" for m in usable], travel_turns)


def _best_single(
    fit: FittedOscillator, marks: Sequence[Mark], travel_turns: Mapping[str, float]
) -> tuple[float, Mark, float] | None:
    """The one turn that brings the worst mark nearest, by how much, the hand's own error counted
    in; of those that do anything, in a direction that is known."""
    now = _expected_worst(fit, marks, {})
    best: tuple[float, Mark, float] | None = None
    for mark in marks:
        if mark.adjuster is None or _is_idle(fit, mark) or _unknown_way(fit, [mark]):
            continue
        turns = _middle(fit, _together(fit, marks, [mark.adjuster], travel_turns))
        gain = now - _expected_worst(fit, marks, turns)
        if best is None or gain > best[0]:
            best = (gain, mark, turns[mark.adjuster])
    return best


def _expected_worst(
    fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]
) -> float:
    """How far out the worst mark will be, on the average, in tolerances."""
    error = np.stack([np.abs(_error(fit, m, turns)) / m.tolerance_hz for m in marks])
    return float(np.mean(np.max(error, axis=0)))


def _pointer_mends(fit: FittedOscillator, marks: Sequence[Mark]) -> bool:
    """Whether every mark is outside, and comes well inside with the pointer slid to the first, by
    no more than a pointer slips on its cord."""
    if len(marks) < 2 or not all(_outside_for_sure(fit, m) for m in marks):
        return False
    low, high = fit.circuit.span
    ratio = fit.foreseen(marks[0].mark_hz).mean_hz / marks[0].mark_hz
    if abs(math.log(ratio)) > LARGEST_SLIDE * math.log(high / low):
        return False
    return all(
        abs(_slid_to(fit, marks[0], m).mean_hz - m.mark_hz) <= POINTER_INSIDE * m.tolerance_hz
        for m in marks
    )


def _slid_to(fit: FittedOscillator, first: Mark, mark: Mark) -> Foreseen:
    """Where a mark stands once the pointer was slid so that the first one is right: the same ratio
    of frequency everywhere, for the same length of scale."""
    ratio = fit.marks_hz((first.mark_hz,))[:, 0] / first.mark_hz
    found = fit.marks_hz((mark.mark_hz,))[:, 0] / ratio
    return Foreseen(float(np.mean(found)), float(np.hypot(np.std(found), mark.doubt_hz)))


def _error(
    fit: FittedOscillator, mark: Mark, turns: Mapping[str, Floats | float] | None = None
) -> Floats:
    """How far each sample's mark is off; out of the cabinet, half of its pull is counted in, as
    long as the mark stands well inside without it."""
    if fit.housed:
        return np.asarray(fit.marks_hz((mark.mark_hz,), turns)[:, 0] - mark.mark_hz)
    out, housed = (
        fit.marks_hz((mark.mark_hz,), turns, in_cabinet=inside)[:, 0] for inside in (False, True)
    )
    most = MOST_MET * mark.tolerance_hz
    met = min(max(CABINET_SHARE_MET * float(np.mean(housed - out)), -most), most)
    return np.asarray(out + met - mark.mark_hz)


def _inside(fit: FittedOscillator, mark: Mark) -> float:
    return fit.inside(mark.mark_hz, mark.tolerance_hz)


def _settled(fit: FittedOscillator, mark: Mark) -> bool:
    return _inside(fit, mark) >= SURE


def _outside_for_sure(fit: FittedOscillator, mark: Mark) -> bool:
    return mark.adjuster is not None and _inside(fit, mark) < 1.0 - SURE


def _near_the_edge(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether another reading may settle it: it stands at its edge as near as one is read."""
    return abs(_off_hz(fit, mark) - mark.tolerance_hz) < EDGE_DOUBTS * mark.doubt_hz


def _by_one_reading(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether it is inside or outside by one reading alone, and may be the other if that was taken
    from the wrong side."""
    from_edge_hz = abs(_off_hz(fit, mark) - mark.tolerance_hz)
    alone = fit.foreseen(mark.mark_hz).doubt_hz > BORNE_OUT * mark.doubt_hz
    return mark.reads == 1 and alone and from_edge_hz < _slack_hz(fit, mark)


def _hardly_moved(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether the first turn of its adjuster did far less than was expected, no more than a reading
    from the wrong side would seem to show, and only one reading says so."""
    key = mark.adjuster
    if key is None or mark.reads != 1 or fit.moves_of(key) != 1 or _is_idle(fit, mark):
        return False
    did_hz = fit.hz_per_turn(key, mark.mark_hz).mean_hz * fit.turns_of(key)
    return (
        fit.does_of_expected(key) < FAR_LESS
        and abs(did_hz) < _slack_hz(fit, mark) + SEEN * mark.doubt_hz
    )


def _off_hz(fit: FittedOscillator, mark: Mark) -> float:
    return abs(fit.foreseen(mark.mark_hz).mean_hz - mark.mark_hz)


def _slack_hz(fit: FittedOscillator, mark: Mark) -> float:
    """By how much a reading is off that was taken from the wrong side."""
    low, high = fit.circuit.span
    return SLACK * math.log(high / low) * mark.mark_hz


def _is_idle(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether a mark's adjuster most probably did nothing when it was turned last."""
    return mark.adjuster is not None and fit.does_nothing(mark.adjuster) >= IDLE_SURE


def _turn(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    unsettled: Sequence[Mark],
    travel_turns: Mapping[str, float],
) -> NextMove:
    idle = [m for m in unsettled if _is_idle(fit, m)]
    if idle:
        # another's mark is not moved to make up for an adjuster that does nothing
        unsettled = [m for m in unsettled if m not in idle]
        marks = [m for m in marks if m not in idle]
        stuck = NextMove(Act.STUCK, idle[0].mark_hz, idle[0].adjuster or "")
        if not any(m.adjuster for m in unsettled):
            return stuck
        other = _turn(fit, marks, unsettled, travel_turns)
        return stuck if other.act is Act.BEST else other
    usable = [m for m in marks if m.adjuster is not None and not _is_idle(fit, m)]
    keys = [m.adjuster for m in usable if m.adjuster is not None]
    if not keys:
        return NextMove(Act.BEST, unsettled[0].mark_hz)
    unknown = _unknown_way(fit, [m for m in usable if m in unsettled])
    if unknown is not None:
        return _trial(fit, marks, unknown, [unknown.adjuster or ""], travel_turns)
    if not any(m in unsettled for m in usable):
        return _for_another(fit, marks, unsettled[0], travel_turns)
    joint: dict[str, float] = {}
    chosen = _alone(fit, marks, [m for m in usable if m in unsettled], travel_turns)
    alone = chosen is not None
    if chosen is None:
        unknown = _unknown_way(fit, usable)
        if unknown is not None:
            return _trial(fit, marks, unknown, keys, travel_turns)
        joint = _middle(fit, _together(fit, marks, keys, travel_turns))
        chosen = _first_of(fit, marks, usable, joint)
    mark, turns = chosen
    assert mark.adjuster is not None
    every = {mark.adjuster: turns} if alone else joint
    # before all were turned it is not known what they can do
    known = all(fit.moves_of(key) for key in keys)
    if known and _worst(fit, marks, {}) - _worst(fit, marks, every) < LEAST_GAIN:
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


def _unknown_way(fit: FittedOscillator, marks: Sequence[Mark]) -> Mark | None:
    """A mark whose adjuster may as well go the other way."""
    for mark in marks:
        assert mark.adjuster is not None
        if 0.1 < _share_of_way(fit, mark.adjuster) < 0.9:
            return mark
    return None


def _share_of_way(fit: FittedOscillator, key: str) -> float:
    place = [t.key for t in fit.turners].index(key)
    return float(np.mean(fit.ways[:, place] > 0.0))


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
    wanted = _together(fit, marks, keys, travel_turns)[mark.adjuster] * fit.ways[:, place]
    turns = TRIAL_SHARE * _middle(fit, {mark.adjuster: wanted})[mark.adjuster]
    least = max(_shown_by(fit, mark), LEAST_TRIAL)
    turns = math.copysign(min(max(abs(turns), least), MOST_TRIAL), turns or 1.0)
    made = _made(fit, mark, turns, alone=len(keys) == 1)
    return replace(made, trial=True)


def _shown_by(fit: FittedOscillator, mark: Mark) -> float:
    """So many turns as most probably shift a mark by what its reading shows."""
    assert mark.adjuster is not None
    at, on = (_error(fit, mark, t) for t in (None, {mark.adjuster: FIRST_STEP}))
    rate = float(np.median(np.abs(on - at))) / FIRST_STEP
    return SHOWS * mark.doubt_hz / rate if rate > 0.0 else MOST_TRIAL


def _middle(fit: FittedOscillator, turns: Mapping[str, Floats]) -> dict[str, float]:
    """The middle one of the turns of all samples in which an adjuster does anything."""
    keys = [t.key for t in fit.turners]
    live = {key: fit.alive[:, keys.index(key)] > 0.0 for key in turns}
    return {
        key: float(np.median(of[live[key]] if np.any(live[key]) else of))
        for key, of in turns.items()
    }


def _alone(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    candidates: Sequence[Mark],
    travel_turns: Mapping[str, float],
) -> tuple[Mark, float] | None:
    """The one adjuster that by itself brings every mark well inside, and its turns."""
    best: tuple[float, Mark, float] | None = None
    for mark in candidates:
        assert mark.adjuster is not None
        wanted = _middle(fit, _together(fit, marks, [mark.adjuster], travel_turns))
        turns = _most_inside(fit, marks, wanted)
        worst = _worst(fit, marks, turns)
        if worst <= ENOUGH_INSIDE and (best is None or worst < best[0]):
            best = (worst, mark, turns[mark.adjuster])
    return None if best is None else (best[1], best[2])


def _worst(fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]) -> float:
    """How far out the worst mark is by the middle sample, in tolerances."""
    return max(abs(float(np.median(_error(fit, m, turns)))) / m.tolerance_hz for m in marks)


def _first_of(
    fit: FittedOscillator, marks: Sequence[Mark], usable: Sequence[Mark], joint: Mapping[str, float]
) -> tuple[Mark, float]:
    """Of those that have to turn, the one that was turned less often, so that all are soon known;
    of two alike the one that moves the other's mark more, in tolerances."""

    def disturbs(mark: Mark) -> float:
        assert mark.adjuster is not None
        turns = {mark.adjuster: joint[mark.adjuster]}
        others = [m for m in marks if m is not mark]
        return max(
            (
                abs(float(np.mean(_error(fit, m, turns) - _error(fit, m)))) / m.tolerance_hz
                for m in others
            ),
            default=0.0,
        )

    def nearer(mark: Mark) -> bool:
        """Whether it brings its own mark nearer by itself, and not only once the other followed."""
        assert mark.adjuster is not None
        turns = {mark.adjuster: JOINT_SHARE * joint[mark.adjuster]}
        after, now = (abs(float(np.mean(_error(fit, mark, t)))) for t in (turns, None))
        return after <= now

    def order(mark: Mark) -> tuple[bool, int, float]:
        assert mark.adjuster is not None
        return (nearer(mark), -fit.moves_of(mark.adjuster), disturbs(mark))

    first = max(usable, key=order)
    assert first.adjuster is not None
    return first, JOINT_SHARE * joint[first.adjuster]


def _together(
    fit: FittedOscillator,
    marks: Sequence[Mark],
    keys: Sequence[str],
    travel_turns: Mapping[str, float],
) -> dict[str, Floats]:
    """Turns of some adjusters that bring the marks home together: each sample's own, by least
    squares in tolerances."""
    turns: dict[str, Floats] = {key: np.zeros(len(fit.samples)) for key in keys}
    most = np.array([0.5 * travel_turns.get(key, 2.0) for key in keys])
    for _ in range(ROUNDS):
        error = np.stack([_error(fit, m, turns) / m.tolerance_hz for m in marks], axis=1)
        slopes = np.empty((*error.shape, len(keys)))
        for n, key in enumerate(keys):
            on = {**turns, key: turns[key] + FIRST_STEP}
            there = np.stack([_error(fit, m, on) / m.tolerance_hz for m in marks], axis=1)
            slopes[:, :, n] = (there - error) / FIRST_STEP
        now = np.stack([turns[key] for key in keys], axis=1)
        wanted = now + _least_squares(slopes, error)
        over = np.abs(wanted) / most
        # what the one furthest beyond its travel cannot do is left to the others
        ended = (over > 1.0) & (over >= np.max(over, axis=1, keepdims=True))
        held = np.where(ended, np.clip(wanted, -most, most) - now, 0.0)
        left = error + np.einsum("smi,si->sm", slopes, held)
        rest = _least_squares(np.where(ended[:, None, :], 0.0, slopes), left)
        then = np.clip(now + np.where(ended, held, rest), -most, most)
        turns = {key: then[:, n] for n, key in enumerate(keys)}
    return turns


def _least_squares(slopes: Floats, error: Floats) -> Floats:
    """Steps that take an error away (samples, marks), by slopes (samples, marks, adjusters)."""
    square = np.einsum("smi,smj->sij", slopes, slopes)
    pull = np.einsum("smi,sm->si", slopes, error)
    unit = np.eye(slopes.shape[2])
    ridge = RIDGE * (1.0 + np.trace(square, axis1=1, axis2=2))[:, None, None] * unit
    return np.asarray(-np.linalg.solve(square + ridge, pull[:, :, None])[:, :, 0])


def _most_inside(
    fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]
) -> dict[str, float]:
    """The same turns, more or less of them, where most samples come inside: what is far out anyway
    does not count more for being further."""

    tried = ({k: share * t for k, t in turns.items()} for share in SHARES)
    return min(tried, key=lambda some: _loss(fit, marks, some))


def _loss(fit: FittedOscillator, marks: Sequence[Mark], turns: Mapping[str, float]) -> float:
    """From 0, all marks right in all samples, to 1, all far out."""
    error = np.stack([_error(fit, m, turns) / m.tolerance_hz for m in marks])
    return float(np.mean(error**2 / (1.0 + error**2)))
