"""What curves tell of a tuner: each estimate checked another way, and faults seeded alone."""

from __future__ import annotations

import math

import numpy as np
import pytest
from benchmarks.tuner_faults import FAULTS, LOOKED_AT, a_tuner, measured

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.frequency_modulation import PILOT_HZ
from glowdial.core.tuner.causes import (
    SELECTIVITY,
    TunerPart,
    fitted_phase_deg,
    fitted_ripple_db,
    fitted_time_s,
    told,
)
from glowdial.core.tuner.measurement import TunerReadings
from glowdial.core.tuner.passband import UNWANTED_SWING_HZ, FmPassband, fitted_passband
from glowdial.sheets.measurement_list import shipped_list

LIST = shipped_list()
CENTRE_HZ = 10.7e6


def test_three_critical_pairs_have_the_loss_of_their_meshes() -> None:
    """Against mesh analysis of cans at 10.7 MHz, exact with frequency."""
    band = FmPassband(200e3, 0.0)
    # of a critically coupled pair Q k = 1, and the pair is 3 dB down at sqrt(2) f0/Q apart
    pair_hz = 200e3 / (10.0**0.1 - 1.0) ** 0.25
    q = math.sqrt(2.0) * CENTRE_HZ / pair_hz
    can = CanShape((CENTRE_HZ, CENTRE_HZ), (q, q), (1.0 / q,))
    for offset_hz in (50e3, 100e3, 200e3):
        pair = np.abs(can.transfer(np.array([CENTRE_HZ, CENTRE_HZ + offset_hz])))
        exact_db = 3.0 * 20.0 * math.log10(pair[0] / pair[1])
        assert float(band.loss_db(offset_hz)) == pytest.approx(exact_db, abs=0.9)
    assert float(band.loss_db(100e3)) == pytest.approx(3.0, abs=0.02)


def heard(band: FmPassband, modulation_hz: float) -> complex:
    """A small frequency modulation sent through the passband sample by sample, and demodulated."""
    rate, count = 1e6, 40_000
    t = np.arange(count) / rate
    deviation_hz = 500.0
    phase = deviation_hz / modulation_hz * np.sin(2.0 * np.pi * modulation_hz * t)
    spectrum = np.fft.fft(np.exp(1j * phase)) * band.response(np.fft.fftfreq(count, 1.0 / rate))
    out = np.fft.ifft(spectrum)
    turned = np.angle(out * np.conj(np.roll(out, 1))) * rate / (2.0 * np.pi)
    line = np.fft.rfft(turned)[round(modulation_hz * count / rate)] / count * 2.0
    # less what the difference of two samples does itself
    return complex(line / deviation_hz * np.exp(1j * np.pi * modulation_hz / rate))


@pytest.mark.parametrize(("width_hz", "offset_hz"), [(200e3, 0.0), (150e3, 0.0), (190e3, 30e3)])
def test_what_the_if_does_to_the_subcarrier_is_what_a_demodulator_hears(
    width_hz: float, offset_hz: float
) -> None:
    band = FmPassband(width_hz, offset_hz)
    low, pilot, high = (heard(band, f) for f in (1e3, PILOT_HZ, 2.0 * PILOT_HZ))
    gain_db, phase_deg = band.subcarrier()
    assert gain_db == pytest.approx(20.0 * math.log10(abs(high) / abs(low)), abs=0.05)
    turned = math.degrees(np.angle(high) - 2.0 * np.angle(pilot))
    assert phase_deg == pytest.approx(math.remainder(turned, 360.0), abs=0.3)


@pytest.mark.parametrize(("width_hz", "offset_hz"), [(200e3, 0.0), (150e3, 5e3), (230e3, -30e3)])
def test_a_passband_is_found_again_from_its_own_selectivity(
    width_hz: float, offset_hz: float
) -> None:
    band = FmPassband(width_hz, offset_hz)
    levels = {
        x: float(band.loss_db(math.copysign(abs(x) - UNWANTED_SWING_HZ, x))) - 1.5
        for x in (-300e3, -200e3, -100e3, 100e3, 200e3, 300e3)
    }
    found = fitted_passband(levels, 200e3)
    assert found is not None
    assert found.width_hz == pytest.approx(width_hz, rel=0.03)
    assert found.offset_hz == pytest.approx(offset_hz, abs=3e3)
    assert 0.0 < found.width_doubt < 0.1


def test_one_side_or_too_few_offsets_tell_no_passband() -> None:
    assert fitted_passband({1e5: 0.0, 2e5: 10.0, 3e5: 30.0, 4e5: 50.0}, 200e3) is None
    assert fitted_passband({-1e5: 0.0, 1e5: 0.0}, 200e3) is None
    with pytest.raises(BadInput):
        fitted_passband({-1e5: 0.0, 1e5: 0.0}, 0.0)


@pytest.mark.parametrize("time_s", [42.5e-6, 50e-6, 75e-6])
def test_a_time_constant_is_found_again_from_its_response(time_s: float) -> None:
    rows = {
        f: -10.0 * math.log10(1.0 + (2.0 * math.pi * f * time_s) ** 2) + 3.0
        for f in (100.0, 400.0, 1e3, 3e3, 5e3, 1e4, 15e3)
    }
    # a low-pass filter cuts the highest off, which is not looked at
    rows[15e3] -= 12.0
    assert fitted_time_s(rows) == pytest.approx(time_s, rel=1e-3)
    assert fitted_time_s({1e3: 0.0, 15e3: -20.0}) is None


@pytest.mark.parametrize("phase_deg", [-20.0, 0.0, 12.0])
def test_a_phase_is_found_again_from_the_pilots(phase_deg: float) -> None:
    rows = {
        p: 20.0 * math.log10(math.cos(math.radians(2.0 * p + phase_deg)))
        for p in (-30.0, -15.0, 0.0, 15.0, 30.0)
        if abs(2.0 * p + phase_deg) < 85.0
    }
    assert fitted_phase_deg(rows) == pytest.approx(phase_deg, abs=0.01)


def test_ripple_is_told_from_scatter() -> None:
    rng = np.random.default_rng(4)
    carriers = [88e6 + 1.6e6 * n for n in range(13)]
    scatter = [{f: float(rng.normal(50.0, 0.25)) for f in carriers} for _ in range(200)]
    assert sum(fitted_ripple_db(rows)[1] for rows in scatter) <= 6
    echo = {f: 50.0 + 1.2 * math.sin(f / 1.1e6) + float(rng.normal(0, 0.25)) for f in carriers}
    amplitude, sure = fitted_ripple_db(echo)
    assert sure and amplitude == pytest.approx(1.2, abs=0.3)


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_seeded_alone_is_named_first(name: str) -> None:
    """Three of each; ``benchmarks/tuner_faults.py`` counts a hundred."""
    fault, part = FAULTS[name]
    right = 0
    for seed in (1, 2, 3):
        found = told(LIST, measured(a_tuner(77_000 + seed, fault), LOOKED_AT))
        right += (found.named[0].part if found.named else None) is part
        if name == "IF 25 % narrow":
            assert not any(e.part is TunerPart.DECODER for e in found.named)
    assert right == 3


def test_without_selectivity_nothing_is_said_of_the_if() -> None:
    fault, _ = FAULTS["IF 25 % narrow"]
    found = told(LIST, measured(a_tuner(5, fault), LOOKED_AT - {SELECTIVITY}))
    assert not any(e.part is TunerPart.IF for e in found.estimates)
    assert any("cannot be told from a decoder" in words for words in found.untold)


def test_nothing_read_tells_nothing() -> None:
    found = told(LIST, TunerReadings({}))
    assert found.estimates == () and len(found.untold) == 6
