"""Filters against a filter library and a nodal circuit; FM against its definitions."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal
from scipy.integrate import solve_ivp

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.avc import avc_after_v, settled_avc_v
from glowdial.core.physics.filters import CrystalFilter, MechanicalFilter
from glowdial.core.physics.frequency_modulation import (
    Discriminator,
    decode_stereo,
    deemphasis,
    deemphasis_gain_db,
    fm_noise_ratio,
    limited_v,
    multiplex,
)


def test_the_mechanical_filter_is_the_filter_librarys_chebyshev() -> None:
    ours = MechanicalFilter(455e3, 3e3, resonators=5, ripple_db=0.5, loss_db=0.0)
    zeros, poles, gain = signal.cheb1ap(5, 0.5)
    band = signal.lp2bp_zpk(zeros, poles, gain, 2 * np.pi * 455e3, 2 * np.pi * 3e3)
    sweep = np.linspace(450e3, 460e3, 201)
    _, theirs = signal.freqs_zpk(*band, 2 * np.pi * sweep)
    assert np.abs(ours.response(sweep)) == pytest.approx(np.abs(theirs), rel=1e-4)


def test_the_crystal_is_a_series_circuit_in_a_bridge() -> None:
    filter_ = CrystalFilter(465e3, 5000.0, unbalance=0.05)
    sweep = np.linspace(464e3, 466e3, 401)
    # motional arm of 20 kilohm (loaded) and the bridge's unbalanced capacity beside it
    r = 20e3
    inductance = 5000.0 * r / (2 * math.pi * 465e3)
    capacity = 1.0 / ((2 * math.pi * 465e3) ** 2 * inductance)
    w = 2 * np.pi * sweep
    current = 1.0 / (r + 1j * (w * inductance - 1.0 / (w * capacity)))
    nodal = current * r + 1j * 0.05
    assert np.abs(filter_.response(sweep)) == pytest.approx(np.abs(nodal), rel=1e-3)
    notch = sweep[int(np.argmin(np.abs(filter_.response(sweep))))]
    assert notch == pytest.approx(465e3 * (1 + 1 / (2 * 5000 * 0.05)), abs=60.0)


def test_a_filter_of_one_resonator_is_refused() -> None:
    with pytest.raises(BadInput, match="2 to 15"):
        MechanicalFilter(455e3, 3e3, resonators=1)


def test_the_discriminator_crosses_zero_at_its_centre_and_is_odd_about_it() -> None:
    found = Discriminator(10.7e6, 240e3, 35.0)
    offsets = np.array([20e3, 60e3, 100e3])
    # the skirts of a tuned circuit are not quite symmetric in hertz
    assert abs(float(found.output(10.7e6))) < 0.02 * float(found.output(10.76e6))
    above, below = found.output(10.7e6 + offsets), found.output(10.7e6 - offsets)
    assert above == pytest.approx(-below, rel=0.03, abs=0.02)
    moved = Discriminator(10.7e6, 240e3, 35.0, offset_hz=30e3)
    assert abs(float(moved.output(10.73e6))) < abs(float(moved.output(10.7e6)))


def test_a_limiter_passes_in_step_below_and_is_flat_above() -> None:
    assert float(limited_v(0.01, 0.5)) == pytest.approx(0.01, rel=1e-3)
    assert float(limited_v(5.0, 0.5)) == pytest.approx(float(limited_v(2.0, 0.5)), rel=1e-3)


def test_deemphasis_is_half_power_at_its_corner() -> None:
    assert float(deemphasis(1 / (2 * math.pi * 50e-6), 50e-6)) == pytest.approx(2**-0.5)


RATE, SAMPLES = 400e3, 400_000


def demodulated_noise(ratio_db: float) -> np.ndarray:
    """The spectrum of what a detector hears of a bare carrier in noise, in Hz of deviation: white
    noise of the whole band at so many dB under the carrier, sample by sample, in parts."""
    rng = np.random.default_rng(8)
    noise = rng.standard_normal(SAMPLES) + 1j * rng.standard_normal(SAMPLES)
    wave = 1.0 + noise * 10.0 ** (-ratio_db / 20.0) / np.sqrt(2.0)
    turned = np.angle(wave * np.conj(np.roll(wave, 1))) * RATE / (2.0 * np.pi)
    return np.asarray(np.abs(np.fft.rfft(turned)) ** 2 * 2.0 / SAMPLES**2)


@pytest.mark.parametrize("ratio_db", [16.0, 20.0, 30.0])
@pytest.mark.parametrize("audio_hz", [5e3, 15e3])
def test_noise_of_fm_is_that_of_a_numerical_demodulation(ratio_db: float, audio_hz: float) -> None:
    power = demodulated_noise(ratio_db)
    at = np.fft.rfftfreq(SAMPLES, 1.0 / RATE)
    noise = float(power[at <= audio_hz].sum())
    heard_db = 10.0 * math.log10(75e3**2 / 2.0 / noise)
    told = fm_noise_ratio(10.0 ** (ratio_db / 10.0), 75e3, audio_hz, RATE)
    assert heard_db == pytest.approx(10.0 * math.log10(told), abs=0.2)


@pytest.mark.parametrize("time_s", [50e-6, 75e-6])
def test_what_deemphasis_wins_is_what_it_takes_off_demodulated_noise(time_s: float) -> None:
    power = demodulated_noise(25.0)
    at = np.fft.rfftfreq(SAMPLES, 1.0 / RATE)
    inside = at <= 15e3
    after = float((power * deemphasis(at, time_s) ** 2)[inside].sum())
    won_db = 10.0 * math.log10(float(power[inside].sum()) / after)
    assert deemphasis_gain_db(time_s, 15e3) == pytest.approx(won_db, abs=0.2)


def test_above_threshold_fm_gains_db_for_db_and_below_it_loses_two() -> None:
    def db(ratio: float) -> float:
        return 10 * math.log10(fm_noise_ratio(ratio, 75e3, 15e3, 200e3))

    assert db(1e4) - db(1e3) == pytest.approx(10.0)
    assert db(2.0) - db(1.0) == pytest.approx(6.02, abs=0.01)


@pytest.mark.parametrize(("phase", "gain"), [(0.0, 1.0), (0.3, 1.0), (0.2, 0.9)])
def test_separation_is_what_the_decoders_errors_leave(phase: float, gain: float) -> None:
    rate = 192e3
    t = np.arange(19200) / rate
    left = np.sin(2 * np.pi * 1000 * t)
    composite = multiplex(left, np.zeros_like(left), rate)
    out, leaked = decode_stereo(composite, rate, phase_rad=phase, subcarrier_gain=gain)
    measured = float(np.std(leaked) / np.std(out))
    kept = gain * math.cos(phase)
    assert measured == pytest.approx((1 - kept) / (1 + kept), abs=1e-6)


@settings(max_examples=40, deadline=None)
@given(st.floats(0.0, 20.0), st.floats(0.0, 500.0), st.floats(0.01, 0.6), st.floats(0.0, 2.0))
def test_the_avc_in_time_is_its_differential_equation(
    start_v: float, drive_v: float, seconds: float, delay_v: float
) -> None:
    found = avc_after_v(
        start_v,
        drive_v,
        seconds,
        time_constant_s=0.1,
        control_v_per_neper=3.1,
        delay_v=delay_v,
    )

    def slope(_: float, a: np.ndarray) -> np.ndarray:
        return np.asarray((np.maximum(drive_v * np.exp(-a / 3.1) - delay_v, 0.0) - a) / 0.1)

    exact = solve_ivp(slope, (0.0, seconds), [start_v], "Radau", rtol=1e-8, atol=1e-9)
    assert found == pytest.approx(float(exact.y[0, -1]), rel=5e-3, abs=1e-3)


@given(st.floats(0.0, 1e4), st.floats(0.0, 3.0))
def test_after_long_the_avc_stands_where_the_loop_settles(drive_v: float, delay_v: float) -> None:
    law = {"control_v_per_neper": 3.1, "delay_v": delay_v}
    rest = float(settled_avc_v(drive_v, **law))
    assert avc_after_v(5.0, drive_v, 1.5, time_constant_s=0.1, **law) == pytest.approx(
        rest, abs=2e-3
    )
    assert avc_after_v(5.0, drive_v, 60.0, time_constant_s=0.1, **law) == pytest.approx(rest)
