"""False answers: what else comes in where a mark is looked for, and how each is told apart.

A superheterodyne answers at signal + 2 IF (- 2 IF with the oscillator below), half an IF off
through the second harmonics of signal and oscillator, and to the generator's own harmonics.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from glowdial.core.alignment.oscillator_state import (
    NINETY,
    FittedOscillator,
    Foreseen,
    MarkRead,
    Turned,
)
from glowdial.core.journey.dial_marks import SEARCH_SHARE, search_span_hz
from glowdial.core.journey.steps import Foretold, Ghost
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.tracking import TrackedBand
from glowdial.core.stages.tracking.oscillator import OscillatorRead, fitted_to

# how often the image is taken for the signal: it is the strongest of them
IMAGE_TAKEN = 0.06
# a set may be so many doubts out, and as far as is looked at all, that its image comes in there
REACHED = 2.0


def foretold(facts: ReceiverFacts, band: BandFacts, name: str, found: Foreseen) -> Foretold:
    """What a reading of a mark is foreseen to be, with the false answers around it."""
    low, high = found.mean_hz - found.half_hz, found.mean_hz + found.half_hz
    around = ghosts(band.tracked, found.mean_hz, second_image_hz(facts, band))
    return Foretold(name, low, high, around)


def second_image_hz(facts: ReceiverFacts, band: BandFacts) -> float:
    """How far from a signal the image of a second conversion stands, as 2 LO2 - IF1 stands from
    the first IF; 0 where there is none."""
    conversion, tracked = facts.circuit.conversion, band.tracked
    if conversion is None or not math.isclose(
        conversion.first_intermediate_hz, tracked.intermediate_frequency_hz
    ):
        return 0.0
    away_hz = 2.0 * (conversion.second_oscillator_hz - conversion.first_intermediate_hz)
    return -away_hz if tracked.high_side else away_hz


def nearest_image_hz(tracked: TrackedBand, second_hz: float) -> float:
    """How far from a signal the nearer of the images of two conversions stands."""
    images = (2.0 * tracked.image_offset_hz, second_hz)
    return min((hz for hz in images if hz), key=abs)


def first_foretold(
    tracked: TrackedBand,
    name: str,
    found: Foreseen,
    mark_hz: float,
    span_hz: float,
    second_hz: float = 0.0,
) -> Foretold:
    """What a first reading of a mark is foreseen to be, looked for within a span either side. Where
    the set may be so far out that its image stands there, no figure tells which of the two was
    tuned in: whether there is another, on the side of the true one, has to be looked for. The image
    of a second conversion stands ``second_hz`` from a signal."""
    told = searched(found, mark_hz, span_hz)
    low, high = told.mean_hz - told.half_hz, told.mean_hz + told.half_hz
    image_hz = nearest_image_hz(tracked, second_hz)
    away = abs(image_hz) - span_hz
    reached = away < min(REACHED * found.doubt_hz, SEARCH_SHARE * mark_hz)
    twin_hz = -image_hz if reached else 0.0
    return Foretold(name, low, high, ghosts(tracked, told.mean_hz, second_hz), twin_hz)


@dataclass(frozen=True, slots=True)
class KeptImage:
    """A band's first reading as if it had been an image: the reading as it was kept, how far off
    the right one then stands, and the oscillator of that."""

    first: MarkRead
    twin_hz: float
    fit: FittedOscillator

    def ghost(self, mark_hz: float) -> Ghost:
        """Where a mark then comes in, with what that tells of the first reading."""
        right_hz = self.first.frequency_hz + self.twin_hz
        words = (
            f"That fits where the {khz(self.first.frequency_hz)} at {khz(self.first.mark_hz)} were "
            f"the image: is there another, stronger, at {khz(round(right_hz, -3))}? Then type that "
            "anew there, as found. If not, keep this."
        )
        return Ghost(self.fit.foreseen(mark_hz).mean_hz, words, IMAGE_TAKEN)


def first_twin_hz(facts: ReceiverFacts, band: BandFacts, read: OscillatorRead) -> float:
    """How far off the right one stands if a band's first reading was the image; 0 where no look at
    both sides was needed to tell them apart, and once something was turned."""
    first = next((e for e in read.events if isinstance(e, MarkRead)), None)
    if first is None or any(isinstance(e, Turned) for e in read.events):
        return 0.0
    before = fitted_to(replace(read, events=()))
    found = before.foreseen(first.mark_hz, reading_doubt_hz=first.doubt_hz)
    span_hz, second_hz = search_span_hz(facts, first.mark_hz), second_image_hz(facts, band)
    told = first_foretold(band.tracked, "frequency", found, first.mark_hz, span_hz, second_hz)
    return told.twin_hz


def kept_image(read: OscillatorRead, twin_hz: float) -> KeptImage | None:
    """The band as if its first reading had been the image; None where that is out of question."""
    if twin_hz == 0.0:
        return None
    at = next(n for n, e in enumerate(read.events) if isinstance(e, MarkRead))
    first = read.events[at]
    assert isinstance(first, MarkRead)
    right = replace(first, frequency_hz=first.frequency_hz + twin_hz)
    events = (*read.events[:at], right, *read.events[at + 1 :])
    return KeptImage(first, twin_hz, fitted_to(replace(read, events=events)))


def searched(found: Foreseen, mark_hz: float, span_hz: float) -> Foreseen:
    """What is foreseen of a mark that is looked for within a span either side: what lies beyond is
    not looked at, however little is known of the set."""
    mean = min(max(found.mean_hz, mark_hz - span_hz), mark_hz + span_hz)
    return Foreseen(mean, min(found.doubt_hz, span_hz / NINETY))


def ghosts(tracked: TrackedBand, signal_hz: float, second_hz: float = 0.0) -> tuple[Ghost, ...]:
    """Where a set that is tuned to a signal answers falsely, and what to do about it; the image of
    a second conversion ``second_hz`` from the signal, where there is one."""
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
    if second_hz:
        way = "above" if second_hz > 0.0 else "below"
        found.append(
            Ghost(
                signal_hz + second_hz,
                f"That is where the second conversion's image stands, {khz(abs(second_hz))} {way} "
                f"{true}: look for a stronger one near {true}.",
            )
        )
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
