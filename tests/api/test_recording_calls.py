"""Recordings sent as they are: figures, refusals in words, nothing kept."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
import soundfile

from api.conftest import Caller

RATE = 48_000


def wav(subtype: str = "PCM_16") -> bytes:
    at = np.arange(4 * RATE) / RATE
    tone = 0.3 * np.sin(2.0 * np.pi * 1000.0 * at)
    file = io.BytesIO()
    hiss = 1e-3 * np.random.default_rng(2).standard_normal(at.size)
    soundfile.write(file, tone + hiss, RATE, format="WAV", subtype=subtype)
    return file.getvalue()


def test_a_recording_comes_back_as_figures_with_its_spectrum(caller: Caller) -> None:
    answer = caller.http.post(
        "/api/recordings", content=wav(), headers={"content-type": "audio/wav"}
    )
    assert answer.status_code == 200, answer.text
    told = answer.json()
    assert told["sentence"].startswith("1000.0 Hz, SINAD")
    lines = {line["label"]: line["text"] for line in told["lines"]}
    # 0.045 over what of 1e-6 lies in the band
    wanted = 10.0 * np.log10(0.045 / (1e-6 * 15e3 / 24e3))
    assert abs(float(lines["S/N"].split()[0]) - wanted) < 0.2
    line = told["plot"]["lines"][0]
    assert max(line["y"]) == pytest.approx(20.0 * np.log10(0.3 / np.sqrt(2.0)), abs=8.0)


@pytest.mark.parametrize(
    ("body", "told"), [(b"", "not a WAV"), (b"RIFF", "not a WAV"), (wav("ULAW"), "compressed")]
)
def test_what_is_no_recording_is_refused_with_its_reason(
    caller: Caller, body: bytes, told: str
) -> None:
    answer = caller.http.post("/api/recordings", content=body)
    assert answer.status_code == 422
    assert told in answer.text


@pytest.mark.parametrize(("level", "off_s"), [(0.3, 0.0), (0.02, 2.0)])
def test_a_recording_is_read_as_the_microphone_would_have_been(
    caller: Caller, level: float, off_s: float
) -> None:
    """The same tone heard live and from a file, also where it was switched off for a part."""
    at = np.arange(4 * RATE) / RATE
    hiss = 1e-4 * np.random.default_rng(2).standard_normal(at.size)
    heard = level * np.sin(2.0 * np.pi * 400.0 * at) * (at >= off_s) + hiss
    file = io.BytesIO()
    soundfile.write(file, heard, RATE, format="WAV", subtype="PCM_24")
    answer = caller.http.post("/api/recordings/tone", content=file.getvalue())
    assert answer.status_code == 200, answer.text
    pcm = base64.b64encode((32767.0 * heard[-RATE // 4 :]).astype("<i2").tobytes()).decode()
    live = caller.http.post("/api/calc/tone", json={"rate_hz": RATE, "pcm": pcm}).json()
    told = answer.json()
    assert told["heard"] and live["heard"]
    assert told["level"] == pytest.approx(live["level"], rel=0.01)
    assert told["tone_hz"] == pytest.approx(400.0, abs=1.0)


def test_a_recording_without_a_tone_gives_no_reading(caller: Caller) -> None:
    file = io.BytesIO()
    noise = 0.1 * np.random.default_rng(3).standard_normal(2 * RATE)
    soundfile.write(file, noise, RATE, format="WAV", subtype="PCM_16")
    told = caller.http.post("/api/recordings/tone", content=file.getvalue()).json()
    assert told["heard"] is False and told["words"] == "no tone is heard"


def test_one_silent_channel_does_not_hide_the_other(caller: Caller) -> None:
    at = np.arange(2 * RATE) / RATE
    tone = 0.3 * np.sin(2.0 * np.pi * 1000.0 * at)
    file = io.BytesIO()
    soundfile.write(file, np.stack([0.0 * tone, tone], axis=1), RATE, format="WAV")
    assert caller.http.post("/api/recordings", content=file.getvalue()).status_code == 200
    both = io.BytesIO()
    soundfile.write(both, np.zeros((RATE, 2)), RATE, format="WAV")
    refused = caller.http.post("/api/recordings", content=both.getvalue())
    assert refused.status_code == 422 and "silent" in refused.text
