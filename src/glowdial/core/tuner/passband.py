"""The passband of an FM receiver's IF out of its selectivity, and what it does to the subcarrier.

Critically coupled pairs, alike: the loss off tune is 10 log10(1 + u^4) for each, u in half widths
of a pair. A modulated carrier off tune is let in by its swing sooner. For small deviations the
detector hears a modulation of frequency f through (H(f) + H*(-f))/2 with H relative to the carrier.
Source: textbooks of coupled circuits, and of FM through linear networks (quasi-linear theory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from glowdial.core.language.errors import require_positive
from glowdial.core.physics.frequency_modulation import PILOT_HZ

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
PAIRS = 3
# swing of the second carrier, which brings it nearer by so much
UNWANTED_SWING_HZ = 37.5e3
# what a level found by ear or by halving is worth, and the law of like pairs
LEVEL_DOUBT_DB, LAW_DOUBT_DB = 0.5, 1.0
# what a second carrier on tune may have for the same, and its doubt
ON_TUNE_DB, ON_TUNE_DOUBT_DB = -1.5, 2.0
WIDTH_DOUBT, OFFSET_DOUBT_HZ = 0.4, 40e3
FEWEST = 4


@dataclass(frozen=True, slots=True)
class FmPassband:
    """Width at -3 dB of the whole in Hz, and how far its middle is off the channel's, with their
    standard deviations."""

    width_hz: float
    offset_hz: float
    width_doubt: float = 0.0
    offset_doubt_hz: float = 0.0

    def response(self, from_carrier_hz: Floats | float) -> Complexes:
        """Complex transfer at frequencies off the channel's middle, 1 in the passband's middle."""
        u = 2.0 * (np.asarray(from_carrier_hz) - self.offset_hz) / _pair_width_hz(self.width_hz)
        pair = 1.0 / (1.0 + 1j * math.sqrt(2.0) * u - u * u)
        return np.asarray(pair**PAIRS)

    def loss_db(self, from_carrier_hz: Floats | float) -> Floats:
        """Loss off tune, over that on tune."""
        at, on = (np.abs(self.response(x)) for x in (from_carrier_hz, 0.0))
        return np.asarray(20.0 * np.log10(on / np.maximum(at, 1e-12)))

    def subcarrier(self) -> tuple[float, float]:
        """What it does to the difference signal: its gain over that of the sum in dB, and by how
        much its phase leads that of the doubled pilot, in degrees."""
        low, pilot, high = (self._heard(f) for f in (1e3, PILOT_HZ, 2.0 * PILOT_HZ))
        gain_db = float(20.0 * math.log10(abs(high) / abs(low)))
        phase = np.angle(high) - 2.0 * np.angle(pilot)
        return gain_db, math.degrees(math.remainder(float(phase), 2.0 * math.pi))

    def _heard(self, modulation_hz: float) -> complex:
        upper, lower = self.response(np.array([modulation_hz, -modulation_hz]))
        on = complex(self.response(0.0))
        return complex(0.5 * (upper / on + np.conj(lower / on)))


def _pair_width_hz(width_hz: float) -> float:
    """Of one pair at its own -3 dB, from that of all of them."""
    return float(width_hz / (math.pow(10.0, 0.3 / PAIRS) - 1.0) ** 0.25)


def fitted_passband(unwanted_db: Mapping[float, float], norm_hz: float) -> FmPassband | None:
    """The passband of levels of an unwanted carrier in dB over the wanted one, by its offset in Hz;
    ``norm_hz`` is the width of a sound one. None below four offsets, or all on one side.

    Raises BadInput for a norm that is not above zero.
    """
    require_positive(norm_hz=norm_hz)
    offsets = np.array([x for x in sorted(unwanted_db) if x != 0.0])
    if offsets.size < FEWEST or offsets.min() > 0.0 or offsets.max() < 0.0:
        return None
    levels = np.array([unwanted_db[x] for x in offsets])
    nearer = np.sign(offsets) * np.maximum(np.abs(offsets) - UNWANTED_SWING_HZ, 0.0)
    doubt = math.hypot(LEVEL_DOUBT_DB, LAW_DOUBT_DB)

    def left(p: Floats) -> Floats:
        band = FmPassband(norm_hz * math.exp(p[0]), p[1] * 1e3)
        misses = (p[2] + band.loss_db(nearer) - levels) / doubt
        priors = (
            p[0] / WIDTH_DOUBT,
            1e3 * p[1] / OFFSET_DOUBT_HZ,
            (p[2] - ON_TUNE_DB) / ON_TUNE_DOUBT_DB,
        )
        return np.concatenate([misses, priors])

    found = least_squares(left, np.array([0.0, 0.0, ON_TUNE_DB]))
    spread = np.sqrt(np.diag(np.linalg.inv(found.jac.T @ found.jac)))
    return FmPassband(
        norm_hz * math.exp(float(found.x[0])),
        1e3 * float(found.x[1]),
        float(spread[0]),
        1e3 * float(spread[1]),
    )
