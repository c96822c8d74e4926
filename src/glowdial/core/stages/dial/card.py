"""The correction card of a dial: what the dial says, and what comes in."""

from __future__ import annotations

import math
from dataclasses import dataclass

from glowdial.core.journey.dial_marks import dial_scale
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.record import JobRecord
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.points import dial_curve

# about so many lines a band, in steps that a pointer can be set to
LINES, STEPS = 20, (1.0, 2.0, 5.0, 10.0)
COLUMNS = 5


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
    # in the figures that its scale shows, also where the band was moved away from them
    read = {band.pointer_hz(m.dial_hz) for m in curve.marks}
    low, high = min(read), max(read)
    step = _step_hz((high - low) / LINES)
    first = math.ceil(low / step)
    grid = {n * step for n in range(first, math.floor(high / step) + 1)} | read
    true = {hz: curve.true_hz(band.at_pointer_hz(hz)) for hz in sorted(grid)}
    return [CardLine(band.name, hz, at, at - hz, hz in read) for hz, at in true.items()]


def _step_hz(wanted_hz: float) -> float:
    """A step of 1, 2 or 5 times a power of ten, at least as large as wanted."""
    power = 10.0 ** math.floor(math.log10(wanted_hz))
    return next(power * s for s in STEPS if power * s >= wanted_hz)


def card_table(record: JobRecord, band: BandFacts) -> ReadingTable | None:
    """The card as it is printed, laid out as a table of logarithms is: a row for a dial reading, a
    column for each step beyond it, what comes in. None where the dial was not read."""
    curve = dial_curve(record, band)
    if curve is None:
        return None
    low, high = (band.pointer_hz(curve.marks[n].dial_hz) for n in (0, -1))
    step = _step_hz((high - low) / LINES)
    scale, unit = dial_scale(band)
    heads = tuple(f"+{n * step / scale:g}" for n in range(COLUMNS))
    rows = []
    width = COLUMNS * step
    for start in range(math.floor(low / width), math.floor(high / width) + 1):
        cells = []
        for n, head in enumerate(heads):
            dial = start * width + n * step
            true = curve.true_hz(band.at_pointer_hz(dial)) if low <= dial <= high else None
            cells.append(TableCell(head, "", "", "", f"{true / scale:.4g}" if true else ""))
        rows.append(TableRow("", f"{start * width / scale:g} {unit}", "", tuple(cells)))
    return ReadingTable(heads, tuple(rows))
