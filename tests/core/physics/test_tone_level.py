"""A tone heard among other sounds: constructed signals with known answers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.tone_level import tone_level

RATE_HZ = 48_000.0


def sound(
    seconds: float = 0.25, rate_hz: float = RATE_HZ, **tones: tuple[float, float]
) -> np.ndarray:
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    made = [a * np.sin(2.0 * math.pi * f * t + 0.7 * n) for n, (f, a) in enumerate(tones.values())]
    return np.asarray(np.sum(made, axis=0))


@settings(max_examples=60, deadline=None)
@given(st.floats(330.0, 1150.0), st.floats(1e-3, 0.9), st.sampled_from([8e3, 44.1e3, 48e3, 96e3]))
def test_a_clean_tone_is_what_it_is(hz: float, level: float, rate_hz: float) -> None:
    found = tone_level(sound(0.25, rate_hz, tone=(hz, level)), rate_hz)
    assert found.heard and not found.clipped
    assert found.tone_hz == pytest.approx(hz, abs=0.2)
    assert 20.0 * abs(math.log10(found.level / level)) < 0.05


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([400.0, 1000.0]))
def test_hum_talk_and_noise_stay_out(seed: int, hz: float) -> None:
    """Hum twice as strong, a voice beside it, noise of the same power: 0.25 dB of a quarter of a
    second (its noise within the line's few hertz)."""
    rng = np.random.default_rng(seed)
    heard = sound(0.25, hum=(50.0, 0.1), second=(100.0, 0.05), tone=(hz, 0.05), talk=(220.0, 0.04))
    heard = heard + 0.05 / math.sqrt(2.0) * rng.standard_normal(heard.size)
    found = tone_level(heard, RATE_HZ)
    assert found.heard and found.tone_hz == pytest.approx(hz, abs=1.0)
    assert abs(found.level / 0.05 - 1.0) < 0.08


def test_what_is_no_tone_is_not_heard_as_one() -> None:
    heard = [
        tone_level(0.02 * np.random.default_rng(n).standard_normal(12_000), RATE_HZ).heard
        for n in range(200)
    ]
    assert sum(heard) <= 2
    assert not tone_level(np.zeros(12_000), RATE_HZ).heard
    assert not tone_level(sound(tone=(400.0, 1e-5)), RATE_HZ).heard


def test_what_is_cut_off_is_said() -> None:
    assert tone_level(np.clip(sound(tone=(400.0, 1.6)), -1.0, 1.0), RATE_HZ).clipped
    assert not tone_level(sound(tone=(400.0, 0.95)), RATE_HZ).clipped


@pytest.mark.parametrize(
    ("samples", "rate_hz"),
    [
        (np.zeros(100), 48e3),
        (np.zeros(48_000 * 11), 48e3),
        (np.zeros(48_000), 4e3),
        (np.full(12_000, np.nan), 48e3),
    ],
)
def test_what_cannot_be_sound_is_refused(samples: np.ndarray, rate_hz: float) -> None:
    with pytest.raises(BadInput):
        tone_level(samples, rate_hz)
