"""A band that is moved: where every place of its pointer comes in once an adjuster, or both, were
turned so that another frequency comes in at the high stop.

The gang's capacity at a place stays; oscillator and signal circuit change by one part each (or
two), found by the resonance formula at the stops. A trimmer that moves the high stop brings the low
one along by far less; both ends' adjusters together leave the low stop where it is. The signal
circuit's trimmer follows at the high mark, and what is left at the low one costs dB by its Q.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import khz
from glowdial.core.physics.tracking import (
    NOMINAL_AERIAL_Q,
    OscillatorCircuit,
    SignalCircuit,
    TankRole,
    TrackedBand,
    adjusted,
    mistracking_loss_db,
)

# a part is changed by no more than these factors, as logarithms
LEAST_LOG, MOST_LOG = math.log(0.05), math.log(4.0)
MOST_LOSS_DB, SETTLED_HZ = 30.0, 50.0


@dataclass(frozen=True, slots=True)
class MovedBand:
    """The nominal design after the move, by which factors the parts of its roles changed, and what
    the aerial circuit loses at the low stop, in dB."""

    tracked: TrackedBand
    factors: tuple[tuple[TankRole, float], ...]
    low_hz: float
    high_hz: float
    loss_db: float

    def comes_in_hz(self, before: TrackedBand, frequency_hz: float) -> float:
        """What comes in where a frequency came in before."""
        return self.tracked.at_place_of_hz(before, frequency_hz)


@lru_cache(maxsize=256)
def moved_band(
    band: TrackedBand, stops_hz: tuple[float, float], high_hz: float, roles: tuple[TankRole, ...]
) -> MovedBand:
    """The band with another frequency at its high stop, by the part of the first role, or by those
    of both so that the low stop stays.

    ``stops_hz`` are what comes in at its low and high stop now. Raises BadInput for a frequency
    that no part of these can bring in.
    """
    low, high = stops_hz
    if not low < high_hz:
        raise BadInput("highest", khz(high_hz), f"must lie above {khz(low)}", khz(high))
    lo = band.oscillator
    gang = lo.gang_capacity_f(np.array(stops_hz) + band.offset_hz)
    wanted = np.array([low, high_hz]) + band.offset_hz
    logs = _logs(lo, gang, wanted, roles)
    made = _changed(lo, roles, logs)
    there = made.resonance_hz(gang)
    ends = there - band.offset_hz
    signal = _followed(band, stops_hz, high_hz)
    # of one part only the high stop was asked for
    off_hz = np.abs(there - wanted)[2 - len(roles) :]
    settled = bool(np.all(np.isfinite(there)) and np.all(off_hz <= SETTLED_HZ))
    if not settled or signal.trimmer_f < 0.0 or not all(LEAST_LOG < x < MOST_LOG for x in logs):
        raise BadInput(
            "highest", khz(high_hz), "is further than its parts can be changed", khz(1.05 * high)
        )
    tracked = replace(band, oscillator=made, signal=signal)
    loss = _loss_db(tracked, band, low, float(ends[0]))
    factors = tuple((r, math.exp(x)) for r, x in zip(roles, logs, strict=True))
    return MovedBand(tracked, factors, float(ends[0]), float(ends[1]), loss)


def _changed(
    lo: OscillatorCircuit, roles: Sequence[TankRole], logs: Sequence[float]
) -> OscillatorCircuit:
    for role, log in zip(roles, logs, strict=True):
        lo = adjusted(lo, role, math.exp(log))
    return lo


def _logs(
    lo: OscillatorCircuit,
    gang: np.ndarray,
    wanted: np.ndarray,
    roles: tuple[TankRole, ...],
) -> tuple[float, ...]:
    """Logarithms of the factors; of one role for the high stop alone, of two for both stops."""
    from scipy.optimize import least_squares

    ends = slice(1, 2) if len(roles) == 1 else slice(0, 2)

    def off(logs: np.ndarray) -> np.ndarray:
        there = _changed(lo, roles, [float(x) for x in logs]).resonance_hz(gang[ends])
        return np.asarray(np.nan_to_num(there / wanted[ends] - 1.0, nan=1.0))

    found = least_squares(
        off, np.zeros(len(roles)), bounds=(LEAST_LOG, MOST_LOG), xtol=1e-12, ftol=1e-14
    )
    return tuple(float(x) for x in found.x)


def _followed(band: TrackedBand, stops_hz: tuple[float, float], high_hz: float) -> SignalCircuit:
    """The signal circuit with its trimmer where the new high stop peaks; below nothing where no
    trimmer can do that."""
    signal = band.signal
    gang = float(signal.gang_capacity_f(stops_hz[1]))
    total = 1.0 / ((2.0 * math.pi * high_hz) ** 2 * signal.inductance_h)
    return replace(signal, trimmer_f=total - gang)


def _loss_db(tracked: TrackedBand, before: TrackedBand, low_hz: float, new_low_hz: float) -> float:
    gang = before.signal.gang_capacity_f(low_hz)
    tuned = float(tracked.signal.resonance_hz(gang))
    return min(mistracking_loss_db(new_low_hz - tuned, new_low_hz, NOMINAL_AERIAL_Q), MOST_LOSS_DB)
