"""A flat top for quality: where each circuit of an IF belongs if ripple may be a decibel and width
counts more than gain.

Cans of loose or critical coupling are staggered, each to its own side of the IF, or the circuits of
one can to either side of it; the widest curve is kept whose ripple stays small even with Qs a third
off the sheet. Overcoupled cans have their humps already: staggered by as much as fills a valley, or
not at all.
Source: stagger tuning of coupled circuits, as in textbooks of radio engineering.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.alignment.which_core import CanDesign
from glowdial.core.physics.coupled_circuits import CanShape

Floats = NDArray[np.float64]
# the ripple that is allowed by design, so that a set's own Qs leave it below a decibel
MOST_RIPPLE_DB = 0.7
# flatness may cost so much of the gain, and no more
MOST_COST_DB = 6.0
# a top is as wide as it stays within 2 dB, and each dB of gain has to buy so much of that
FLAT_DB, SHARE_PER_DB = 2.0, 0.07
Q_SCALES = (0.75, 1.0, 1.35)
# stagger in half-bandwidths of the sharpest circuit, and how far the curve is looked at
STEPS, MOST_STAGGER, REACH = 25, 2.4, 5.0
POINTS = 241


@dataclass(frozen=True, slots=True)
class FlatTop:
    """Where each circuit belongs relative to the IF, by core; by the sheet's Qs the ripple in dB,
    the width at -6 dB in Hz, that of the sensitive alignment, and what flatness costs at the IF in
    dB; ``worst_db`` is the ripple with Qs a third off."""

    offsets: Mapping[str, float]
    ripple_db: float
    worst_db: float
    width_hz: float
    narrow_hz: float
    cost_db: float


def flat_top(cans: Sequence[CanDesign], centre_hz: float) -> FlatTop:
    """The widest flat top of an IF of ``cans`` on ``centre_hz``; with every circuit on the IF where
    no stagger is better."""
    return _found(tuple(cans), centre_hz)


@lru_cache(maxsize=32)
def _found(cans: tuple[CanDesign, ...], centre_hz: float) -> FlatTop:
    sharpest = max(q for can in cans for q in can.q)
    ways = np.linspace(0.0, MOST_STAGGER / (2.0 * sharpest), STEPS)
    tried = [(way, shape) for shape in (_by_can(cans), _in_can(cans)) for way in ways]
    judged = []
    for way, shape in tried:
        offsets = tuple(tuple(way * s for s in can) for can in shape)
        worst = max(_ripple_db(_curve(cans, centre_hz, offsets, q)[1]) for q in Q_SCALES)
        judged.append((offsets, worst))
    narrow = tuple(tuple(0.0 for _ in can.cores) for can in cans)
    _, sharp = _curve(cans, centre_hz, narrow, 1.0)

    def cost_db(offsets: tuple[tuple[float, ...], ...]) -> float:
        level = _curve(cans, centre_hz, offsets, 1.0)[1]
        return 20.0 * math.log10(float(sharp[POINTS // 2] / level[POINTS // 2]))

    fair = [j for j in judged if cost_db(j[0]) <= MOST_COST_DB]
    flat = [j for j in fair if j[1] <= MOST_RIPPLE_DB]
    narrow_hz = _width_hz(*_curve(cans, centre_hz, narrow, 1.0), FLAT_DB)

    def worth(offsets: tuple[tuple[float, ...], ...]) -> float:
        wide_hz = _width_hz(*_curve(cans, centre_hz, offsets, 1.0), FLAT_DB)
        return wide_hz / narrow_hz - SHARE_PER_DB * cost_db(offsets)

    best = max(flat, key=lambda j: worth(j[0])) if flat else min(fair, key=lambda j: j[1])
    row, level = _curve(cans, centre_hz, best[0], 1.0)
    return FlatTop(
        {
            core: float(offset)
            for can, of_can in zip(cans, best[0], strict=True)
            for core, offset in zip(can.cores, of_can, strict=True)
        },
        _ripple_db(level),
        best[1],
        _width_hz(row, level),
        _width_hz(row, sharp),
        cost_db(best[0]),
    )


def _by_can(cans: tuple[CanDesign, ...]) -> tuple[tuple[float, ...], ...]:
    """Whole cans to either side in turn, a middle one of an odd number on the IF."""
    count, half = len(cans), len(cans) // 2
    if count % 2:
        sides = [1.0 if n < half else -1.0 if n > half else 0.0 for n in range(count)]
    else:
        sides = [(-1.0) ** n for n in range(count)]
    return tuple(tuple(side for _ in can.cores) for can, side in zip(cans, sides, strict=True))


def _in_can(cans: tuple[CanDesign, ...]) -> tuple[tuple[float, ...], ...]:
    """In every can the first circuit to one side, the last to the other."""
    return tuple(
        tuple(
            0.0 if len(can.cores) == 1 else 1.0 - 2.0 * n / (len(can.cores) - 1)
            for n in range(len(can.cores))
        )
        for can in cans
    )


def _curve(
    cans: tuple[CanDesign, ...],
    centre_hz: float,
    offsets: tuple[tuple[float, ...], ...],
    q_scale: float,
) -> tuple[Floats, Floats]:
    """The response over frequency, shape (POINTS,) each; couplings stay, Qs are scaled."""
    widest = min(q for can in cans for q in can.q)
    row = centre_hz * (1.0 + np.linspace(-REACH, REACH, POINTS) / (2.0 * widest))
    level = np.ones(POINTS)
    for can, of_can in zip(cans, offsets, strict=True):
        at = tuple(centre_hz * (1.0 + o) for o in of_can)
        shape = CanShape(at, tuple(q_scale * q for q in can.q), can.coupling)
        level = level * np.abs(shape.transfer(row))
    return row, np.asarray(level)


def _ripple_db(level: Floats) -> float:
    """From the highest hump down to the lowest valley between the outermost humps, in dB."""
    inner = np.flatnonzero((level[1:-1] > level[:-2]) & (level[1:-1] >= level[2:])) + 1
    if inner.size < 2:
        return 0.0
    between = level[inner[0] : inner[-1] + 1]
    return 20.0 * math.log10(float(np.max(between) / np.min(between)))


def _width_hz(row: Floats, level: Floats, down_db: float = 6.0) -> float:
    """Between the outermost crossings so far below the highest, in Hz."""
    above = np.flatnonzero(level >= 10.0 ** (-down_db / 20.0) * np.max(level))
    return float(row[above[-1]] - row[above[0]])
