"""Whether an oscillator drifts while it is aligned: two readings of a mark with nothing done in
between, further apart than their own error."""

from __future__ import annotations

import math

import numpy as np

from glowdial.core.journey.dial_marks import (
    POINTED,
    band_adjusters,
    brought_in_hz,
    mark_doubt_hz,
    marks_read,
)
from glowdial.core.journey.record import Answer, Basis, JobRecord
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.tracking.oscillator import SLID

# two readings are further apart than their own error in fewer than one of a hundred cases
SURELY = 2.58 * math.sqrt(2.0)
LEAST_MINUTES, MOST_MINUTES = 0.4, 180.0
SECONDS = 60.0


def drift_words(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> tuple[str, ...]:
    """What the last two readings of a mark tell, where nothing was turned or changed between and
    neither was typed without its time; nothing where they agree."""
    by_mark: dict[float, list[Answer]] = {}
    for mark_hz, answer in marks_read(record, band):
        by_mark.setdefault(mark_hz, []).append(answer)
    words = []
    for mark_hz, answers in by_mark.items():
        if len(answers) < 2:
            continue
        first, last = answers[-2:]
        minutes = minutes_between(first.at, last.at)
        if minutes is None or not LEAST_MINUTES <= minutes <= MOST_MINUTES:
            continue
        if _touched(facts, record, band, first) or _elsewhere(first, last):
            continue
        moved_hz = brought_in_hz(band, last, mark_hz) - brought_in_hz(band, first, mark_hz)
        if abs(moved_hz) <= SURELY * mark_doubt_hz(facts, band, mark_hz):
            continue
        rate = moved_hz / minutes
        words.append(
            f"{khz(mark_hz)} moved by {moved_hz / 1e3:+.1f} kHz in {minutes:.0f} minutes, nothing "
            f"turned: it drifts by {rate / 1e3:+.2f} kHz a minute. Let it warm up until it stays, "
            "and read both ends one after the other."
        )
    return tuple(words)


def minutes_between(first: str, last: str) -> float | None:
    """Minutes from one moment to another, both ISO 8601 as the record keeps them; None where one is
    missing or is none."""
    try:
        apart = np.datetime64(last[:19]) - np.datetime64(first[:19])
    except ValueError:
        return None
    seconds = apart / np.timedelta64(1, "s")
    return float(seconds) / SECONDS if np.isfinite(seconds) else None


def _touched(facts: ReceiverFacts, record: JobRecord, band: BandFacts, first: Answer) -> bool:
    """Whether anything that a dial reading rests on came after it."""
    adjusters = (*band_adjusters(band), *band.signal_adjusters, *facts.if_adjusters())
    basis = Basis(adjusters=adjusters, areas=("cabinet", "oscillator", "if", "supply"))
    return record.stale(first, basis)


def _elsewhere(first: Answer, last: Answer) -> bool:
    """Whether the pointer stood at two places, or was slid between."""
    if last.ask.startswith(SLID):
        return True
    return first.values.get(POINTED) != last.values.get(POINTED) or "turns" in last.values
