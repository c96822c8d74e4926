"""Recordings sent as they are: figures, refusals in words, nothing kept."""

from __future__ import annotations

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
