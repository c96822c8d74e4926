"""What a recording of a receiver's output comes to: level, noise, distortion, hum, each with its
doubt, for a test tone that is found by itself, and for an on/off pair where there is one.

(S+N)/N is the total output with the tone on over that with it off, in the same band; S/N, SINAD and
THD+N are of the part with the tone, the noise that lies under tone, harmonics and hum lines added
back by what stands beside them. THD is relative to the fundamental. Levels are RMS of full scale.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.audio.spectrum import LOBE, Averaged, Spectrum, whole_frames
from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]
Blocks = Callable[[], Iterable[Floats]]

LOWEST_RATE_HZ, LEAST_S = 8e3, 0.5
# about the resolution of the figures, and of the search for where the tone is on
FINE_S, GLANCE_S = 1.2, 0.08
NORM_BAND_HZ = (30.0, 15e3)
TONE_BAND_HZ = (150.0, 6e3)
HARMONICS, HUM_LINES = 10, 12
SILENT = 1e-6
# power of what is no sound at all, the rounding of the sums
NONE = 1e-20
# so many samples in a row at the greatest value are a clipped top
CLIPPED_RUN, CLIPPED_AT = 3, 0.02
# where nothing at all is heard for so long, not even noise, samples were lost or the input muted
HOLE_S = 2e-3
# a tone that is on stands so far above one that is off, in dB, each for at least so long
ON_OFF_DB, LEAST_PART_S = 6.0, 0.4
# a line that stands so far above its neighbours is one, in dB
LINE_DB = 8.0
NINETY_FIVE = 1.96
# of a recording so much counts in spectra whose windows leave its ends out
WINDOWED = 0.7
# of a level over time
MOST_PLACES = 300


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the spectrum: its frequency in Hz and its level in dB of full scale, RMS."""

    frequency_hz: float
    level_db: float


@dataclass(frozen=True, slots=True)
class AudioFigures:
    """The figures of one channel; ratios in dB, THD and THD+N in per cent.

    ``on_off_db`` is (S+N)/N by an on/off pair, None where the tone was on all the time. A figure of
    noise is good to ``noise_doubt_db`` (95 %), by bandwidth and time. ``sinad_without_hum_db``
    leaves the hum lines out of the noise. ``mains_hz`` is 50 or 60, 0 where no hum stands out.
    ``over_time`` is the tone's level in dB of full scale over the recording's seconds.
    ``response`` is what a tone that was swept or stepped came through at, empty for one that stood
    still. ``lost_s`` are the seconds in ``holes`` places that hold no sound at all.
    """

    level_db: float
    tone_hz: float
    tone_db: float
    snr_db: float
    sinad_db: float
    sinad_without_hum_db: float
    thd_percent: float
    thd_plus_noise_percent: float
    harmonics: tuple[Line, ...]
    hum: tuple[Line, ...]
    mains_hz: float
    noise_doubt_db: float
    on_off_db: float | None
    on_s: float
    off_s: float
    clipped: bool
    spectrum: Spectrum
    response: tuple[Line, ...] = ()
    over_time: tuple[tuple[float, float], ...] = ()
    holes: int = 0
    lost_s: float = 0.0

    def hum_words(self) -> tuple[str, ...]:
        """The likely causes of the hum lines, the strongest first."""
        if not self.hum:
            return ()
        strongest = max(self.hum, key=lambda line: line.level_db)
        order = round(strongest.frequency_hz / self.mains_hz)
        shown = f"{strongest.frequency_hz:.0f} Hz at {strongest.level_db:.0f} dB is the strongest"
        if order == 1:
            cause = "one half-wave, a heater, the lead or the pick-up of a magnetic field"
        elif order == 2:
            cause = "the full-wave supply: its filter capacitors, or one half of the rectifier gone"
        elif order % 2:
            cause = "a magnetic field, as of a transformer near the pick-up"
        else:
            cause = "the rectifier's pulses: a dried-out filter, or a ground lead in their way"
        return (f"Hum of {self.mains_hz:.0f} Hz mains: {shown}: likely {cause}.",)


def audio_figures(
    blocks: Blocks,
    rate_hz: float,
    length_s: float,
    *,
    band_hz: tuple[float, float] = NORM_BAND_HZ,
) -> AudioFigures:
    """The figures of one channel whose samples ``blocks()`` gives anew each time, in pieces of
    shape (n,), full scale being 1. It is read three times.

    Raises BadInput for a rate below 8 kHz, less than half a second, silence, or no samples.
    """
    if rate_hz < LOWEST_RATE_HZ:
        raise BadInput("sample rate", f"{rate_hz:g} Hz", "must be 8 kHz or more", "48000 Hz")
    if length_s < LEAST_S:
        raise BadInput("recording", f"{length_s:.2f} s", "is too short: half a second", "10 s")
    high_hz = min(band_hz[1], 0.45 * rate_hz)
    band = (band_hz[0], high_hz)
    fine = _size(min(FINE_S, length_s / 2.0), rate_hz)
    first = _first_pass(blocks(), rate_hz, fine)
    tone_hz = first.spectrum.peak_hz(TONE_BAND_HZ[0], min(TONE_BAND_HZ[1], high_hz))
    glances = _glances(blocks(), rate_hz, tone_hz)
    on, off = _on_and_off(glances)
    if not off.any():
        whole = Averaged(fine, rate_hz)
        for piece in blocks():
            whole.add(piece)
        found_hz = whole.spectrum().peak_hz(TONE_BAND_HZ[0], min(TONE_BAND_HZ[1], high_hz))
        found = _figures(first, whole.spectrum(), None, band, found_hz, length_s, 0.0)
        return replace(found, over_time=_over_time(glances))
    spectrum_on, spectrum_off, on_s, off_s = _apart(blocks(), rate_hz, fine, on, off)
    silence = _band_power(spectrum_off, band)
    # against no sound at all there is no ratio: that was no set without its tone
    told_db = (
        10.0 * math.log10(_band_power(spectrum_on, band) / silence) if silence > NONE else None
    )
    found_hz = spectrum_on.peak_hz(TONE_BAND_HZ[0], min(TONE_BAND_HZ[1], high_hz))
    found = _figures(first, spectrum_on, told_db, band, found_hz, on_s, off_s)
    return replace(found, over_time=_over_time(glances))


@dataclass(frozen=True, slots=True)
class _First:
    """The whole recording at once: its spectrum, RMS, whether tops are cut off, and in how many
    places and seconds there is no sound at all."""

    spectrum: Spectrum
    rms: float
    clipped: bool
    holes: int
    lost_s: float


def _size(seconds: float, rate_hz: float) -> int:
    """A power of two of samples, about so long."""
    return int(2 ** max(math.floor(math.log2(max(seconds * rate_hz, 256.0))), 8))


def _first_pass(blocks: Iterable[Floats], rate_hz: float, size: int) -> _First:
    # only to find the tone: half of the blocks will do
    averaged = Averaged(size, rate_hz, overlaps=2)
    whole, squares, count = 0.0, 0.0, 0
    top, runs = 0.0, 0
    silence = _Silence(math.ceil(HOLE_S * rate_hz))
    for piece in blocks:
        if not piece.size:
            continue
        averaged.add(piece)
        whole += float(piece.sum())
        squares += float(np.dot(piece, piece))
        count += piece.size
        most = float(np.max(np.abs(piece)))
        if most > top * (1.0 + 1e-9):
            top, runs = most, 0
        if most >= top * (1.0 - 1e-9):
            runs += len(_runs(np.abs(piece) >= top * (1.0 - 1e-6), CLIPPED_RUN))
        silence.add(piece == 0.0)
    silence.ended()
    if not count or not averaged.blocks:
        raise BadInput("recording", f"{count} samples", "holds too little to be looked at", "10 s")
    rms = math.sqrt(max(squares / count - (whole / count) ** 2, 0.0))
    if rms < SILENT:
        raise BadInput("recording", f"{rms:.1e} of full scale", "is silent", "a louder input")
    # no sine stands at its greatest value for several samples in a row
    clipped = runs > CLIPPED_AT * count / rate_hz and runs > 2
    return _First(averaged.spectrum(), rms, clipped, silence.holes, silence.lost / rate_hz)


class _Silence:
    """Counts runs of at least so many samples without any sound, across the ends of pieces."""

    def __init__(self, least: int) -> None:
        self.holes, self.lost = 0, 0
        self._least, self._run = least, 0

    def add(self, at: NDArray[np.bool_]) -> None:
        """The next piece: where it holds no sound."""
        if at.all():
            self._run += at.size
            return
        before, after = int(np.argmin(at)), int(np.argmin(at[::-1]))
        self._run += before
        self.ended()
        for run in _runs(at[before : at.size - after], self._least):
            self._count(run)
        self._run = after

    def ended(self) -> None:
        """No more of the same silence comes."""
        self._count(self._run)
        self._run = 0

    def _count(self, run: int) -> None:
        if run >= self._least:
            self.holes, self.lost = self.holes + 1, self.lost + run


def _runs(at: NDArray[np.bool_], least: int) -> list[int]:
    """How many samples in a row are so, of each run of at least so many."""
    if np.count_nonzero(at) < least:
        return []
    edges = np.flatnonzero(np.diff(np.concatenate([[0], at.astype(np.int8), [0]])))
    return [int(length) for length in edges[1::2] - edges[::2] if length >= least]


@dataclass(frozen=True, slots=True)
class _Glances:
    """Power of the tone in each glance (n,), samples a glance, and samples a second."""

    tone: Floats
    size: int
    rate_hz: float


def _glances(blocks: Iterable[Floats], rate_hz: float, tone_hz: float) -> _Glances:
    """The tone's power glance by glance, by correlation with it under a smooth window."""
    size = _size(GLANCE_S, rate_hz)
    window = np.hanning(size)
    turn = np.exp(-2j * np.pi * tone_hz / rate_hz * np.arange(size)) * window
    scale = 2.0 / float(window.sum()) ** 2
    found: list[Floats] = []
    for run in whole_frames(blocks, size):
        shaped = run.reshape(-1, size)
        centred = shaped - shaped.mean(axis=1, keepdims=True)
        found.append(scale * np.abs(centred @ turn) ** 2)
    return _Glances(np.concatenate(found) if found else np.zeros(0), size, rate_hz)


def _over_time(glances: _Glances) -> tuple[tuple[float, float], ...]:
    """The tone's level over time, no more than a few hundred places of it."""
    whole = glances.tone.size
    each = max(1, math.ceil(whole / MOST_PLACES))
    count = whole // each
    mean = glances.tone[: count * each].reshape(count, each).mean(axis=1)
    step_s = each * glances.size / glances.rate_hz
    return tuple((float((n + 0.5) * step_s), _db(float(p))) for n, p in enumerate(mean))


def _on_and_off(glances: _Glances) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """In which glances the tone is on and in which off, those at a change left out; none is off
    where it was on all the time."""
    nothing = np.zeros(glances.tone.size, dtype=bool)
    if glances.tone.size < 8:
        return ~nothing, nothing
    level = 10.0 * np.log10(np.maximum(glances.tone, 1e-20))
    low, high = np.percentile(level, [8.0, 92.0])
    for _ in range(12):
        middle = 0.5 * (low + high)
        above = level > middle
        if not above.any() or above.all():
            return ~nothing, nothing
        low, high = float(np.median(level[~above])), float(np.median(level[above]))
    if high - low < ON_OFF_DB:
        return ~nothing, nothing
    on, off = _inner(above), _inner(~above)
    least = LEAST_PART_S * glances.rate_hz / glances.size
    if np.count_nonzero(on) < least or np.count_nonzero(off) < least:
        return ~nothing, nothing
    return on, off


def _inner(state: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Glances whose neighbours are alike."""
    padded = np.concatenate([[state[0]], state, [state[-1]]])
    return np.asarray(padded[:-2] & padded[1:-1] & padded[2:])


def _apart(
    blocks: Iterable[Floats],
    rate_hz: float,
    size: int,
    on: NDArray[np.bool_],
    off: NDArray[np.bool_],
) -> tuple[Spectrum, Spectrum, float, float]:
    """The spectra of the parts with the tone and without, and how long each is."""
    glance = _size(GLANCE_S, rate_hz)
    longest = min(_longest(on), _longest(off)) * glance
    size = min(size, _size(longest / rate_hz, rate_hz))
    sums = {True: Averaged(size, rate_hz), False: Averaged(size, rate_hz)}
    states = np.where(on, 1, np.where(off, 0, -1))
    before, at = -1, 0
    for run in whole_frames(blocks, glance):
        here = states[at : at + run.size // glance]
        at += here.size
        edges = [0, *(np.flatnonzero(np.diff(here)) + 1), here.size]
        for start, end in itertools.pairwise(edges):
            state = int(here[start]) if end > start else -1
            if state != before and before >= 0:
                sums[bool(before)].broken()
            if state >= 0:
                sums[bool(state)].add(run[start * glance : end * glance])
            before = state
    seconds = glance / rate_hz
    return (
        sums[True].spectrum(),
        sums[False].spectrum(),
        float(np.count_nonzero(on)) * seconds,
        float(np.count_nonzero(off)) * seconds,
    )


def _longest(state: NDArray[np.bool_]) -> int:
    return max(_runs(state, 1))


def _band_power(spectrum: Spectrum, band: tuple[float, float]) -> float:
    return float(spectrum.power[spectrum.band(*band)].sum())


def _figures(
    first: _First,
    spectrum: Spectrum,
    on_off_db: float | None,
    band: tuple[float, float],
    tone_hz: float,
    on_s: float,
    off_s: float,
) -> AudioFigures:
    tone = spectrum.line(tone_hz)
    top = band[1]
    harmonic_hz = [n * tone_hz for n in range(2, HARMONICS + 1) if n * tone_hz < top]
    overtones = [(hz, spectrum.line(hz)) for hz in harmonic_hz]
    mains_hz, hum = _hum(spectrum, [tone_hz, *harmonic_hz], top)
    inside = spectrum.band(*band)
    rest, missing = np.where(inside, spectrum.power, 0.0), 0.0
    for hz in (tone_hz, *harmonic_hz, *(hz for hz, _ in hum)):
        lobe = spectrum.line_bins(hz)
        missing += spectrum.density_beside(hz) * float(np.count_nonzero(rest[lobe]))
        rest[lobe] = 0.0
    noise = float(rest.sum()) + missing
    distortion, hummed = sum(p for _, p in overtones), sum(p for _, p in hum)
    all_but = noise + distortion + hummed
    bandwidth = float(np.count_nonzero(inside)) * spectrum.spacing_hz
    seen = max(bandwidth * on_s * WINDOWED, 1.0)
    doubt = NINETY_FIVE * 10.0 / math.log(10.0) / math.sqrt(seen)
    return AudioFigures(
        level_db=20.0 * math.log10(first.rms),
        tone_hz=tone_hz,
        tone_db=_db(tone),
        snr_db=_db(tone) - _db(noise),
        sinad_db=_db(tone + all_but) - _db(all_but),
        sinad_without_hum_db=_db(tone + all_but) - _db(all_but - hummed),
        thd_percent=100.0 * math.sqrt(distortion / max(tone, 1e-30)),
        thd_plus_noise_percent=100.0 * math.sqrt(all_but / max(tone, 1e-30)),
        harmonics=tuple(Line(hz, _db(p)) for hz, p in overtones),
        hum=tuple(Line(hz, _db(p)) for hz, p in hum),
        mains_hz=mains_hz,
        noise_doubt_db=doubt,
        on_off_db=on_off_db,
        on_s=on_s,
        off_s=off_s,
        clipped=first.clipped,
        holes=first.holes,
        lost_s=first.lost_s,
        spectrum=spectrum,
    )


def _hum(
    spectrum: Spectrum, taken_hz: list[float], top_hz: float
) -> tuple[float, list[tuple[float, float]]]:
    """Which mains, and the lines at its multiples that stand out and are no part of the tone."""
    best: tuple[float, float, list[tuple[float, float]]] = (0.0, 0.0, [])
    apart_hz = 2.0 * LOBE * spectrum.spacing_hz
    for mains_hz in (50.0, 60.0):
        lines = []
        for n in range(1, HUM_LINES + 1):
            hz = n * mains_hz
            if hz > top_hz or any(abs(hz - t) < apart_hz for t in taken_hz):
                continue
            power, beside = spectrum.line(hz), spectrum.density_beside(hz)
            centre = spectrum.bin_of(hz)
            peak = float(np.max(spectrum.power[max(centre - 2, 0) : centre + 3]))
            if beside > 0.0 and 10.0 * math.log10(peak / beside) > LINE_DB + 10.0 / math.sqrt(
                spectrum.blocks
            ):
                lines.append((hz, power))
        whole = sum(p for _, p in lines)
        if whole > best[0]:
            best = (whole, mains_hz, lines)
    return best[1], best[2]


def _db(power: float) -> float:
    return 10.0 * math.log10(max(power, 1e-30))
