"""What comes in from outside besides signals: man-made, galactic and atmospheric noise, each as a
median with its deciles, and the three together.

Sources: Recommendation ITU-R P.372, Radio noise: medians and within-the-hour deciles of man-made
noise by place; galactic noise. The decibels of each are Gaussian either side of the median; the sum
of their powers is taken over their quantiles. Atmospherics are given by their median at 1 MHz,
which the Recommendation's maps tell for season and hour; their fall with frequency is simplified
here to a straight line in the decade and an edge above which the ionosphere no longer returns them,
and may be 10 dB off.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.noise import (
    BOLTZMANN,
    GALACTIC_FROM_HZ,
    REFERENCE_K,
    SHORT_AERIAL_DB,
    Site,
    man_made_db,
)

Floats = NDArray[np.float64]
# from the median to the upper and the lower decile, dB: ITU-R P.372, man-made noise
MAN_MADE_DECILES = {
    Site.CITY: (11.0, 6.7),
    Site.RESIDENTIAL: (10.6, 5.3),
    Site.RURAL: (9.2, 4.6),
    Site.QUIET_RURAL: (9.2, 4.6),
}
GALACTIC_DECILES = (2.0, 2.0)
# within a season and a block of hours
ATMOSPHERIC_DECILES = (9.5, 8.0)
ATMOSPHERIC_DECADE_DB, RETURNED_TO_HZ, BEYOND_DB = 27.0, 15e6, 60.0
# from the median of a Gaussian to its deciles, in standard deviations
DECILE = 1.2816
QUANTILES = 100
MOST_ATMOSPHERIC_DB = 130.0


@dataclass(frozen=True, slots=True)
class OutsideNoise:
    """Noise in dB above kT0b: exceeded half of the time, in nine of ten and in one of ten."""

    median_db: float
    lower_db: float
    upper_db: float


def outside_noise(
    place: Site, frequency_hz: float, atmospheric_db: float | None = None
) -> OutsideNoise | None:
    """All that comes in at a place; ``atmospheric_db`` is the median of atmospherics at 1 MHz in dB
    above kT0b, None where they do not count. None in a screened room.

    Raises BadInput for a frequency that is not above zero, or atmospherics of more than 130 dB.
    """
    require_positive(frequency_hz=frequency_hz)
    if atmospheric_db is not None and not 0.0 <= atmospheric_db <= MOST_ATMOSPHERIC_DB:
        raise BadInput("atmospherics", f"{atmospheric_db:g} dB", "must be 0 to 130 dB", "60")
    if place is Site.SCREENED:
        return None
    decade = math.log10(frequency_hz / 1e6)
    parts = [_part(man_made_db(place, frequency_hz), MAN_MADE_DECILES[place])]
    if frequency_hz >= GALACTIC_FROM_HZ:
        parts.append(_part(52.0 - 23.0 * decade, GALACTIC_DECILES))
    if atmospheric_db is not None:
        beyond = max(math.log10(frequency_hz / RETURNED_TO_HZ), 0.0)
        falling = atmospheric_db - ATMOSPHERIC_DECADE_DB * decade - BEYOND_DB * beyond
        parts.append(_part(falling, ATMOSPHERIC_DECILES))
    return _together(parts)


def _part(median_db: float, deciles: tuple[float, float]) -> OutsideNoise:
    return OutsideNoise(median_db, median_db - deciles[1], median_db + deciles[0])


def _together(parts: Sequence[OutsideNoise]) -> OutsideNoise:
    """Powers added: every quantile of one with every quantile of the others."""
    if len(parts) == 1:
        return parts[0]
    power = np.zeros(1)
    for part in parts:
        power = np.add.outer(power, _powers(part)).ravel()
    lower, median, upper = 10.0 * np.log10(np.quantile(power, (0.1, 0.5, 0.9)))
    return OutsideNoise(float(median), float(lower), float(upper))


def _powers(part: OutsideNoise) -> Floats:
    """Quantiles of the powers of a noise whose decibels are Gaussian either side of the median."""
    share = (np.arange(QUANTILES) + 0.5) / QUANTILES
    away = ndtri(share) / DECILE
    up, down = part.upper_db - part.median_db, part.median_db - part.lower_db
    return np.asarray(10.0 ** ((part.median_db + away * np.where(away > 0.0, up, down)) / 10.0))


def aerial_noise_v(noise_db: float, frequency_hz: float, width_hz: float, height_m: float) -> float:
    """Noise as EMF in V RMS of a short aerial of an effective height in m, all above zero: the
    field of ITU-R P.372, En = Fa + 20 log f/MHz + 10 log b - 95.5 in dB over 1 uV/m, over it."""
    require_positive(frequency_hz=frequency_hz, width_hz=width_hz, height_m=height_m)
    field_db = noise_db + 20.0 * math.log10(frequency_hz / 1e6) + 10.0 * math.log10(width_hz)
    return 1e-6 * math.pow(10.0, (field_db - SHORT_AERIAL_DB) / 20.0) * height_m


def own_noise_v(sensitivity_v: float, modulation: float, target_db: float = 10.0) -> float:
    """A receiver's own noise as EMF at its input, in V RMS over the width that its detector takes
    noise from: with audio S/N = m^2 C/N, from the EMF for a (S+N)/N of ``target_db``."""
    require_positive(sensitivity_v=sensitivity_v, modulation=modulation)
    wanted = math.pow(10.0, target_db / 10.0) - 1.0
    return sensitivity_v * modulation / math.sqrt(wanted)


def noise_figure_db(noise_v: float, source_ohm: float, width_hz: float) -> float:
    """Noise figure from its own noise as EMF behind a source of a stated resistance: available
    noise over kT0b, which counts the source's own."""
    require_positive(noise_v=noise_v, source_ohm=source_ohm, width_hz=width_hz)
    available_w = (noise_v / 2.0) ** 2 / source_ohm
    return 10.0 * math.log10(available_w / (BOLTZMANN * REFERENCE_K * width_hz))


def noise_width_hz(if_width_hz: float, audio_width_hz: float) -> float:
    """Width of the noise behind an envelope detector: the IF's, or twice the audio's if smaller."""
    require_positive(if_width_hz=if_width_hz, audio_width_hz=audio_width_hz)
    return min(if_width_hz, 2.0 * audio_width_hz)


def worsened_db(own_v: float, outside_v: float) -> float:
    """By how much a receiver's own noise raises what the aerial brings."""
    return 10.0 * math.log10(1.0 + (own_v / outside_v) ** 2)
