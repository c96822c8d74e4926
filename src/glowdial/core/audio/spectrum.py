"""Averaged power spectra of a recording that is read in blocks, in constant memory.

Welch's method with a Kaiser window whose side lobes lie below -150 dB (noise 80 dB under a tone is
read 120 dB under it in a bin), three quarters overlapped, each block's mean taken off: DC never
counts. Powers are of the samples' own unit squared, a sine of amplitude A having A^2/2. Source:
Kaiser and Schafer, On the use of the I0-sinh window (IEEE Transactions, 1980); Welch, The use of
the fast Fourier transform (1967).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

# bins either side of a line that hold all of it, by this window
LOBE = 8
# a line's neighbours, from which the noise under it is taken
BESIDE = 24
# the window, and of its blocks, overlapped by three quarters, what is new in each
BETA, OVERLAPS, NEW_SHARE = 20.0, 4, 0.45


@dataclass(frozen=True, slots=True)
class Spectrum:
    """Power in each bin (bins,), the spacing of bins in Hz, and how many independent blocks it is
    the mean of. Summed over a band it is the band's power."""

    power: Floats
    spacing_hz: float
    blocks: float

    def bin_of(self, frequency_hz: float) -> int:
        """The bin nearest to a frequency."""
        return round(frequency_hz / self.spacing_hz)

    def band(self, low_hz: float, high_hz: float) -> NDArray[np.bool_]:
        """Which bins lie in a band."""
        at = np.arange(self.power.size) * self.spacing_hz
        return np.asarray((at >= low_hz) & (at <= high_hz))

    def line_bins(self, frequency_hz: float) -> slice:
        """The bins that hold a line."""
        centre = self.bin_of(frequency_hz)
        return slice(max(centre - LOBE, 0), min(centre + LOBE + 1, self.power.size))

    def line(self, frequency_hz: float) -> float:
        """Power of a line, the noise under it taken off by its neighbours' median density."""
        lobe = self.line_bins(frequency_hz)
        here = self.power[lobe]
        return max(float(here.sum()) - self.density_beside(frequency_hz) * here.size, 0.0)

    def density_beside(self, frequency_hz: float) -> float:
        """Noise power in a bin near a frequency, by the median of the bins beside its line: other
        lines there do not count."""
        centre = self.bin_of(frequency_hz)
        low = self.power[max(centre - LOBE - BESIDE, 1) : max(centre - LOBE, 1)]
        high = self.power[centre + LOBE + 1 : centre + LOBE + 1 + BESIDE]
        beside = np.concatenate([low, high])
        if not beside.size:
            return 0.0
        return float(np.median(beside)) / _median_share(self.blocks)

    def peak_hz(self, low_hz: float, high_hz: float) -> float:
        """The frequency of the highest line in a band, between bins by a parabola through the
        logarithms."""
        inside = np.flatnonzero(self.band(low_hz, high_hz))
        if inside.size < 3:
            return 0.0
        at = int(inside[np.argmax(self.power[inside])])
        if not 0 < at < self.power.size - 1 or self.power[at] <= 0.0:
            return at * self.spacing_hz
        a, b, c = np.log(np.maximum(self.power[at - 1 : at + 2], 1e-300))
        bend = a - 2.0 * b + c
        off = 0.5 * (a - c) / bend if bend < 0.0 else 0.0
        return float((at + off) * self.spacing_hz)


def whole_frames(blocks: Iterable[Floats], size: int) -> Iterator[Floats]:
    """Samples that come in pieces of any length, in runs of whole frames of ``size``, shape (k,)
    with k a multiple of it; what is left at the end is left out."""
    left = np.zeros(0)
    for piece in blocks:
        joined = np.concatenate([left, piece]) if left.size else piece
        count = joined.size // size
        if count:
            yield joined[: count * size]
        left = joined[count * size :]


def _median_share(blocks: float) -> float:
    """Median over mean of a mean of so many exponentials: a gamma distribution's, by Wilson and
    Hilferty's approximation."""
    k = max(blocks, 1.0)
    return float((1.0 - 1.0 / (9.0 * k)) ** 3)


class Averaged:
    """Adds up the spectra of blocks of ``size`` samples, overlapped; samples come in pieces of
    any length, and a gap in between is told by ``broken``."""

    def __init__(self, size: int, rate_hz: float, *, overlaps: int = OVERLAPS) -> None:
        self._window = np.kaiser(size + 1, BETA)[:-1]
        self._scale = 2.0 / (size * float(np.sum(self._window**2)))
        self._size, self._rate_hz, self._hop = size, rate_hz, size // overlaps
        self._sum = np.zeros(size // 2 + 1)
        self._count = 0
        self._left = np.zeros(0)

    def add(self, samples: Floats) -> None:
        """Samples that follow the last ones."""
        joined = np.concatenate([self._left, samples]) if self._left.size else samples
        hop = self._hop
        count = max((joined.size - self._size) // hop + 1, 0)
        for n in range(count):
            block = joined[n * hop : n * hop + self._size]
            shown = np.fft.rfft((block - block.mean()) * self._window)
            self._sum += shown.real**2 + shown.imag**2
        self._count += count
        self._left = joined[count * hop :]

    def broken(self) -> None:
        """What comes next does not follow."""
        self._left = np.zeros(0)

    @property
    def blocks(self) -> int:
        """How many blocks were added."""
        return self._count

    def spectrum(self) -> Spectrum:
        """The mean so far."""
        mean = self._sum / max(self._count, 1) * self._scale
        fresh = max(1.0, NEW_SHARE * OVERLAPS * self._hop / self._size * self._count)
        return Spectrum(mean, self._rate_hz / self._size, fresh)
