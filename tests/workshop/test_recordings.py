"""Recordings as files: every depth reads alike, what is no recording is refused in words, and no
mutation of a file is an error of ours."""

from __future__ import annotations

import io
import time

import numpy as np
import pytest
import soundfile

from glowdial.core.language.errors import BadInput
from glowdial.core.sums.recording import recording_answer
from glowdial.workshop.recordings import open_recording, recording_figures

RATE = 48000
MUTATED = 7000


def samples(seconds: float = 3.0, rate: int = RATE) -> np.ndarray:
    at = np.arange(int(seconds * rate)) / rate
    hiss = np.random.default_rng(3).standard_normal(at.size)
    return 0.3 * np.sin(2.0 * np.pi * 1000.0 * at) + 1e-2 * hiss


def wav(data: np.ndarray, subtype: str = "PCM_16", kind: str = "WAV", rate: int = RATE) -> bytes:
    file = io.BytesIO()
    soundfile.write(file, data, rate, format=kind, subtype=subtype)
    return file.getvalue()


@pytest.mark.parametrize(
    ("kind", "subtype"),
    [
        ("WAV", "PCM_16"),
        ("WAV", "PCM_24"),
        ("WAV", "PCM_32"),
        ("WAV", "FLOAT"),
        ("WAVEX", "PCM_24"),
        ("RF64", "PCM_16"),
        ("FLAC", "PCM_16"),
    ],
)
def test_every_depth_reads_alike(kind: str, subtype: str) -> None:
    two = np.column_stack([samples(), 0.5 * samples()])
    recording = open_recording(io.BytesIO(wav(two, subtype, kind)))
    left, right = recording_figures(recording)
    assert left.tone_hz == pytest.approx(1000.0, abs=0.01)
    assert left.snr_db == pytest.approx(right.snr_db, abs=0.05)
    assert left.tone_db - right.tone_db == pytest.approx(6.02, abs=0.01)
    said = recording_answer((left, right), recording.rate_hz)
    assert said.sentence.startswith("Left: 1000.0 Hz, SINAD") and said.plot is not None
    assert any("57 kHz lie beyond" in line.text for line in said.lines)


def test_a_swept_tone_is_told_as_a_response() -> None:
    at = np.arange(10 * RATE) / RATE
    rate = np.log(200.0) / 10.0
    sweep = 0.3 * np.sin(2.0 * np.pi * 50.0 * (np.exp(rate * at) - 1.0) / rate)
    recording = open_recording(io.BytesIO(wav(sweep)))
    found = recording_figures(recording)
    assert len(found[0].response) > 20
    said = recording_answer(found, recording.rate_hz)
    assert "swept or stepped from" in said.sentence and said.plot is not None
    assert said.plot.title == "Response" and said.plot.decades


def test_one_silent_channel_is_left_out_and_two_are_refused() -> None:
    half = np.column_stack([samples(), np.zeros(samples().size)])
    assert len(recording_figures(open_recording(io.BytesIO(wav(half))))) == 1
    with pytest.raises(BadInput, match="silent"):
        recording_figures(open_recording(io.BytesIO(wav(0.0 * half))))


@pytest.mark.parametrize(
    ("file", "told"),
    [
        (b"", "not a WAV"),
        (b"RIFF\x00\x00\x00\x00WAVE", "not a WAV"),
        (b"ID3\x04 something else altogether", "not a WAV"),
        (wav(samples(), "IMA_ADPCM"), "compressed"),
        (wav(samples(), "ULAW"), "compressed"),
        (wav(samples(), kind="AIFF"), "compressed"),
        (wav(samples(rate=4000), rate=4000), "8 to 384"),
        (wav(samples(0.1)), "too short"),
    ],
)
def test_what_is_no_measurable_recording_is_refused(file: bytes, told: str) -> None:
    with pytest.raises(BadInput, match=told):
        recording_figures(open_recording(io.BytesIO(file)))


def test_numbers_that_are_none_are_refused() -> None:
    broken = samples()
    broken[5000] = np.nan
    with pytest.raises(BadInput, match="no number"):
        recording_figures(open_recording(io.BytesIO(wav(broken, "FLOAT"))))


def test_mutated_files_are_read_or_refused_and_never_hang() -> None:
    """Bytes changed, cut off, doubled, headers that lie about lengths and kinds."""
    rng = np.random.default_rng(17)
    whole = [wav(samples(0.8), s) for s in ("PCM_16", "PCM_24", "FLOAT")]
    longest = 0.0
    for n in range(MUTATED):
        file = bytearray(whole[n % len(whole)])
        for _ in range(int(rng.integers(1, 6))):
            at = int(rng.integers(0, 80 if rng.random() < 0.7 else len(file)))
            file[at] = int(rng.integers(0, 256))
        if rng.random() < 0.3:
            file = file[: int(rng.integers(0, len(file)))]
        begun = time.thread_time()
        try:
            recording = open_recording(io.BytesIO(bytes(file)))
            recording_answer(recording_figures(recording), recording.rate_hz)
        except BadInput:
            pass
        longest = max(longest, time.thread_time() - begun)
    # of this thread's own work: what else the machine does is no fault of a file
    assert longest < 2.0
