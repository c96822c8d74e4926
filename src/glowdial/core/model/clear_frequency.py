"""A frequency to test at that keeps clear of strong stations: of each one's own channel and its
neighbours, of what a receiver takes for it (the image, and half an IF off), and of what two strong
ones make of each other (2 a - b).
Source: textbooks of superheterodyne reception; distances by the selectivity of the usual receiver.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.model.stations import Station

# of the strongest, so many make products that count
STRONG_PAIRS = 6
MOST_TRIED, SHOWN = 4000, 3


@dataclass(frozen=True, slots=True)
class ChannelBand:
    """From where to where in Hz, the step of its channels, the IF, and whether the oscillator
    stands above the signal."""

    low_hz: float
    high_hz: float
    step_hz: float
    intermediate_hz: float
    above: bool = True

    @property
    def image_hz(self) -> float:
        """From a signal to its image."""
        return 2.0 * self.intermediate_hz * (1.0 if self.above else -1.0)


@dataclass(frozen=True, slots=True)
class ClearFrequency:
    """A frequency with how many channels the nearest trouble is away, and what that is."""

    frequency_hz: float
    channels: float
    nearest: str


def clear_frequencies(band: ChannelBand, stations: Sequence[Station]) -> tuple[ClearFrequency, ...]:
    """The three clearest channels of a band, the clearest first and each a tenth of the band from
    the others; raises BadInput for a band that is none."""
    require_positive(low_hz=band.low_hz, step_hz=band.step_hz, intermediate_hz=band.intermediate_hz)
    channels = round((band.high_hz - band.low_hz) / band.step_hz)
    if not 1 <= channels <= MOST_TRIED:
        raise BadInput("band", f"{channels} channels", f"must be 1 to {MOST_TRIED}", "87.5 to 108")
    troubles = _troubles(band, stations)
    tried = [
        _looked_at(band.low_hz + n * band.step_hz, band, troubles) for n in range(channels + 1)
    ]
    tried.sort(key=lambda one: -one.channels)
    chosen: list[ClearFrequency] = []
    apart = 0.1 * (band.high_hz - band.low_hz)
    for one in tried:
        if all(abs(one.frequency_hz - c.frequency_hz) >= apart for c in chosen):
            chosen.append(one)
        if len(chosen) == SHOWN:
            break
    return tuple(chosen)


def _troubles(band: ChannelBand, stations: Sequence[Station]) -> list[tuple[float, float, str]]:
    """Where a set must not be tuned to: frequency, how much wider a berth it gets, and why."""
    strongest = max((s.weight for s in stations), default=1.0) or 1.0
    found = []
    for s in stations:
        berth = 0.5 + 0.5 * s.weight / strongest
        found.append((s.frequency_hz, berth, s.name))
        found.append((s.frequency_hz - band.image_hz, berth, f"the image of {s.name}"))
        half = s.frequency_hz - 0.25 * band.image_hz
        found.append((half, 0.5 * berth, f"half an IF off {s.name}"))
    strong = sorted(stations, key=lambda s: -s.weight)[:STRONG_PAIRS]
    for a, b in itertools.permutations(strong, 2):
        product = 2.0 * a.frequency_hz - b.frequency_hz
        found.append((product, 0.5, f"what {a.name} and {b.name} make of each other"))
    return found


def _looked_at(
    frequency_hz: float, band: ChannelBand, troubles: Sequence[tuple[float, float, str]]
) -> ClearFrequency:
    """The nearest trouble, a weaker one counting as further away."""
    away, nearest = (band.high_hz - band.low_hz) / band.step_hz, "nothing that is listed"
    for at_hz, berth, why in troubles:
        channels = abs(frequency_hz - at_hz) / band.step_hz / berth
        if channels < away:
            away, nearest = channels, why
    return ClearFrequency(frequency_hz, away, nearest)
