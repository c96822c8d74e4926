"""The level for a wanted (S+N)/N out of a few unsteady readings, with its doubt.

Behind a linear detector at a steady gain the tone's share of the output's power goes as the level
squared, (S+N)/N = 1 + (r - 1) (L / L0)^2 with r the ratio wanted at L0: the slope is known, and
every reading tells L0. The posterior over L0 is kept on a row of decibels; the slope's exponent and
what a reading far from the ratio wanted may be off are nuisances.
Source: Bayes' rule with a Gaussian error in decibels, as in textbooks of measurement; the mean of a
row of powers lies above the power of the mean in decibels by 0.115 times the variance.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.noise_ratio import TARGET_DB

Floats = NDArray[np.float64]
# one glance at a needle that wanders with noise: standard deviation in dB
GLANCE_DB = 1.5
# what no meter is better than, for the ratio of two readings
LEAST_DOUBT_DB = 0.1
# from the middle of the ends that people name to either end, in standard deviations of the middle
ENDS_TO_MIDDLE = 3.0
# exponents of the level that sets were seen to have around 10 dB, with their shares
SLOPES = ((0.94, 0.25), (1.0, 0.5), (1.06, 0.25))
# a model of one law is off by so much for every dB away from the ratio wanted
LAW_DOUBT_SHARE = 0.05
STEP_DB, REACH_DB = 0.05, 60.0
NINETY, NINETY_FIVE = 0.90, 0.95


@dataclass(frozen=True, slots=True)
class Swung:
    """A reading of a needle: volts RMS above zero in the middle (in dB), and the standard deviation
    of that middle in dB."""

    middle_v: float
    doubt_db: float


def glanced(volts: float) -> Swung:
    """One glance at an unsteady needle."""
    require_positive(volts=volts)
    return Swung(volts, GLANCE_DB)


def between(low_v: float, high_v: float) -> Swung:
    """The ends that a needle wandered between, both above zero; raises BadInput for swapped ones.

    The middle is that of the decibels. It is known to a third of the way to either end: of thirty
    readings of a Gaussian needle the middle of the ends scatters by a sixth, and what people name
    are not the very ends.
    """
    require_positive(low_v=low_v, high_v=high_v)
    if low_v > high_v:
        raise BadInput("low and high", f"{low_v:g} to {high_v:g} V", "are swapped", "0.82-0.95")
    half_db = 10.0 * math.log10(high_v / low_v)
    return Swung(math.sqrt(low_v * high_v), half_db / ENDS_TO_MIDDLE)


def captured(volts: Sequence[float]) -> Swung:
    """A run of readings, shape (n,) with n of two or more, above zero: the mean of their powers,
    less what a mean of powers lies above the middle, known to the spread over the root of n."""
    return of_run(power_mean_v(volts), spread_db(volts), len(volts))


def of_run(mean_v: float, scatter_db: float, readings: int) -> Swung:
    """A run that is known by its power's mean in V, its standard deviation in dB, and how many
    readings there were."""
    require_positive(mean_v=mean_v, readings=readings)
    above_db = math.log(10.0) / 20.0 * scatter_db**2
    return Swung(mean_v * math.pow(10.0, -above_db / 20.0), scatter_db / math.sqrt(readings))


def power_mean_v(volts: Sequence[float]) -> float:
    """The root of the mean of the powers of a row of volts; raises BadInput for an empty one."""
    if not volts:
        raise BadInput("run", "0 readings", "wants at least one", "0.9")
    return float(np.sqrt(np.mean(np.square(np.asarray(volts, dtype=np.float64)))))


def spread_db(volts: Sequence[float]) -> float:
    """Standard deviation of a row of volts in dB; raises BadInput for fewer than two, or where one
    is not above zero."""
    row = np.asarray(volts, dtype=np.float64)
    if row.size < 2 or not np.all(row > 0.0):
        raise BadInput("run", f"{row.size} readings", "wants two or more above zero", "0.8 0.9")
    return float(np.std(20.0 * np.log10(row), ddof=1))


@dataclass(frozen=True, slots=True)
class PairAtLevel:
    """Output with the tone on and off at one generator level in V (EMF or PD: the figure comes in
    the same)."""

    level_v: float
    on: Swung
    off: Swung

    @property
    def ratio_db(self) -> float:
        """(S+N)/N in dB; below zero where the needle wandered further than the tone lifts it."""
        return 20.0 * math.log10(self.on.middle_v / self.off.middle_v)

    @property
    def doubt_db(self) -> float:
        """Standard deviation of the ratio."""
        return max(math.hypot(self.on.doubt_db, self.off.doubt_db), LEAST_DOUBT_DB)


@dataclass(frozen=True, slots=True)
class FoundLevel:
    """The level for the ratio wanted, V as the readings' levels: in the middle, and between what it
    lies in nine and in nineteen of twenty cases."""

    level_v: float
    low_v: float
    high_v: float
    low_95_v: float
    high_95_v: float
    enclosed: bool

    @property
    def doubt_db(self) -> float:
        """Half of the way between the ends of nine in ten."""
        return 10.0 * math.log10(self.high_v / self.low_v)

    @property
    def doubt_95_db(self) -> float:
        """Half of the way between the ends of nineteen in twenty."""
        return 10.0 * math.log10(self.high_95_v / self.low_95_v)


def ratio_at_db(over_db: Floats | float, target_db: float, exponent: float = 1.0) -> Floats:
    """(S+N)/N in dB at levels ``over_db`` above that of the ratio wanted."""
    wanted = math.pow(10.0, target_db / 10.0) - 1.0
    lifted = np.power(10.0, exponent * np.asarray(over_db, dtype=np.float64) / 10.0)
    return np.asarray(10.0 * np.log10(1.0 + wanted * lifted))


def found_level(pairs: Sequence[PairAtLevel], target_db: float = TARGET_DB) -> FoundLevel | None:
    """The level for ``target_db`` of (S+N)/N out of all pairs; None without any.

    ``enclosed`` tells that the readings reach to both sides of the ratio, or within twice the doubt
    of one: what is carried over further rests on the law alone.
    """
    return _level_of(tuple(pairs), target_db) if pairs else None


# every view of a set asks for the same levels again
@lru_cache(maxsize=512)
def _level_of(pairs: tuple[PairAtLevel, ...], target_db: float) -> FoundLevel:
    levels_db = np.array([20.0 * math.log10(p.level_v) for p in pairs])
    ratios, doubts = np.array([[p.ratio_db, p.doubt_db] for p in pairs]).T
    row_db = _row(levels_db)
    chances = []
    for exponent, share in SLOPES:
        foreseen = ratio_at_db(levels_db[:, None] - row_db[None, :], target_db, exponent)
        law = LAW_DOUBT_SHARE * np.abs(foreseen - target_db)
        spread = np.hypot(doubts[:, None], law)
        chance = -0.5 * ((ratios[:, None] - foreseen) / spread) ** 2 - np.log(spread)
        chances.append(math.log(share) + np.sum(chance, axis=0))
    highest = max(float(c.max()) for c in chances)
    total = np.cumsum(sum(np.exp(c - highest) for c in chances))
    places = np.interp(np.array([0.025, 0.05, 0.5, 0.95, 0.975]), total / total[-1], row_db)
    low95, low, middle, high, high95 = (math.pow(10.0, float(x) / 20.0) for x in places)
    over = ratios - target_db
    near = bool(np.any(np.abs(over) <= 2.0 * doubts + 1.0))
    enclosed = near or bool(over.min() < 0.0 < over.max())
    return FoundLevel(middle, low, high, low95, high95, enclosed)


def _row(levels_db: Floats) -> Floats:
    low, high = float(levels_db.min()) - REACH_DB, float(levels_db.max()) + REACH_DB
    return np.arange(low, high + STEP_DB, STEP_DB)


def next_search_level_v(pairs: Sequence[PairAtLevel], target_db: float = TARGET_DB) -> float | None:
    """Where to read next: on the level that is held for the one wanted, where the law's doubt
    counts least; no more than 20 dB from where was read last. None without a reading."""
    found = found_level(pairs, target_db)
    if found is None:
        return None
    last = pairs[-1].level_v
    return min(max(found.level_v, 0.1 * last), 10.0 * last)
