"""(S+N)/N and the sensitivity for 10 dB of it.

(S+N)/N is the ratio of total audio output with the tone on to the output with the tone off, the
carrier on for both. Sensitivity is interpolated on logarithmic axes between the levels read.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.language.levels import db_voltage

TARGET_DB = 10.0
CLOSE_ENOUGH_DB = 0.5
STEADY_SHARE = 1.001


def signal_plus_noise_to_noise_db(tone_on_v: float, tone_off_v: float) -> float:
    """20 log10 of output with the tone on over output with it off, both volts RMS above zero.

    Raises BadInput when the output is greater with the tone off.
    """
    require_positive(tone_on_v=tone_on_v, tone_off_v=tone_off_v)
    if tone_on_v < tone_off_v / 1.05:
        raise BadInput(
            "tone on and off",
            f"{tone_on_v:g} V, {tone_off_v:g} V",
            "must be the larger with the tone on",
            "1.26 0.40",
        )
    return db_voltage(tone_on_v / tone_off_v)


@dataclass(frozen=True, slots=True)
class NoiseReading:
    """One generator level (V EMF) with the output read with the tone on and off (V RMS)."""

    level_v: float
    tone_on_v: float
    tone_off_v: float

    @property
    def ratio_db(self) -> float:
        """(S+N)/N in dB."""
        return signal_plus_noise_to_noise_db(self.tone_on_v, self.tone_off_v)


def sensitivity_v(readings: tuple[NoiseReading, ...], target_db: float = TARGET_DB) -> float | None:
    """Level for ``target_db`` of (S+N)/N, or None while the readings do not enclose it.

    A reading within 0.5 dB is carried over by the slope of a clean AM detector (the ratio of
    powers less one follows the level's square); otherwise log-log interpolation between the two
    levels that enclose the target most closely.
    """
    ordered = sorted(readings, key=lambda r: r.level_v)
    nearest = min(ordered, key=lambda r: abs(r.ratio_db - target_db), default=None)
    if nearest is not None and abs(nearest.ratio_db - target_db) <= CLOSE_ENOUGH_DB:
        return next_level_v(nearest, target_db)
    for lower, upper in itertools.pairwise(ordered):
        if lower.ratio_db <= target_db <= upper.ratio_db:
            share = (target_db - lower.ratio_db) / (upper.ratio_db - lower.ratio_db)
            step = math.log(upper.level_v / lower.level_v)
            return lower.level_v * math.exp(share * step)
    return None


def next_level_v(reading: NoiseReading, target_db: float = TARGET_DB) -> float:
    """Level to try next from one reading: the tone's share of the power follows level squared.

    Limited to a factor of 10 either way, since far from the target the noise does not stand still.
    """
    signal_power = max((reading.tone_on_v / reading.tone_off_v) ** 2, STEADY_SHARE) - 1.0
    wanted = 10.0 ** (target_db / 10.0) - 1.0
    factor = math.sqrt(wanted / signal_power)
    return reading.level_v * min(max(factor, 0.1), 10.0)
