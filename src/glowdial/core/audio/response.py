"""The response of what played a swept or stepped tone, out of a recording of it.

Frame by frame the strongest line is taken where it is nearly all that is heard, with what lies
close beside it, as a sweep smears it; the levels are gathered by sixths of an octave.
Source: textbooks of audio measurement (tracking of a slow sweep by short spectra).
"""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from glowdial.core.audio.spectrum import whole_frames

Floats = NDArray[np.float64]
FRAME_S = 0.085
LOWEST_HZ = 25.0
# bins beside the line that belong to it, at least, and as a share of its own: a sweep of two
# octaves a second
BESIDE, BESIDE_SHARE = 4, 0.12
# so much of a frame's power has to be the line's, and so far it may lie under the loudest frame
PURE_SHARE, DEEPEST_DB = 0.8, 60.0
# sixths of an octave; fewer of them are a tone that stands still
PARTS, FEWEST = 6.0, 6


def tone_response(blocks: Iterable[Floats], rate_hz: float) -> tuple[tuple[float, float], ...]:
    """Frequency in Hz, rising, with the level in dB of full scale RMS; empty for a recording in
    which no tone moves over an octave. ``blocks`` are pieces of shape (n,)."""
    size = int(2 ** math.floor(math.log2(max(FRAME_S * rate_hz, 256.0))))
    window = np.hanning(size)
    scale = 2.0 / (size * float(np.sum(window**2)))
    seen: list[Floats] = []
    for run in whole_frames(blocks, size):
        frames = run.reshape(-1, size)
        frames = frames - frames.mean(axis=1, keepdims=True)
        power = scale * np.abs(np.fft.rfft(frames * window, axis=1)) ** 2
        seen.append(_lines(power, rate_hz / size))
    rows = np.concatenate(seen) if seen else np.zeros((0, 2))
    return _gathered(rows)


def _lines(power: Floats, spacing_hz: float) -> Floats:
    """Frequency and power of the line of each frame that is nearly all there is, shape (m, 2)."""
    low = max(1, math.ceil(LOWEST_HZ / spacing_hz))
    heard = power[:, low:]
    top = np.argmax(heard, axis=1) + low
    whole = np.sum(heard, axis=1)
    found = []
    for row, peak, total in zip(power, top, whole, strict=True):
        reach = max(BESIDE, round(BESIDE_SHARE * int(peak)))
        near = slice(max(int(peak) - reach, low), int(peak) + reach + 1)
        own = float(np.sum(row[near]))
        if total > 0.0 and own > PURE_SHARE * total:
            at = np.arange(near.start, near.start + row[near].size)
            found.append((float(np.sum(at * row[near]) / own) * spacing_hz, own))
    return np.array(found).reshape(-1, 2)


def _gathered(rows: Floats) -> tuple[tuple[float, float], ...]:
    """The middle level of each sixth of an octave in which a tone was heard."""
    if not rows.size:
        return ()
    rows = rows[rows[:, 1] > np.max(rows[:, 1]) * math.pow(10.0, -DEEPEST_DB / 10.0)]
    part = np.round(PARTS * np.log2(rows[:, 0]))
    found = []
    for one in np.unique(part):
        inside = rows[part == one]
        level_db = 10.0 * math.log10(float(np.median(inside[:, 1])))
        found.append((float(np.median(inside[:, 0])), level_db))
    return tuple(found) if len(found) >= FEWEST else ()
