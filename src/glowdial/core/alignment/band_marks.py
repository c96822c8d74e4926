"""How the marks of a band stand by its fitted oscillator: inside, outside, at the edge, or by one
reading alone."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.alignment.oscillator_state import FittedOscillator, Foreseen

Floats = NDArray[np.float64]

# what is inside with this probability is left
SURE = 0.95
# a reading from the wrong side of a slack drive is off by so much of the scale's length; one that
# the others bear out tells no more than they do, so that little of its own doubt is left
SLACK, BORNE_OUT = 0.003, 0.7
# below that probability, and so near to the edge, it is read again
EDGE_DOUBTS = 1.7
# of the cabinet's pull, this share is met beforehand, by no more than so many tolerances
CABINET_SHARE_MET, MOST_MET = 0.5, 0.3
# an adjuster that most probably did nothing is not turned again
IDLE_SURE = 0.8
# what a first turn did is far less than what was expected of it, below this share; so many of a
# reading's doubts are seen
FAR_LESS, SEEN = 0.5, 3.0


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


def error_hz(
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


def settled(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether it is inside with as much certainty as it takes to leave it."""
    return _inside(fit, mark) >= SURE


def outside_for_sure(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether it is outside with as much certainty, and something is turned there."""
    return mark.adjuster is not None and _inside(fit, mark) < 1.0 - SURE


def near_the_edge(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether another reading may settle it: it stands at its edge as near as one is read."""
    return abs(off_hz(fit, mark) - mark.tolerance_hz) < EDGE_DOUBTS * mark.doubt_hz


def by_one_reading(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether it is inside or outside by one reading alone, and may be the other if that was taken
    from the wrong side."""
    from_edge_hz = abs(off_hz(fit, mark) - mark.tolerance_hz)
    alone = fit.foreseen(mark.mark_hz).doubt_hz > BORNE_OUT * mark.doubt_hz
    return mark.reads == 1 and alone and from_edge_hz < slack_hz(fit, mark)


def hardly_moved(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether the first turn of its adjuster did far less than was expected, no more than a reading
    from the wrong side would seem to show, and only one reading says so."""
    key = mark.adjuster
    if key is None or mark.reads != 1 or fit.moves_of(key) != 1 or is_idle(fit, mark):
        return False
    did_hz = fit.hz_per_turn(key, mark.mark_hz).mean_hz * fit.turns_of(key)
    return (
        fit.does_of_expected(key) < FAR_LESS
        and abs(did_hz) < slack_hz(fit, mark) + SEEN * mark.doubt_hz
    )


def off_hz(fit: FittedOscillator, mark: Mark) -> float:
    """How far it is off, without the sign."""
    return abs(fit.foreseen(mark.mark_hz).mean_hz - mark.mark_hz)


def slack_hz(fit: FittedOscillator, mark: Mark) -> float:
    """By how much a reading is off that was taken from the wrong side."""
    low, high = fit.circuit.span
    return SLACK * math.log(high / low) * mark.mark_hz


def is_idle(fit: FittedOscillator, mark: Mark) -> bool:
    """Whether a mark's adjuster most probably did nothing when it was turned last."""
    return mark.adjuster is not None and fit.does_nothing(mark.adjuster) >= IDLE_SURE


def slid_to(fit: FittedOscillator, first: Mark, mark: Mark) -> Foreseen:
    """Where a mark stands once the pointer was slid so that the first one is right: the same ratio
    of frequency everywhere, for the same length of scale."""
    ratio = fit.marks_hz((first.mark_hz,))[:, 0] / first.mark_hz
    found = fit.marks_hz((mark.mark_hz,))[:, 0] / ratio
    return Foreseen(float(np.mean(found)), float(np.hypot(np.std(found), mark.doubt_hz)))
