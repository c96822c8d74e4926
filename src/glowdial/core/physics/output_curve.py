"""Output against generator level, with the control (AVC) working: how flat, and where it falls off.

The figure of merit is the fall of the input, from a strong one, that lowers the output by 10 dB.
Source: definitions in textbooks of receiver measurement; interpolated over the level in dB by a
shape-preserving cubic (PCHIP).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import PchipInterpolator

from glowdial.core.language.errors import BadInput, require_positive

STRONG_V = 0.1
FALL_DB = 10.0
RANGE_DB = 80.0
FEWEST = 3
# the distortion that an output is told at
LIMIT_SHARE = 0.10


@dataclass(frozen=True, slots=True)
class OutputCurve:
    """Levels in dB over 1 V EMF, rising, with the output in dB over 1 V at each; three or more."""

    level_db: tuple[float, ...]
    output_db: tuple[float, ...]

    def output_at(self, level_db: float) -> float:
        """Output in dB at a level between the first and the last."""
        return float(PchipInterpolator(self.level_db, self.output_db)(level_db))

    @property
    def span_db(self) -> float:
        """From the lowest level that was read to the highest."""
        return self.level_db[-1] - self.level_db[0]

    def figure_of_merit_db(self) -> float | None:
        """How far the input may fall from 0.1 V, or from the highest that was read below it, until
        the output has fallen by 10 dB; None where it does not within what was read."""
        start = min(20.0 * math.log10(STRONG_V), self.level_db[-1])
        if start < self.level_db[0]:
            return None
        row = np.linspace(start, self.level_db[0], 2001)
        fallen = self.output_at(start) - PchipInterpolator(self.level_db, self.output_db)(row)
        below = np.nonzero(fallen >= FALL_DB)[0]
        return float(start - row[below[0]]) if below.size else None

    def change_db(self) -> float | None:
        """From the highest output to the lowest over 80 dB of input below the strong end; None
        where less was read."""
        start = min(20.0 * math.log10(STRONG_V), self.level_db[-1])
        if start - self.level_db[0] < RANGE_DB - 0.5:
            return None
        row = np.linspace(max(start - RANGE_DB, self.level_db[0]), start, 801)
        heard = PchipInterpolator(self.level_db, self.output_db)(row)
        return float(heard.max() - heard.min())


def output_curve(readings: Sequence[tuple[float, float]]) -> OutputCurve | None:
    """The curve of readings (level V EMF, output V RMS), both above zero; the last of those at one
    level counts. None below three levels. Raises BadInput for what is not above zero."""
    at: dict[float, float] = {}
    for level_v, output_v in readings:
        require_positive(level_v=level_v, output_v=output_v)
        at[20.0 * math.log10(level_v)] = 20.0 * math.log10(output_v)
    if len(at) < FEWEST:
        return None
    levels = tuple(sorted(at))
    return OutputCurve(levels, tuple(at[x] for x in levels))


def at_distortion_w(
    readings: Sequence[tuple[float, float]], share: float = LIMIT_SHARE
) -> float | None:
    """Power in W at which distortion reaches ``share``, between the two readings (W, share) around
    it on logarithmic axes; None where they do not enclose it. Raises BadInput for no power."""
    rows = sorted(readings)
    for (low_w, low), (high_w, high) in itertools.pairwise(rows):
        require_positive(low_w=low_w, low=low, high_w=high_w, high=high)
        if low <= share <= high:
            if high == low:
                return low_w
            part = math.log(share / low) / math.log(high / low)
            return float(low_w * (high_w / low_w) ** part)
    if any(w <= 0.0 for w, _ in rows):
        raise BadInput("output", "0 W", "must be above zero", "1.2")
    return None


def distortion_doubt_db(readings: Sequence[tuple[float, float]], own: float) -> float | None:
    """How far the power at 10 % may be off, in dB, where the generator distorts by ``own`` (a
    share) by itself: of what is read 10 % less that to 10 % more of it is the set's 10 %, as
    harmonics of two sources add in any phase. The wider side of what was read; 0 for a clean
    generator, None where it gives 10 % by itself or neither side was read."""
    middle_w = at_distortion_w(readings)
    if own <= 0.0 or middle_w is None:
        return 0.0 if middle_w is not None else None
    if own >= LIMIT_SHARE:
        return None
    ends = (at_distortion_w(readings, LIMIT_SHARE + s * own) for s in (-1.0, 1.0))
    off_db = [abs(10.0 * math.log10(w / middle_w)) for w in ends if w is not None]
    return max(off_db, default=None)


def decibels_per_mark(readings: Sequence[tuple[float, float]]) -> tuple[float, float] | None:
    """What one mark of a signal-strength meter is worth: dB of level (V EMF) per division by least
    squares, and the largest departure of a reading from that law in dB; None below three marks."""
    if len({mark for _, mark in readings}) < FEWEST:
        return None
    level_db = np.array([20.0 * math.log10(level_v) for level_v, _ in readings])
    marks = np.array([mark for _, mark in readings])
    slope, start = np.polyfit(marks, level_db, 1)
    return float(slope), float(np.max(np.abs(level_db - slope * marks - start)))
