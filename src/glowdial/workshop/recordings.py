"""Recordings as files: WAV of any depth (RIFF, extensible, RF64) and FLAC, read in blocks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from glowdial.core.audio.recording import LOWEST_RATE_HZ, AudioFigures, audio_figures
from glowdial.core.language.errors import BadInput
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
    import soundfile

    found, refused = [], None
    for channel in range(min(recording.channels, 2)):
        try:
            found.append(
                audio_figures(
                    lambda channel=channel: recording.blocks(channel),  # type: ignore[misc]
                    recording.rate_hz,
                    recording.length_s,
                )
            )
        except BadInput as error:
            refused = error
        except (soundfile.LibsndfileError, RuntimeError) as error:
            raise BadInput("recording", "this file", "breaks off", "a whole file") from error
    if not found and refused is not None:
        raise refused
    return tuple(found)


def looked_at(file: IO[bytes]) -> SumAnswer:
    """What a recording comes to; raises BadInput."""
    recording = open_recording(file)
    return recording_answer(recording_figures(recording), recording.rate_hz)
