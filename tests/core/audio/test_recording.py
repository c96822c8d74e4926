"""Figures of constructed recordings whose every part is known, and what is refused."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np
import pytest

from glowdial.core.audio.recording import NORM_BAND_HZ, AudioFigures, audio_figures
from glowdial.core.language.errors import BadInput
from glowdial.core.sums.recording import recording_answer

RATE = 48e3


def pieces(samples: np.ndarray, size: int = 7001) -> Callable[[], Iterator[np.ndarray]]:
    """In pieces of an odd length: where they end must not matter."""
    return lambda: (samples[n : n + size] for n in range(0, samples.size, size))


def figures(samples: np.ndarray, rate: float = RATE) -> AudioFigures:
    return audio_figures(pieces(samples), rate, samples.size / rate)


def tone(hz: float, seconds: float, amplitude: float = 0.3, rate: float = RATE) -> np.ndarray:
    return amplitude * np.sin(2.0 * np.pi * hz * np.arange(int(seconds * rate)) / rate + 0.3)


def test_the_tone_over_time_shows_when_it_was_on() -> None:
    at = np.arange(int(20.0 * RATE)) / RATE
    found = figures(tone(1000.0, 20.0) * ((at // 5.0) % 2 == 0) + noise(20.0, 1e-3, 5))
    levels = dict(found.over_time)
    assert 100 < len(levels) <= 300 and max(levels) < 20.0
    on = [db for s, db in levels.items() if s % 10.0 < 4.5 and s % 5.0 > 0.5]
    off = [db for s, db in levels.items() if s % 10.0 > 5.5 and s % 5.0 < 4.5]
    assert min(on) == pytest.approx(20.0 * math.log10(0.3 / math.sqrt(2.0)), abs=0.2)
    assert max(off) < min(on) - 40.0


def noise(seconds: float, rms: float, seed: int, rate: float = RATE) -> np.ndarray:
    return rms * np.random.default_rng(seed).standard_normal(int(seconds * rate))


def in_band(samples: np.ndarray, rate: float = RATE) -> float:
    """Power that is really in the band, by one transform of the whole."""
    shown = np.abs(np.fft.rfft(samples)) ** 2
    hz = np.fft.rfftfreq(samples.size, 1.0 / rate)
    inside = (hz >= NORM_BAND_HZ[0]) & (hz <= NORM_BAND_HZ[1])
    return float(2.0 * shown[inside].sum() / samples.size**2)


@pytest.mark.parametrize("wanted_db", [-10, 0, 10, 20, 40, 60, 80])
@pytest.mark.parametrize("hz", [400.0, 1000.0, 997.3])
def test_a_signals_noise_is_the_noise_really_in_the_recording(wanted_db: int, hz: float) -> None:
    signal = tone(hz, 10.0)
    share = NORM_BAND_HZ[1] / (RATE / 2.0)
    rms = math.sqrt(0.3**2 / 2.0 / 10.0 ** (wanted_db / 10.0) / share)
    hiss = noise(10.0, rms, wanted_db + 100)
    found = figures(signal + hiss)
    true_db = 10.0 * math.log10(0.3**2 / 2.0 / in_band(hiss))
    allowed = 0.1 if wanted_db >= 10 else 0.3
    assert abs(found.tone_hz - hz) < 0.05 * max(1.0, 10.0 ** (-wanted_db / 20.0))
    assert found.snr_db == pytest.approx(true_db, abs=allowed)
    sinad = 10.0 * math.log10(1.0 + 10.0 ** (true_db / 10.0))
    assert found.sinad_db == pytest.approx(sinad, abs=allowed)
    assert not found.hum and found.on_off_db is None


@pytest.mark.parametrize("percent", [0.1, 1.0, 10.0])
def test_distortion_is_relative_to_the_fundamental(percent: float) -> None:
    second, third = 0.8 * percent / 100.0, 0.6 * percent / 100.0
    samples = tone(1000.0, 8.0) + tone(2000.0, 8.0, 0.3 * second) + tone(3000.0, 8.0, 0.3 * third)
    samples += noise(8.0, 1e-5, 5)
    found = figures(samples)
    assert found.thd_percent == pytest.approx(percent, rel=0.01)
    levels = [line.level_db - found.tone_db for line in found.harmonics[:2]]
    assert levels == pytest.approx([20 * math.log10(second), 20 * math.log10(third)], abs=0.1)
    assert found.thd_plus_noise_percent >= found.thd_percent


@pytest.mark.parametrize("mains", [50.0, 60.0])
@pytest.mark.parametrize(("order", "cause"), [(1, "heater"), (2, "full-wave"), (6, "rectifier's")])
def test_hum_lines_are_told_from_noise_with_their_mains_and_cause(
    mains: float, order: int, cause: str
) -> None:
    samples = tone(1000.0, 12.0) + noise(12.0, 1e-3, 6)
    samples += tone(order * mains, 12.0, 0.01) + tone(4 * mains, 12.0, 0.002)
    found = figures(samples)
    assert found.mains_hz == mains
    strongest = max(found.hum, key=lambda line: line.level_db)
    assert strongest.frequency_hz == order * mains
    assert strongest.level_db == pytest.approx(20.0 * math.log10(0.01 / math.sqrt(2)), abs=0.1)
    assert cause in found.hum_words()[0]
    # without the hum it is the noise alone
    true_db = 10.0 * math.log10(0.045 / in_band(noise(12.0, 1e-3, 6)))
    assert found.sinad_without_hum_db == pytest.approx(true_db, abs=0.1)
    assert found.sinad_db < found.sinad_without_hum_db


@pytest.mark.parametrize("ratio_db", [3.0, 10.0, 30.0])
def test_a_pair_of_tone_on_and_off_is_found_by_itself(ratio_db: float) -> None:
    """The carrier's noise stays, the tone comes and goes at uneven times."""
    seconds, edges = 24.0, [0.0, 3.1, 8.4, 13.7, 20.2, 24.0]
    hiss = noise(seconds, 0.02, 7)
    wanted = (10.0 ** (ratio_db / 10.0) - 1.0) * in_band(hiss)
    beat = tone(400.0, seconds, math.sqrt(2.0 * wanted))
    on = np.zeros(beat.size)
    for a, b in zip(edges[::2], edges[1::2], strict=False):
        on[int(a * RATE) : int(b * RATE)] = 1.0
    found = figures(beat * on + hiss)
    assert found.on_off_db == pytest.approx(ratio_db, abs=0.15)
    assert found.on_s == pytest.approx(on.mean() * seconds, abs=1.2)
    assert found.off_s == pytest.approx((1.0 - on.mean()) * seconds, abs=1.2)


def test_dc_counts_nowhere_and_pieces_do_not_matter() -> None:
    samples = tone(400.0, 6.0) + noise(6.0, 1e-3, 8)
    plain, shifted = figures(samples), figures(samples + 0.4)
    assert shifted.snr_db == pytest.approx(plain.snr_db, abs=0.01)
    assert shifted.level_db == pytest.approx(plain.level_db, abs=1e-6)
    whole = audio_figures(lambda: [samples], RATE, 6.0)
    assert whole.snr_db == pytest.approx(plain.snr_db, abs=1e-9)


def test_cut_off_tops_are_seen_and_full_ones_are_not_called_so() -> None:
    assert figures(np.clip(tone(400.0, 4.0, 1.4), -1.0, 1.0)).clipped
    assert not figures(tone(400.0, 4.0, 1.0)).clipped
    assert not figures(np.round(tone(997.0, 4.0, 0.9) * 32767) / 32768).clipped


@pytest.mark.parametrize("lost_s", [(), (0.005,), (0.003, 0.01, 0.4)])
def test_places_without_any_sound_are_counted_and_said(lost_s: tuple[float, ...]) -> None:
    samples = np.round((tone(400.0, 8.0) + noise(8.0, 2e-4, 11)) * 32767) / 32768
    for place, seconds in enumerate(lost_s, 1):
        samples[int(place * RATE) : int((place + seconds) * RATE)] = 0.0
    found = figures(samples)
    assert found.holes == len(lost_s)
    assert found.lost_s == pytest.approx(sum(lost_s), abs=1e-3)
    said = recording_answer((found,), RATE).sentence
    where = {0: "", 1: "In one place", 3: "In 3 places"}[len(lost_s)]
    assert where in said and ("no sound at all" in said) == bool(lost_s)


def test_a_muted_input_is_no_noise_to_hold_a_tone_against() -> None:
    """Switched off at the recorder and not at the generator: (S+N)/N of it would be 280 dB."""
    on = (np.arange(int(20.0 * RATE)) // int(5.0 * RATE)) % 2 == 0
    found = figures((tone(400.0, 20.0) + noise(20.0, 1e-3, 12)) * on)
    assert found.on_off_db is None and found.holes == 2
    assert found.lost_s == pytest.approx(10.0, abs=0.01)
    quiet = figures(tone(400.0, 20.0) * on + np.round(noise(20.0, 1e-5, 13) * 32768) / 32768)
    assert quiet.on_off_db is not None and quiet.on_off_db > 70.0


def test_the_doubt_covers_the_scatter_of_short_recordings() -> None:
    """The noise of its law against the noise of the moment: 95 of 100 within the stated doubt."""
    inside = 0
    expected = 10.0 * math.log10(0.045 / (1e-4 * NORM_BAND_HZ[1] / (RATE / 2.0)))
    for seed in range(60):
        found = figures(tone(1000.0, 1.0) + noise(1.0, 1e-2, 500 + seed))
        inside += abs(found.snr_db - expected) <= found.noise_doubt_db
    assert inside >= 52


@pytest.mark.parametrize(
    ("samples", "rate", "told"),
    [
        (np.zeros(96000), RATE, "silent"),
        (tone(400.0, 0.2), RATE, "too short"),
        (tone(400.0, 2.0, rate=6000.0), 6000.0, "8 kHz"),
    ],
)
def test_what_tells_nothing_is_refused_in_words(
    samples: np.ndarray, rate: float, told: str
) -> None:
    with pytest.raises(BadInput, match=told):
        figures(samples, rate)
