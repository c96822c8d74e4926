"""False answers: what else comes in where a mark is looked for, and how each is told apart.

A superheterodyne answers at signal + 2 IF (- 2 IF with the oscillator below), half an IF off
through the second harmonics of signal and oscillator, and to the generator's own harmonics.
"""

from __future__ import annotations

from glowdial.core.alignment.oscillator_state import (
    NINETY,
    Foreseen,
)
from glowdial.core.journey.dial_marks import SEARCH_SHARE
from glowdial.core.journey.steps import Foretold, Ghost
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts
from glowdial.core.physics.tracking import TrackedBand

# how often the image is taken for the signal: it is the strongest of them
IMAGE_TAKEN = 0.06
# a set may be so many doubts out, and as far as is looked at all, that its image comes in there
REACHED = 2.0


def foretold(band: BandFacts, name: str, found: Foreseen) -> Foretold:
    """What a reading of a mark is foreseen to be, with the false answers around it."""
    low, high = found.mean_hz - found.half_hz, found.mean_hz + found.half_hz
    return Foretold(name, low, high, ghosts(band.tracked, found.mean_hz))


def first_foretold(
    tracked: TrackedBand, name: str, found: Foreseen, mark_hz: float, span_hz: float
) -> Foretold:
    """What a first reading of a mark is foreseen to be, looked for within a span either side. Where
    the set may be so far out that its image stands there, no figure tells which of the two was
    tuned in: whether there is another, on the side of the true one, has to be looked for."""
    told = searched(found, mark_hz, span_hz)
    low, high = told.mean_hz - told.half_hz, told.mean_hz + told.half_hz
    away = 2.0 * abs(tracked.image_offset_hz) - span_hz
    reached = away < min(REACHED * found.doubt_hz, SEARCH_SHARE * mark_hz)
    twin_hz = -2.0 * tracked.image_offset_hz if reached else 0.0
    return Foretold(name, low, high, ghosts(tracked, told.mean_hz), twin_hz)


def searched(found: Foreseen, mark_hz: float, span_hz: float) -> Foreseen:
    """What is foreseen of a mark that is looked for within a span either side: what lies beyond is
    not looked at, however little is known of the set."""
    mean = min(max(found.mean_hz, mark_hz - span_hz), mark_hz + span_hz)
    return Foreseen(mean, min(found.doubt_hz, span_hz / NINETY))


def ghosts(tracked: TrackedBand, signal_hz: float) -> tuple[Ghost, ...]:
    """Where a set that is tuned to a signal answers falsely, and what to do about it."""
    offset = tracked.image_offset_hz
    side = "above" if offset > 0 else "below"
    image = signal_hz + 2.0 * offset
    true = khz(round(signal_hz, -3))
    found = [
        Ghost(
            image,
            f"That is where the image stands, 2 x {khz(abs(offset))} {side} {true}: look for a "
            f"stronger one near {true}.",
            IMAGE_TAKEN,
        ),
        Ghost(
            signal_hz - 2.0 * offset,
            f"That is 2 x {khz(abs(offset))} on the other side of {true}: is the oscillator on "
            "the wrong side of the signal? Of two places of its trimmer that bring it in, take "
            f"the one with {'less' if offset > 0 else 'more'} capacity.",
        ),
        Ghost(
            signal_hz + 0.5 * offset,
            f"That is half an IF from {true}, where a strong generator comes in through "
            "harmonics: lower its level; it goes away first.",
        ),
    ]
    if tracked.fixed_first_hz:
        found.append(
            Ghost(
                2.0 * tracked.fixed_first_hz - signal_hz,
                f"That is as far below the fixed {khz(tracked.fixed_first_hz)} as {true} is above "
                f"it: its image. Look for a much stronger one near {true}.",
            )
        )
    for n in (2, 3):
        found.append(
            Ghost(
                signal_hz / n,
                f"{n} times that is {true}: it may be the generator's own harmonic. Look for a "
                f"much stronger one near {true}.",
            )
        )
    return tuple(g for g in found if g.frequency_hz > 0.0)
