"""How far a second carrier may stand over the wanted one: found by halving, whoever hears it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from glowdial.core.tuner.drive import AudioMeter, Drive, Look

SEARCH_DB, SEARCH_STEP_DB = (-30.0, 80.0), 0.25
# all but the wanted tone, as a share of it: 30 dB below (IEC 60315-4, selectivity and capture)
HEARD_SHARE = 10.0 ** (-30.0 / 20.0)


def unwanted_db(hear: Callable[[Drive, Look], float], drive: Drive, look: Look) -> float:
    """Level of the second carrier over the wanted one, in dB, at which all but the wanted tone is
    heard 30 dB below it; at an end of -30 to 80 dB where it never is.

    ``hear`` reads distortion and noise as a share.
    """
    low, high = SEARCH_DB
    share = replace(look, meter=AudioMeter.DISTORTION)
    while high - low > SEARCH_STEP_DB:
        middle = 0.5 * (low + high)
        heard = hear(replace(drive, other_level_v=drive.level_v * 10.0 ** (middle / 20.0)), share)
        low, high = (middle, high) if heard < HEARD_SHARE else (low, middle)
    return 0.5 * (low + high)
