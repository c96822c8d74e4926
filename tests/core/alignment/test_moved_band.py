"""A band that is moved, against its tank put together from capacitors in series and parallel."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from builders import tidewater_facts
from glowdial.core.alignment.moved_band import moved_band
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.tracking import (
    Gang,
    OscillatorCircuit,
    TankRole,
    TrackedBand,
    TrimmerPlace,
    best_points,
    cut_plates,
    signal_circuit,
    two_point,
)

MEDIUM = (530e3, 1620e3)
SIGNAL = signal_circuit(Gang(12e-12, 430e-12), *MEDIUM)
SHUNT, SERIES, SCALE = TankRole.SHUNT, TankRole.SERIES, TankRole.SCALE
BANDS: dict[str, tuple[TrackedBand, tuple[float, float], TankRole]] = {
    "padder": (best_points(SIGNAL, 455e3, *MEDIUM), MEDIUM, SERIES),
    "trimmer at the coil": (
        best_points(SIGNAL, 455e3, *MEDIUM, place=TrimmerPlace.ACROSS_COIL, stray_f=8e-12),
        MEDIUM,
        SCALE,
    ),
    "cut plates": (cut_plates(SIGNAL, 465e3, *MEDIUM), MEDIUM, SCALE),
    "oscillator below": (
        two_point(
            signal_circuit(Gang(12e-12, 430e-12), 150e3, 300e3),
            50e3,
            (160e3, 280e3),
            high_side=False,
        ),
        (150e3, 300e3),
        SCALE,
    ),
}


def tank_hz(lo: OscillatorCircuit, gang_f: float) -> float:
    """The oscillator by its impedances: where coil and everything across it cancel."""
    at_gang = lo.trimmer_f if lo.place is TrimmerPlace.ACROSS_GANG else lo.stray_f
    at_coil = lo.stray_f if lo.place is TrimmerPlace.ACROSS_GANG else lo.trimmer_f

    def reactive(hz: float) -> float:
        w = 2.0 * math.pi * hz
        branch = 1.0 / (1j * w * (gang_f + at_gang))
        if not math.isinf(lo.padder_f):
            branch += 1.0 / (1j * w * lo.padder_f)
        return float((1.0 / branch + 1j * w * at_coil + 1.0 / (1j * w * lo.inductance_h)).imag)

    low, high = 1e4, 1e8
    for _ in range(200):
        middle = math.sqrt(low * high)
        low, high = (middle, high) if reactive(middle) < 0.0 else (low, middle)
    return low


@pytest.mark.parametrize("name", list(BANDS))
@pytest.mark.parametrize("share", [-0.05, 0.03, 0.08])
@pytest.mark.parametrize("both", [False, True])
def test_the_high_stop_comes_to_where_it_is_wanted(name: str, share: float, both: bool) -> None:
    band, (low, high), other = BANDS[name]
    wanted = (1.0 + share) * high
    moved = moved_band(band, (low, high), wanted, (SHUNT, other) if both else (SHUNT,))
    gangs = [float(band.oscillator.gang_capacity_f(f + band.offset_hz)) for f in (low, high)]
    ends = [tank_hz(moved.tracked.oscillator, g) - band.offset_hz for g in gangs]
    assert ends[1] == pytest.approx(wanted, abs=60.0)
    assert (moved.low_hz, moved.high_hz) == pytest.approx(ends, abs=5.0)
    if both:
        assert ends[0] == pytest.approx(low, abs=60.0)
    else:
        # a trimmer takes the low stop along, the same way and by less
        assert 0.0 < (ends[0] / low - 1.0) / share < 1.0
    middle = math.sqrt(low * high)
    at = tank_hz(
        moved.tracked.oscillator,
        float(band.oscillator.gang_capacity_f(middle + band.offset_hz)),
    )
    assert moved.comes_in_hz(band, middle) == pytest.approx(at - band.offset_hz, abs=5.0)


def test_the_aerial_peaks_at_the_new_high_stop_and_its_loss_at_the_low_one_is_its_detuning() -> (
    None
):
    band, stops, other = BANDS["padder"]
    moved = moved_band(band, stops, 1800e3, (SHUNT, other))
    least, most = (float(band.signal.gang_capacity_f(f)) for f in reversed(stops))
    assert float(moved.tracked.signal.resonance_hz(least)) == pytest.approx(1800e3, rel=1e-6)
    # the universal resonance curve, by the circuit's impedance at its Q of 75
    tuned = float(moved.tracked.signal.resonance_hz(most))
    x = 75.0 * (moved.low_hz / tuned - tuned / moved.low_hz)
    assert moved.loss_db == pytest.approx(10.0 * math.log10(1.0 + x * x), abs=0.3)


@pytest.mark.parametrize("wanted", [400e3, 530e3, 9e6])
def test_what_no_part_can_do_is_refused(wanted: float) -> None:
    band, stops, _ = BANDS["padder"]
    with pytest.raises(BadInput, match="highest"):
        moved_band(band, stops, wanted, (SHUNT,))


def test_a_band_that_is_moved_says_where_its_pointer_stands() -> None:
    made = tidewater_facts().bands[0]
    moved = moved_band(made.tracked, (made.low_hz, made.high_hz), 1720e3, (SHUNT,))
    stops = {"low_hz": moved.low_hz, "high_hz": moved.high_hz}
    band = replace(made, tracked=moved.tracked, printed=made, **stops)
    for printed in np.linspace(made.low_hz, made.high_hz, 7):
        comes_in = moved.comes_in_hz(made.tracked, float(printed))
        assert band.pointer_hz(comes_in) == pytest.approx(float(printed), abs=60.0)
        assert band.at_pointer_hz(float(printed)) == pytest.approx(comes_in)
        assert made.pointer_hz(float(printed)) == float(printed)
