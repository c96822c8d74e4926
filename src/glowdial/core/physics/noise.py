"""Noise: of resistances, and what comes in from outside by the kind of place.

Outside noise: the medians of Recommendation ITU-R P.372, Fa = c - d log10(f/MHz) above kT0b for
man-made noise by place, 52 - 23 log10(f/MHz) for galactic noise, which comes through above some
10 MHz; atmospheric noise is left out.
"""

from __future__ import annotations

import math
from enum import StrEnum

from glowdial.core.language.errors import require_positive

BOLTZMANN = 1.380649e-23
ROOM_K = 293.0
REFERENCE_K = 290.0
GALACTIC_FROM_HZ = 10e6
# field of a short vertical aerial in dB(uV/m): En = Fa + 20 log f/MHz + 10 log b - 95.5
SHORT_AERIAL_DB = 95.5


class Site(StrEnum):
    """Where a set stands, by what its neighbours radiate."""

    SCREENED = "screened room"
    QUIET_RURAL = "quiet rural"
    RURAL = "rural"
    RESIDENTIAL = "residential"
    CITY = "city"


_MAN_MADE = {
    Site.QUIET_RURAL: (53.6, 28.6),
    Site.RURAL: (67.2, 27.7),
    Site.RESIDENTIAL: (72.5, 27.7),
    Site.CITY: (76.8, 27.7),
}


def thermal_v(resistance_ohm: float, bandwidth_hz: float, temperature_k: float = ROOM_K) -> float:
    """RMS volts of a resistance, sqrt(4 k T R B)."""
    return math.sqrt(4.0 * BOLTZMANN * temperature_k * resistance_ohm * bandwidth_hz)


def external_noise_db(place: Site, frequency_hz: float) -> float | None:
    """Median Fa in dB above kT0b, 0.3 to 250 MHz (used down to 0.1 MHz); None in a screened room.

    Source: Recommendation ITU-R P.372, man-made and galactic noise, powers added.
    """
    require_positive(frequency_hz=frequency_hz)
    if place is Site.SCREENED:
        return None
    decade = math.log10(frequency_hz / 1e6)
    power = 10.0 ** (man_made_db(place, frequency_hz) / 10.0)
    if frequency_hz >= GALACTIC_FROM_HZ:
        power += 10.0 ** ((52.0 - 23.0 * decade) / 10.0)
    return 10.0 * math.log10(power)


def man_made_db(place: Site, frequency_hz: float) -> float:
    """Median of man-made noise alone, in dB above kT0b; any place but a screened room."""
    c, d = _MAN_MADE[place]
    return c - d * math.log10(frequency_hz / 1e6)


def external_field_v_per_m(place: Site, frequency_hz: float, bandwidth_hz: float) -> float:
    """RMS noise field at a short vertical aerial in V/m; 0 in a screened room."""
    above_db = external_noise_db(place, frequency_hz)
    if above_db is None:
        return 0.0
    field_db = above_db + 20.0 * math.log10(frequency_hz / 1e6) + 10.0 * math.log10(bandwidth_hz)
    return 1e-6 * math.pow(10.0, (field_db - SHORT_AERIAL_DB) / 20.0)
