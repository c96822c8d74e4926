"""A dial read against a crystal calibrator: which harmonic each answer is, and a miscount found.

A calibrator gives a signal at every multiple of its spacing. The harmonic is told by where the
dial should say it: from what was read of this band before, the nearest points counting most. Where
the dial may be off by half the spacing nobody can tell, and it has to be counted from a known one.
"""

from __future__ import annotations

import math

import numpy as np

from glowdial.core.journey.dial_marks import (
    HARMONIC,
    POINTED,
    frequency_quantity,
    marks_read,
    pointed_hz,
)
from glowdial.core.journey.readings import asked_at
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Foretold, Ghost
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import FREQUENCY, khz
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts
from glowdial.core.stages.dial.curve import DialMark
from glowdial.core.stages.dial.points import dial_points

CALIBRATOR = "calibrator"
ZERO_BEAT, MOST_AVC = "zero beat", "most AVC"
# half of the interval for a dial reading, in shares of the frequency: where nothing is known of the
# band, with its one known point, and between two or more
HALVES = (0.045, 0.02, 0.009)
LEAST_HARMONICS = 2


def calibrator_ask() -> Ask:
    """What the calibrator's spacing is, and how its signals are found."""
    return Ask(
        CALIBRATOR,
        "The calibrator's spacing, and how its signals are found: by zero beat, or for most AVC.",
        (
            Field("spacing", "spacing", FREQUENCY),
            Field("by", "found by", options=(ZERO_BEAT, MOST_AVC)),
        ),
        "100 zero beat",
        called="by a crystal calibrator",
    )


def check_spacing(band: BandFacts, spacing_hz: float) -> None:
    """Raises BadInput for a calibrator that says too little on this band."""
    found = harmonics(band, spacing_hz)
    if len(found) < LEAST_HARMONICS:
        raise BadInput(
            "spacing",
            khz(spacing_hz),
            f"puts {len(found) or 'no'} signal{'s' if len(found) != 1 else ''} on {band.name}, "
            f"{khz(band.low_hz)} to {khz(band.high_hz)}: too few for a curve",
            khz(100e3 if band.low_hz < 2e6 else 1e6),
        )


def harmonics(band: BandFacts, spacing_hz: float) -> tuple[float, ...]:
    """The calibrator's signals nearest to the marks of a dial, rising, each once."""
    low, high = math.ceil(band.low_hz / spacing_hz), math.floor(band.high_hz / spacing_hz)
    wanted = {min(max(round(m / spacing_hz), low), high) for m in band.dial_marks_hz}
    return tuple(n * spacing_hz for n in sorted(wanted) if low <= n <= high)


def harmonic_ask(record: JobRecord, band: BandFacts, true_hz: float, chosen: Answer) -> Ask:
    """Where a harmonic stands on the dial, with its neighbours as what it may be mistaken for."""
    spacing_hz = chosen.values["spacing"]
    known = _known(record, band)
    place, half = _place(known, true_hz)
    said_hz = band.pointer_hz(true_hz)
    tolerance = band.tolerance_hz(said_hz)
    around = f"about {khz(round(band.pointer_hz(place), -3))}"
    if half > spacing_hz / 2.0:
        around += (
            "; the dial may be off by a whole spacing here, so count from a station or a signal "
            "that you know, or switch a wider spacing on first"
        )
    number = round(true_hz / spacing_hz)
    how = "zero beat" if chosen.texts["by"] == ZERO_BEAT else "the most AVC"
    ask = Ask(
        HARMONIC,
        f"Calibrator on: find its {khz(true_hz)} (the {number}{_ordinal(number)} harmonic of "
        f"{khz(spacing_hz)}) for {how}, {around}. What does the dial say?",
        (Field(POINTED, "dial says", frequency_quantity(said_hz), nominal=said_hz),),
        khz(said_hz).split()[0],
        expected=symmetric(said_hz, tolerance),
        expected_text=f"{khz(said_hz)} within {khz(tolerance)}",
        foretold=Foretold(
            POINTED,
            band.pointer_hz(place - half),
            band.pointer_hz(place + half),
            tuple(_neighbours(known, band, true_hz, spacing_hz)),
        ),
        called=khz(true_hz),
    )
    return asked_at(ask, true_hz=true_hz)


def _ordinal(number: int) -> str:
    if number % 100 in (11, 12, 13):
        return "th"
    return {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")


def _neighbours(
    known: list[DialMark], band: BandFacts, true_hz: float, spacing_hz: float
) -> list[Ghost]:
    """The harmonics beside one, where the dial should say them."""
    found = []
    for side in (-1.0, 1.0):
        other = true_hz + side * spacing_hz
        if other <= 0.0:
            continue
        place, _ = _place(known, other)
        found.append(
            Ghost(
                band.pointer_hz(place),
                f"That is where {khz(other)} should stand, the next one "
                f"{'up' if side > 0 else 'down'}: was one passed over, or counted twice? Count "
                "again from one that you know.",
            )
        )
    return found


def _known(record: JobRecord, band: BandFacts) -> list[DialMark]:
    """What was read of a band so far: its dial, and before that the last reading at both ends."""
    points = list(dial_points(record, band))
    return points or _ends_read(record, band)


def _ends_read(record: JobRecord, band: BandFacts) -> list[DialMark]:
    """The ends as the oscillator left them."""
    last = {
        mark: DialMark(pointed_hz(band, answer, mark), answer.values["frequency"])
        for mark, answer in marks_read(record, band)
        if mark in (band.low_mark_hz, band.high_mark_hz)
    }
    return sorted(last.values(), key=lambda m: m.dial_hz)


def _place(known: list[DialMark], true_hz: float) -> tuple[float, float]:
    """Where the dial should say a frequency, and half of the interval around it."""
    half = HALVES[min(len(known), len(HALVES) - 1)] * true_hz
    if not known:
        return true_hz, half
    at = np.log([m.true_hz for m in known])
    ratio = np.log([m.dial_hz / m.true_hz for m in known])
    off = float(np.interp(math.log(true_hz), at, ratio))
    return true_hz * math.exp(off), half
