"""Gain by substitution: the generator's change for the same reading of the indicator."""

from __future__ import annotations

import math

from glowdial.core.language.errors import require_positive
from glowdial.core.language.levels import db_voltage

STOP_BELOW_DB = 0.2


def gain_by_substitution_db(level_before_v: float, level_after_v: float) -> float:
    """Gain won: how many dB less the generator gives for the same indicator reading."""
    require_positive(level_before_v=level_before_v, level_after_v=level_after_v)
    return db_voltage(level_before_v / level_after_v)


def another_pass(gain_db: float, least_db: float = STOP_BELOW_DB) -> bool:
    """Whether the last pass gained enough of the generator to make one more: 0.2 dB, or what the
    indicator can show at this level, where that is more."""
    return gain_db >= least_db


def shown_db(reading_v: float, control_v_per_neper: float, error: float = 0.01) -> float:
    """The least change of the generator that an AVC line shows at a reading, in dB; 0.2 at least.

    On a = s exp(-a/v0) a reading's relative error counts 1 + a/v0 times at the generator; twice,
    since a gain is the difference of two matchings.
    """
    require_positive(reading_v=reading_v, control_v_per_neper=control_v_per_neper)
    at_generator = error * math.sqrt(2.0) * (1.0 + reading_v / control_v_per_neper)
    return max(STOP_BELOW_DB, db_voltage(1.0 + at_generator))
