"""The response out of a swept or stepped tone, against filters whose response is known."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from glowdial.core.audio.response import tone_response

RATE = 48_000


def pieces(samples: np.ndarray, size: int = 7001) -> Iterator[np.ndarray]:
    return (samples[n : n + size] for n in range(0, samples.size, size))


def swept(seconds: float, low: float, high: float) -> np.ndarray:
    """A tone that rises by the same ratio in the same time."""
    t = np.arange(int(seconds * RATE)) / RATE
    rate = math.log(high / low) / seconds
    return np.asarray(0.3 * np.sin(2.0 * np.pi * low * (np.exp(rate * t) - 1.0) / rate))


def stepped(each_s: float, frequencies: list[float]) -> np.ndarray:
    t = np.arange(int(each_s * RATE)) / RATE
    return np.concatenate([0.3 * np.sin(2.0 * np.pi * f * t) for f in frequencies])


def low_pass(samples: np.ndarray, time_s: float) -> np.ndarray:
    """One pole, exactly, in the spectrum of the whole."""
    spectrum = np.fft.rfft(samples, 2 * samples.size)
    at = np.fft.rfftfreq(2 * samples.size, 1.0 / RATE)
    shaped = spectrum / (1.0 + 2j * np.pi * at * time_s)
    return np.asarray(np.fft.irfft(shaped)[: samples.size])


def pole_db(hz: float, time_s: float) -> float:
    return -10.0 * math.log10(1.0 + (2.0 * math.pi * hz * time_s) ** 2)


STEPS = [60.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 7000.0, 10000.0, 14000.0]


@pytest.mark.parametrize(
    "played",
    [
        lambda: swept(20.0, 50.0, 14_000.0),
        lambda: swept(60.0, 50.0, 14_000.0),
        lambda: swept(20.0, 14_000.0, 50.0),
        lambda: stepped(1.5, STEPS),
    ],
    ids=["sweep", "slow sweep", "falling sweep", "steps"],
)
@pytest.mark.parametrize("time_s", [50e-6, 200e-6])
def test_a_time_constant_shows_as_its_own_response(
    played: Callable[[], np.ndarray], time_s: float
) -> None:
    hiss = 1e-4 * np.random.default_rng(1).standard_normal(played().size)
    found = tone_response(pieces(low_pass(played(), time_s) + hiss), RATE)
    level = dict(found)
    assert len(found) >= len(STEPS)
    at_1k = min(level, key=lambda hz: abs(math.log(hz / 1000.0)))
    for hz, db in found:
        if not 80.0 < hz < 12_000.0:
            continue
        expected = pole_db(hz, time_s) - pole_db(at_1k, time_s)
        assert db - level[at_1k] == pytest.approx(expected, abs=0.5), hz


def test_a_level_is_that_of_the_tone() -> None:
    found = dict(tone_response(pieces(stepped(1.5, STEPS)), RATE))
    assert all(
        db == pytest.approx(20.0 * math.log10(0.3 / math.sqrt(2.0)), abs=0.1)
        for db in found.values()
    )


def test_a_tone_that_stands_still_noise_and_silence_have_none() -> None:
    rng = np.random.default_rng(2)
    assert tone_response(pieces(stepped(20.0, [1000.0])), RATE) == ()
    assert tone_response(pieces(0.1 * rng.standard_normal(20 * RATE)), RATE) == ()
    assert tone_response(pieces(np.zeros(20 * RATE)), RATE) == ()
    assert tone_response(iter(()), RATE) == ()


def test_a_tone_under_noise_is_not_taken_for_a_response() -> None:
    hiss = 0.5 * np.random.default_rng(3).standard_normal(20 * RATE)
    assert tone_response(pieces(0.05 * swept(20.0, 50.0, 14_000.0) + hiss), RATE) == ()
