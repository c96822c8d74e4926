"""Gain by substitution: the generator's change for the same reading of the indicator."""

from __future__ import annotations

from glowdial.core.language.errors import require_positive
from glowdial.core.language.levels import db_voltage

STOP_BELOW_DB = 0.2


def gain_by_substitution_db(level_before_v: float, level_after_v: float) -> float:
    """Gain won: how many dB less the generator gives for the same indicator reading."""
    require_positive(level_before_v=level_before_v, level_after_v=level_after_v)
    return db_voltage(level_before_v / level_after_v)


def another_pass(gain_db: float) -> bool:
    """Whether the last pass gained enough (0.2 dB of the generator) to make one more."""
    return gain_db >= STOP_BELOW_DB
