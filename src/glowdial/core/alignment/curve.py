"""What a swept curve shows: baseline off, law undone, then centre, widths, humps and lean.

Widths are outermost crossings below the highest maximum, the centre is that of the -6 dB points,
asymmetry the upper half-width less the lower one. Ripple is from the highest hump to the lowest
valley between humps.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.resonance import vertex

Floats = NDArray[np.float64]
# at each end of a sweep, what counts as foot; a hump stands out from its valley by more than this
FOOT_SHARE, LEAST_HUMP_DB = 0.04, 0.15
LEAST_POINTS = 12
WIDTHS_DB = (6.0, 20.0, 60.0)


@dataclass(frozen=True, slots=True)
class IndicatorLaw:
    """How an indicator answers: readings in V, ascending, and the relative signal in dB that made
    each, as measured at the curve's middle with three or four levels of the generator."""

    reading_v: tuple[float, ...]
    signal_db: tuple[float, ...]

    def __post_init__(self) -> None:
        rising = all(
            a < b for row in (self.reading_v, self.signal_db) for a, b in itertools.pairwise(row)
        )
        if len(self.reading_v) != len(self.signal_db) or len(self.reading_v) < 2 or not rising:
            raise BadInput(
                "law",
                f"{self.reading_v}",
                "needs two or more readings that rise with the level",
                "0.2 0.5 1.1 V at -20 -10 0 dB",
            )

    def signal(self, reading_v: Floats) -> Floats:
        """Relative signal (linear, 1 at 0 dB) of readings; straight in dB over the reading's
        logarithm, carried on beyond the ends as it goes there."""
        logs = np.log(np.asarray(self.reading_v))
        levels = np.asarray(self.signal_db)
        x = np.log(np.maximum(reading_v, 1e-6))
        inside = np.interp(x, logs, levels)
        first = (levels[1] - levels[0]) / (logs[1] - logs[0])
        last = (levels[-1] - levels[-2]) / (logs[-1] - logs[-2])
        inside = np.where(x < logs[0], levels[0] + first * (x - logs[0]), inside)
        inside = np.where(x > logs[-1], levels[-1] + last * (x - logs[-1]), inside)
        return np.asarray(10.0 ** (inside / 20.0))


@dataclass(frozen=True, slots=True)
class Width:
    """Outermost crossings some dB below the highest maximum, in Hz."""

    down_db: float
    low_hz: float
    high_hz: float

    @property
    def width_hz(self) -> float:
        """Between the crossings."""
        return self.high_hz - self.low_hz

    @property
    def centre_hz(self) -> float:
        """In their middle."""
        return 0.5 * (self.high_hz + self.low_hz)


@dataclass(frozen=True, slots=True)
class CurveFigures:
    """A curve's figures: where it peaks, its widths as far as they are seen, its humps in Hz, its
    ripple between them in dB (0 with one hump), upper less lower half-width at -6 dB about the
    peak, the baseline that was taken off in V, and the curve itself, linear with 1 on top."""

    peak_hz: float
    widths: tuple[Width, ...]
    humps_hz: tuple[float, ...]
    ripple_db: float
    asymmetry_hz: float
    baseline_v: float
    frequency_hz: Floats
    relative: Floats

    def width(self, down_db: float) -> Width | None:
        """The width that far down; None where the sweep does not show both sides."""
        return next((w for w in self.widths if w.down_db == down_db), None)

    def level_db(self, at_hz: float) -> float:
        """How far below the top a frequency lies, 0 or less."""
        return 20.0 * math.log10(
            max(float(np.interp(at_hz, self.frequency_hz, self.relative)), 1e-6)
        )


def curve_figures(
    frequency_hz: Sequence[float] | Floats,
    volts: Sequence[float] | Floats,
    *,
    law: IndicatorLaw | None = None,
    baseline_v: float | None = None,
) -> CurveFigures:
    """Figures of a trace over frequency in Hz, either order, in V of either polarity.

    Without a ``baseline_v`` the lower end of the trace is taken for it. Without a ``law`` the
    indicator is taken as linear. Raises BadInput for fewer than 12 points, numbers that are none,
    frequencies that stand still, or a trace without a response.
    """
    frequency, trace = _in_order(frequency_hz, volts)
    upright, foot = _upright(trace, baseline_v)
    span = float(np.max(upright))
    if span <= 0.0 or span < 4.0 * unrest(upright):
        raise BadInput(
            "sweep", "no response", "shows nothing above its own noise: is the signal in?", "0.8 V"
        )
    linear = np.maximum(upright, 0.0) if law is None else law.signal(upright)
    relative = linear / float(np.max(linear))
    smooth = _smoothed(relative)
    top = int(np.argmax(smooth))
    widths = tuple(w for w in (_width(frequency, smooth, d) for d in WIDTHS_DB) if w is not None)
    peak_hz = vertex(frequency, smooth)
    six = next((w for w in widths if w.down_db == 6.0), None)
    lean = six.high_hz + six.low_hz - 2.0 * peak_hz if six else 0.0
    humps, ripple = _humps(frequency, smooth, top)
    return CurveFigures(peak_hz, widths, humps, ripple, lean, foot, frequency, relative)


def _in_order(
    frequency_hz: Sequence[float] | Floats, volts: Sequence[float] | Floats
) -> tuple[Floats, Floats]:
    frequency = np.asarray(frequency_hz, dtype=np.float64)
    trace = np.asarray(volts, dtype=np.float64)
    if frequency.ndim != 1 or frequency.shape != trace.shape or frequency.size < LEAST_POINTS:
        raise BadInput(
            "sweep", f"{frequency.size} points", f"needs {LEAST_POINTS} or more, in pairs", "201"
        )
    if not (np.all(np.isfinite(frequency)) and np.all(np.isfinite(trace))):
        raise BadInput("sweep", "not a number", "must be numbers throughout", "455.2, 0.81")
    if frequency[0] > frequency[-1]:
        frequency, trace = frequency[::-1], trace[::-1]
    if frequency[0] <= 0.0 or np.any(np.diff(frequency) <= 0.0):
        raise BadInput("sweep", "frequencies", "must run one way, each once", "450, 450.1, 450.2")
    return frequency, trace


def _upright(trace: Floats, baseline_v: float | None) -> tuple[Floats, float]:
    """The trace above its foot, turned upright: an AVC line goes negative with the signal."""
    ends = max(2, round(FOOT_SHARE * trace.size))
    foots = sorted((float(np.median(trace[:ends])), float(np.median(trace[-ends:]))))
    middle = float(np.median(foots)) if baseline_v is None else baseline_v
    up = float(np.max(trace)) - middle >= middle - float(np.min(trace))
    foot = baseline_v if baseline_v is not None else (foots[0] if up else foots[1])
    return (trace - foot if up else foot - trace), foot


def unrest(trace: Floats) -> float:
    """Noise of a sample, in the trace's unit, shape (n,) with n of 3 or more: from second
    differences, by their median (a curve is smooth)."""
    second = trace[2:] - 2.0 * trace[1:-1] + trace[:-2]
    return float(np.median(np.abs(second))) / (0.6745 * math.sqrt(6.0))


def _smoothed(relative: Floats) -> Floats:
    """Neighbours averaged as far as the noise asks for it, at most over a fortieth of the sweep."""
    noise = unrest(relative)
    reach = min(round(200.0 * noise), relative.size // 80)
    if reach == 0:
        return relative
    padded = np.pad(relative, reach, mode="edge")
    window = np.hanning(2 * reach + 3)[1:-1]
    smooth = np.convolve(padded, window / window.sum(), mode="valid")
    return np.asarray(smooth / np.max(smooth))


def _width(frequency: Floats, relative: Floats, down_db: float) -> Width | None:
    threshold = 10.0 ** (-down_db / 20.0)
    above = np.flatnonzero(relative >= threshold)
    low, high = int(above[0]), int(above[-1])
    if low == 0 or high == relative.size - 1:
        return None
    lower = np.interp(threshold, relative[low - 1 : low + 1], frequency[low - 1 : low + 1])
    upper = np.interp(threshold, relative[high : high + 2][::-1], frequency[high : high + 2][::-1])
    return Width(down_db, float(lower), float(upper))


def _humps(frequency: Floats, relative: Floats, top: int) -> tuple[tuple[float, ...], float]:
    """Maxima that stand out from the valleys between them, and the deepest valley below the
    highest, in dB."""
    level = 20.0 * np.log10(np.maximum(relative, 1e-4))
    tops = [top]
    valley = 0.0
    for way in (1, -1):
        low, at = float(level[top]), top
        best, where = -math.inf, top
        while 0 < at < level.size - 1 and level[at] > -6.0:
            at += way
            low, here = min(low, float(level[at])), float(level[at])
            if here - low > best and here - low > LEAST_HUMP_DB:
                best, where, depth = here - low, at, low
        if where != top:
            tops.append(where)
            valley = min(valley, depth)
    found = tuple(
        vertex(frequency[max(n - 2, 0) : n + 3], relative[max(n - 2, 0) : n + 3])
        for n in sorted(tops)
    )
    return found, -valley
