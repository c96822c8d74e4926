"""The correction card of a dial: what the dial says, and what comes in."""

from __future__ import annotations

import math
from dataclasses import dataclass

from glowdial.core.journey.record import JobRecord
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.steps import dial_curve

# about so many lines a band, in steps that a pointer can be set to
LINES, STEPS = 20, (1.0, 2.0, 5.0, 10.0)


@dataclass(frozen=True, slots=True)
class CardLine:
    """A line of the card: band, dial reading, true frequency and correction (true less dial) in Hz,
    and whether that mark itself was read."""

    band: str
    dial_hz: float
    true_hz: float
    correction_hz: float
    read: bool


def correction_card(facts: ReceiverFacts, record: JobRecord) -> tuple[CardLine, ...]:
    """The card over all bands whose dials were read, between their outer marks."""
    return tuple(line for band in facts.bands for line in _of_band(record, band))


def _of_band(record: JobRecord, band: BandFacts) -> list[CardLine]:
    curve = dial_curve(record, band)
    if curve is None:
        return []
    read = {m.dial_hz for m in curve.marks}
    low, high = curve.marks[0].dial_hz, curve.marks[-1].dial_hz
    step = _step_hz((high - low) / LINES)
    first = math.ceil(low / step)
    grid = {n * step for n in range(first, math.floor(high / step) + 1)} | read
    return [
        CardLine(
            band.name,
            hz,
            curve.true_hz(hz),
            curve.true_hz(hz) - hz,
            hz in read,
        )
        for hz in sorted(grid)
    ]


def _step_hz(wanted_hz: float) -> float:
    """A step of 1, 2 or 5 times a power of ten, at least as large as wanted."""
    power = 10.0 ** math.floor(math.log10(wanted_hz))
    return next(power * s for s in STEPS if power * s >= wanted_hz)
