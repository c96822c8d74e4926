"""What a job's record says of a band's oscillator, and what the circuit makes of it."""

from __future__ import annotations

import math

from glowdial.core.alignment.fitted_oscillator import Turner
from glowdial.core.physics.tracking import AdjusterKind, Role, TrackedBand, role_of

# how well a pointer is set on a mark, in shares of its travel, and a peak found, of the IF's width
POINTER_SETTING, PEAK_SHARE = 0.0006, 0.08
# what a turn does where the sheet is silent, as a share of the whole part: the commonest adjusters
NORM_CHANGE = {Role.SCALE: -0.014, Role.SHUNT: 0.18, Role.SERIES: 0.06}
# a sheet's figure is right to a third, or wrong by up to two and a half; a norm is worth less
SHEET_DOUBT, NORM_DOUBT = 0.45, 0.55


def reading_doubt_hz(bandwidth_hz: float, span: tuple[float, float], mark_hz: float) -> float:
    """How well what comes in at a mark is read, in Hz: the pointer's place and the peak's."""
    pointer_hz = POINTER_SETTING * mark_hz * math.log(span[1] / span[0])
    return math.hypot(pointer_hz, PEAK_SHARE * bandwidth_hz)


def turner_of(key: str, kind: AdjusterKind, change: float | None, band: TrackedBand) -> Turner:
    """An adjuster as it is believed before it was turned: by its sheet, or by its kind."""
    role = role_of(kind, inductive=band.inductive)
    if change:
        return Turner(key, role, change, SHEET_DOUBT)
    norm = NORM_CHANGE[role]
    if band.inductive:
        # L and C change places, and the usual directions with them
        norm = abs(norm)
    return Turner(key, role, norm, NORM_DOUBT, way_known=False)
