"""Recordings as files: WAV of any depth (RIFF, extensible, RF64) and FLAC, read in blocks."""

from __future__ import annotations

import math
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from glowdial.core.audio.recording import LOWEST_RATE_HZ, AudioFigures, Line, audio_figures
from glowdial.core.audio.response import tone_response
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.tone_level import ToneLevel
from glowdial.core.sums.form import SumAnswer
from glowdial.core.sums.recording import recording_answer

Floats = NDArray[np.float64]

FORMATS = ("WAV", "WAVEX", "RF64", "W64", "FLAC")
# everything else loses what is measured here
LOSSLESS = ("PCM_S8", "PCM_U8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE")
HIGHEST_RATE_HZ, MOST_CHANNELS, LONGEST_S = 384e3, 8, 4.0 * 3600.0
BLOCK = 1 << 16
# samples of all channels that are kept decoded: a minute and more of two channels
MOST_KEPT = 8_000_000
# a tone that was swept or stepped lies so far under all that was heard, anywhere it was
MOVED_DB = 6.0
# more than so many times full scale is no recording
LOUDEST = 1e3


@dataclass(frozen=True)
class Recording:
    """A file that was opened: what its channels hold, in pieces of full scale."""

    rate_hz: float
    channels: int
    length_s: float
    _file: object
    _kept: tuple[Floats, ...] = ()

    @property
    def in_memory(self) -> bool:
        """Whether it was short enough to be kept decoded."""
        return bool(self._kept)

    def blocks(self, channel: int) -> Iterator[Floats]:
        """The samples of a channel from the beginning, in pieces; raises BadInput for what is no
        number."""
        if self._kept:
            yield from (block[:, channel] for block in self._kept)
            return
        self._file.seek(0)  # type: ignore[attr-defined]
        for block in self._file.blocks(BLOCK, dtype="float64", always_2d=True):  # type: ignore[attr-defined]
            _check(block)
            yield block[:, channel]


def _check(block: Floats) -> None:
    if not np.all(np.abs(block) <= LOUDEST):
        raise BadInput("recording", "a sample", "is no number, or far above full scale", "PCM")


def _kept(opened: Any) -> tuple[Floats, ...]:
    """A short recording is decoded once; a long one is read again for each look."""
    if opened.frames * opened.channels > MOST_KEPT:
        return ()
    kept = tuple(b.copy() for b in opened.blocks(BLOCK, dtype="float64", always_2d=True))
    for block in kept:
        _check(block)
    return kept


def open_recording(file: IO[bytes]) -> Recording:
    """A recording from an open file.

    Raises BadInput with the reason: no recording at all, compressed, or beyond what is measured.
    """
    import soundfile  # late: it loads a library

    try:
        opened = soundfile.SoundFile(file)
    except (soundfile.LibsndfileError, RuntimeError, ValueError, TypeError, OSError) as error:
        raise BadInput(
            "recording", "this file", "is not a WAV recording that can be read", "16-bit PCM WAV"
        ) from error
    if opened.format not in FORMATS or opened.subtype not in LOSSLESS:
        raise BadInput(
            "recording",
            f"{opened.format} {opened.subtype}",
            "is compressed, or of a kind that loses what is measured",
            "16- or 24-bit PCM WAV",
        )
    rate, length_s = float(opened.samplerate), opened.frames / max(opened.samplerate, 1)
    if not LOWEST_RATE_HZ <= rate <= HIGHEST_RATE_HZ:
        raise BadInput("sample rate", f"{rate:g} Hz", "must be 8 to 384 kHz", "48000 Hz")
    if not 1 <= opened.channels <= MOST_CHANNELS:
        raise BadInput("channels", f"{opened.channels}", "must be 1 to 8", "2")
    if length_s > LONGEST_S:
        raise BadInput("recording", f"{length_s / 3600:.1f} h", "is over four hours", "an hour")
    return Recording(rate, opened.channels, length_s, opened, _kept(opened))


def recording_figures(recording: Recording) -> tuple[AudioFigures, ...]:
    """The figures of the first two channels; of one that is silent beside one that is not, none.

    Raises BadInput where every channel is silent, and for what cannot be read to its end.
    """
    channels = range(min(recording.channels, 2))
    # two at a time where both are in memory: the transforms leave the interpreter alone
    workers = len(channels) if recording.in_memory else 1
    found, refused = [], []
    with ThreadPoolExecutor(max_workers=workers) as pool:
        for looked in [pool.submit(_channel, recording, channel) for channel in channels]:
            try:
                found.append(looked.result())
            except _NoFigures as reason:
                refused.append(reason)
    if not found:
        raise refused[-1].why
    return tuple(found)


class _NoFigures(Exception):
    """A channel of which there is nothing to tell, and why; another may have it."""

    def __init__(self, why: BadInput) -> None:
        self.why = why


def _channel(recording: Recording, channel: int) -> AudioFigures:
    """The figures of a channel; raises BadInput for a file that breaks off."""
    import soundfile

    try:
        figures = audio_figures(
            lambda: recording.blocks(channel), recording.rate_hz, recording.length_s
        )
        if figures.tone_db > figures.level_db - MOVED_DB:
            return figures
        heard = tone_response(recording.blocks(channel), recording.rate_hz)
        return replace(figures, response=tuple(Line(hz, db) for hz, db in heard))
    except BadInput as error:
        raise _NoFigures(error) from error
    except (soundfile.LibsndfileError, RuntimeError) as error:
        raise BadInput("recording", "this file", "breaks off", "a whole file") from error


def tone_heard(file: IO[bytes]) -> ToneLevel:
    """The test tone of a recording as the microphone would have told it, of the louder channel;
    where it was switched on and off, while it was on. Raises BadInput."""
    figures = max(recording_figures(open_recording(file)), key=lambda f: f.tone_db)
    peak = math.sqrt(2.0) * 10.0 ** (figures.tone_db / 20.0)
    return ToneLevel(figures.tone_hz, peak, figures.snr_db, figures.clipped)


def looked_at(file: IO[bytes]) -> SumAnswer:
    """What a recording comes to; raises BadInput."""
    recording = open_recording(file)
    return recording_answer(recording_figures(recording), recording.rate_hz)
