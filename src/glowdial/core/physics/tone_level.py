"""The level of a tone in what a microphone or a line input heard, whatever else was heard with it.

The strongest line where test tones lie is found in a windowed spectrum, its frequency refined by
the window's own law, and its level taken by least squares at that frequency: all but a band of a
few hertz is left out.
Source: harmonic analysis with the Hann window (Harris, On the use of windows for harmonic analysis
with the discrete Fourier transform); least squares of a sine, as in textbooks of measurement.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]
LEAST_RATE_HZ, MOST_RATE_HZ = 8e3, 384e3
LEAST_S, MOST_S = 0.1, 10.0
# where test tones lie
LOWEST_HZ, HIGHEST_HZ = 300.0, 1200.0
# a sample this near to full scale was cut off
CLIPPED_AT, CLIPPED_SHARE = 0.995, 1e-4
# a tone stands out of what lies around it by more than this
LEAST_OVER_DB, LEAST_LEVEL = 14.0, 3e-5
AROUND = 0.25


@dataclass(frozen=True, slots=True)
class ToneLevel:
    """What was heard: the tone's frequency in Hz, its peak as a share of full scale, how far it
    stands above the rest around it in dB, and whether samples were cut off."""

    tone_hz: float
    level: float
    over_rest_db: float
    clipped: bool

    @property
    def heard(self) -> bool:
        """Whether there is a tone at all."""
        return self.over_rest_db >= LEAST_OVER_DB and self.level >= LEAST_LEVEL


def tone_level(samples: Floats, rate_hz: float) -> ToneLevel:
    """The test tone in samples of full scale 1, shape (n,), at ``rate_hz`` of 8 to 384 kHz, over
    0.1 to 10 s. Raises BadInput for anything else."""
    heard = np.asarray(samples, dtype=np.float64)
    if not LEAST_RATE_HZ <= rate_hz <= MOST_RATE_HZ:
        raise BadInput("rate", f"{rate_hz:g} Hz", "must be 8 to 384 kHz", "48000")
    seconds = heard.size / rate_hz
    if heard.ndim != 1 or not LEAST_S <= seconds <= MOST_S:
        raise BadInput("sound", f"{seconds:.3g} s", "must last 0.1 to 10 s", "0.5 s")
    if not np.all(np.isfinite(heard)):
        raise BadInput("sound", "not a number", "must be numbers throughout", "0.02")
    clipped = float(np.mean(np.abs(heard) >= CLIPPED_AT)) > CLIPPED_SHARE
    heard = heard - np.mean(heard)
    tone_hz = _strongest_hz(heard, rate_hz)
    cosine, sine = _fitted(heard, rate_hz, tone_hz)
    level = math.hypot(cosine, sine)
    return ToneLevel(tone_hz, level, _over_rest_db(heard, rate_hz, tone_hz, level), clipped)


def _strongest_hz(heard: Floats, rate_hz: float) -> float:
    """The strongest line between the bounds, between bins by the Hann window's law: with the
    higher neighbour r of the line's height, it stands (2 r - 1) / (r + 1) bins to that side."""
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size)))
    bin_hz = rate_hz / heard.size
    low, high = math.ceil(LOWEST_HZ / bin_hz), math.floor(HIGHEST_HZ / bin_hz)
    top = low + int(np.argmax(spectrum[low : high + 1]))
    before, after = spectrum[top - 1], spectrum[top + 1]
    side = 1.0 if after > before else -1.0
    ratio = max(before, after) / max(float(spectrum[top]), 1e-300)
    return float((top + side * max((2.0 * ratio - 1.0) / (ratio + 1.0), 0.0)) * bin_hz)


def _fitted(heard: Floats, rate_hz: float, tone_hz: float) -> tuple[float, float]:
    """Cosine and sine parts by least squares, weighted by the window: neighbours stay out."""
    weight = np.hanning(heard.size)
    phase = 2.0 * math.pi * tone_hz / rate_hz * np.arange(heard.size)
    basis = np.stack([np.cos(phase), np.sin(phase)], axis=1)
    weighted = basis * weight[:, None]
    found = np.linalg.solve(weighted.T @ basis, weighted.T @ heard)
    return float(found[0]), float(found[1])


def _over_rest_db(heard: Floats, rate_hz: float, tone_hz: float, level: float) -> float:
    """The tone's line over the typical line of the band around it, in dB."""
    spectrum = np.abs(np.fft.rfft(heard * np.hanning(heard.size)))
    lines_hz = np.arange(spectrum.size) * rate_hz / heard.size
    near = np.abs(lines_hz - tone_hz) < AROUND * tone_hz
    own = np.abs(lines_hz - tone_hz) < 3.0 * rate_hz / heard.size
    rest = float(np.median(spectrum[near & ~own])) if np.any(near & ~own) else 0.0
    line = 0.5 * level * float(np.sum(np.hanning(heard.size)))
    return 20.0 * math.log10(max(line, 1e-300) / max(rest, 1e-300)) if line > 0.0 else -300.0
