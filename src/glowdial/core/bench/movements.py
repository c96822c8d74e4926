"""Aligning by hand: peaking an adjuster, the generator's level, and how far to turn.

Peaking is one movement: past the maximum both ways, then to the middle of it. Gain is booked by
substitution: the indicator is brought back to the same reading and the generator's change counts.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from glowdial.core.language.errors import require_positive
from glowdial.core.model.facts import Adjuster
from glowdial.core.physics.resonance import vertex
from glowdial.core.physics.tracking import AdjusterKind

PAST_THE_PEAK = 0.04
# what a needle moves by itself
STILL_SHARE = 0.005
LARGEST_TURN = 5.0
CORE_STEP_TURNS, TRIMMER_STEP_TURNS = 1.0 / 8.0, 1.0 / 16.0
REACH_TURNS = 1.0
# how far one press of a key turns, and a large one
TURN_STEPS = (1.0 / 16.0, 1.0 / 4.0)
REFERENCE_AVC_V = 2.0


# a hard, high tone, nothing that a peak could sound like
ALARM_HZ = 4200.0
LOWEST_TONE_HZ, HIGHEST_TONE_HZ, TONE_OCTAVES = 110.0, 3520.0, 1.5


@dataclass(frozen=True, slots=True)
class Peak:
    """Where a movement found the maximum: turns from its start, the reading there, and whether the
    reading fell off on both sides."""

    turns: float
    reading: float
    enclosed: bool


def peak_by_turning(
    measure: Callable[[float], float], *, step_turns: float, reach_turns: float
) -> Peak:
    """Find the maximum of ``measure(turns from start)`` as a hand does.

    Turns in steps until the reading stands 4 % below the best, at most ``reach_turns``; then the
    other way; then to the top of the parabola through the highest points. Only readings are used.
    """
    require_positive(step_turns=step_turns, reach_turns=reach_turns)
    readings = {0.0: measure(0.0)}
    fell = []
    for way in (1.0, -1.0):
        count = 0
        below = False
        while not below and count * step_turns < reach_turns:
            count += 1
            place = way * count * step_turns
            readings[place] = measure(place)
            below = readings[place] < (1.0 - PAST_THE_PEAK) * max(readings.values())
        fell.append(below)
    places = np.array(sorted(readings))
    values = np.array([readings[p] for p in places])
    best = _top(places, values)
    return Peak(best, measure(best), all(fell))


def _top(places: np.ndarray, values: np.ndarray) -> float:
    """Vertex of a least-squares parabola through the points near the highest one."""
    top = int(np.argmax(values))
    near = np.abs(np.arange(len(places)) - top) <= 3
    near &= values > (1.0 - 2.0 * PAST_THE_PEAK) * values[top]
    if np.count_nonzero(near) < 4:
        return vertex(places, values)
    middle = places[top]
    a, b, _ = np.polyfit(places[near] - middle, values[near], 2)
    if a >= 0.0:
        return float(middle)
    offset = float(np.clip(-b / (2.0 * a), places[near][0] - middle, places[near][-1] - middle))
    return float(middle + offset)


def peak_words(reading: float, held: float) -> str:
    """Where a movement stands against the peak held so far, in words for the hand."""
    if held <= 0.0 or reading >= (1.0 - STILL_SHARE) * held:
        return "at the peak so far"
    below = (1.0 - reading / held) * 100.0
    if reading >= (1.0 - PAST_THE_PEAK) * held:
        return f"{below:.1f} % below the peak"
    return f"{below:.0f} % below the peak: past it, go back"


def value_tone_hz(reading: float, reference: float) -> float:
    """Pitch that follows a reading for eyes-off peaking, in Hz: an octave and a half for a factor
    of two, 440 Hz at the ``reference`` (the first reading), kept between 110 and 3520 Hz.

    A tenth of a volt on two is three semitones: more than an ear needs, and a needle shows less.
    """
    if reading <= 0.0 or reference <= 0.0:
        return LOWEST_TONE_HZ
    pitch = 440.0 * math.pow(reading / reference, TONE_OCTAVES)
    return min(max(pitch, LOWEST_TONE_HZ), HIGHEST_TONE_HZ)


def find_maximum(
    row: Callable[[list[float]], Sequence[float]],
    *,
    start: float,
    stop: float,
    coarse: float,
    fine: float,
) -> float:
    """Abscissa of the highest reading between ``start`` and ``stop``: a scan, then a finer one.
    ``row`` gives the readings at a row of places."""
    scan = np.arange(start, stop + coarse / 2, coarse)
    rough = scan[int(np.argmax(row(scan.tolist())))]
    close = np.arange(rough - 1.5 * coarse, rough + 1.5 * coarse + fine / 2, fine)
    return _top(close, np.array(row(close.tolist())))


def match_reading(
    measure: Callable[[float], float], target: float, *, lowest: float, highest: float
) -> float:
    """Level at which a rising ``measure(level)`` reaches ``target``, by bisection in decibels.

    Returns the end of the range when the target lies beyond it.
    """
    require_positive(lowest=lowest, highest=highest)
    low, high = math.log(lowest), math.log(highest)
    if measure(highest) < target:
        return highest
    while high - low > 0.002:
        middle = (low + high) / 2.0
        if measure(math.exp(middle)) < target:
            low = middle
        else:
            high = middle
    return math.exp((low + high) / 2.0)


def movement_of(adjuster: Adjuster | None) -> tuple[float, float]:
    """Step and reach of a peaking movement in turns: half the travel either way."""
    if adjuster is None:
        return CORE_STEP_TURNS, REACH_TURNS
    core = adjuster.kind is AdjusterKind.CORE
    return CORE_STEP_TURNS if core else TRIMMER_STEP_TURNS, adjuster.travel_turns / 2.0
