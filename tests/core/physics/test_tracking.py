"""Three-point tracking against a solver that knows only the component formula."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import fsolve

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.tracking import (
    AdjusterKind,
    Gang,
    OscillatorSection,
    TrackedBand,
    TrimmerPlace,
    best_points,
    cut_plates,
    dial_shift_hz,
    mistracking_loss_db,
    signal_circuit,
    three_point,
    two_point,
)

GANG = Gang(12e-12, 430e-12)
POINTS = (600e3, 1000e3, 1400e3)
BROADCAST = signal_circuit(GANG, 530e3, 1620e3)


def tracked(place: TrimmerPlace = TrimmerPlace.ACROSS_GANG) -> TrackedBand:
    return three_point(BROADCAST, 465e3, POINTS, place=place)


def independent_solution(place: TrimmerPlace) -> np.ndarray:
    """Coil, trimmer, padder by Newton on the impedances themselves, from a rough start."""

    def misfit(logs: np.ndarray) -> list[float]:
        coil, trimmer, padder = np.exp(logs)
        out = []
        for f in POINTS:
            gang = 1.0 / ((2 * math.pi * f) ** 2 * BROADCAST.inductance_h) - BROADCAST.trimmer_f
            if place is TrimmerPlace.ACROSS_GANG:
                total = 1.0 / (1.0 / padder + 1.0 / (gang + trimmer))
            else:
                total = trimmer + 1.0 / (1.0 / padder + 1.0 / gang)
            lo = 1.0 / (2 * math.pi * math.sqrt(coil * total))
            out.append((lo - f - 465e3) / 1e3)
        return out

    start = np.log([110e-6, 40e-12, 450e-12])
    found, _, code, _ = fsolve(misfit, start, full_output=True, xtol=1e-12)
    assert code == 1
    return np.exp(found)


@pytest.mark.parametrize("place", list(TrimmerPlace))
def test_values_agree_with_the_independent_solver(place: TrimmerPlace) -> None:
    lo = tracked(place).oscillator
    found = (lo.inductance_h, lo.trimmer_f, lo.padder_f)
    assert found == pytest.approx(tuple(independent_solution(place)), rel=1e-5)


@pytest.mark.parametrize("place", list(TrimmerPlace))
def test_a_fixed_stray_where_the_trimmer_is_not_is_reckoned_with(place: TrimmerPlace) -> None:
    stray = 7e-12
    band = three_point(BROADCAST, 465e3, POINTS, place=place, stray_f=stray)
    lo = band.oscillator
    for f in POINTS:
        gang = 1.0 / ((2 * math.pi * f) ** 2 * BROADCAST.inductance_h) - BROADCAST.trimmer_f
        at_gang, at_coil = (
            (lo.trimmer_f, stray) if place is TrimmerPlace.ACROSS_GANG else (stray, lo.trimmer_f)
        )
        total = at_coil + 1.0 / (1.0 / lo.padder_f + 1.0 / (gang + at_gang))
        assert 1.0 / (2 * math.pi * math.sqrt(lo.inductance_h * total)) == pytest.approx(
            f + 465e3, abs=1.0
        )
    # another stray is another trimmer: without it the same coil would not track
    assert abs(lo.trimmer_f - tracked(place).oscillator.trimmer_f) > 1e-12


@given(st.floats(0.0, 1.0), st.sampled_from(list(TrimmerPlace)), st.floats(0.0, 20e-12))
def test_a_frequency_finds_its_gang_again(
    place_on_scale: float, place: TrimmerPlace, stray: float
) -> None:
    lo = three_point(BROADCAST, 465e3, POINTS, place=place, stray_f=stray).oscillator
    gang = 12e-12 + place_on_scale * 418e-12
    assert float(lo.gang_capacity_f(lo.resonance_hz(gang))) == pytest.approx(gang, rel=1e-6)


def test_a_smaller_oscillator_section_tracks_at_its_points() -> None:
    section = OscillatorSection(0.45, 2e-12)
    band = best_points(BROADCAST, 465e3, 530e3, 1620e3, section=section)
    worst = np.abs(band.error_hz(np.linspace(530e3, 1620e3, 301))).max()
    alike = best_points(BROADCAST, 465e3, 530e3, 1620e3)
    # the law has the same three freedoms: the same error, with other values
    assert worst == pytest.approx(
        np.abs(alike.error_hz(np.linspace(530e3, 1620e3, 301))).max(), rel=0.02
    )
    assert band.oscillator.padder_f < 0.6 * alike.oscillator.padder_f


def test_cut_plates_track_all_over_without_a_padder() -> None:
    band = cut_plates(BROADCAST, 465e3, 530e3, 1620e3)
    assert np.abs(band.error_hz(np.linspace(530e3, 1620e3, 99))).max() < 1.0
    assert math.isinf(band.oscillator.padder_f)
    # the section as a part: it fits into the signal's, and falls all the way
    plates = band.oscillator_gang_f(np.linspace(12e-12, 430e-12, 99))
    assert np.all(np.diff(plates) > 0.0) and plates[-1] < 300e-12


@given(st.floats(30e3, 130e3))
def test_an_oscillator_below_the_signal_tracks_at_two_points(intermediate: float) -> None:
    signal = signal_circuit(GANG, 150e3, 300e3)
    points = (165e3, 285e3)
    try:
        band = two_point(signal, intermediate, points, high_side=False)
    except BadInput as error:
        # only where the gang's whole range is not enough, by its own capacities
        ratio = ((285e3 - intermediate) / (165e3 - intermediate)) ** 2
        x = [
            1.0 / ((2 * math.pi * f) ** 2 * signal.inductance_h) - signal.trimmer_f for f in points
        ]
        assert ratio > x[0] / x[1] and "needs a gang" in error.expected
        return
    for f in points:
        gang = 1.0 / ((2 * math.pi * f) ** 2 * signal.inductance_h) - signal.trimmer_f
        total = gang + band.oscillator.trimmer_f
        lo = 1.0 / (2 * math.pi * math.sqrt(band.oscillator.inductance_h * total))
        assert lo == pytest.approx(f - intermediate, abs=1.0)


def test_an_if_above_the_signal_leaves_nothing_below_it() -> None:
    signal = signal_circuit(GANG, 150e3, 300e3)
    with pytest.raises(BadInput, match="cannot stand below the signal"):
        two_point(signal, 465e3, (160e3, 290e3), high_side=False)


@settings(max_examples=60)
@given(
    st.floats(450e3, 475e3),
    st.floats(500e3, 560e3),
    st.floats(1500e3, 1700e3),
    st.sampled_from(list(TrimmerPlace)),
)
def test_error_is_nothing_at_the_points_and_cubic_between(
    intermediate: float, low: float, high: float, place: TrimmerPlace
) -> None:
    signal = signal_circuit(GANG, low, high)
    points = (low + 0.08 * (high - low), (low + high) / 2, high - 0.08 * (high - low))
    band = three_point(signal, intermediate, points, place=place)
    assert np.abs(band.error_hz(np.array(points))).max() < 1.0
    between = band.error_hz(np.linspace(*points[::2], 99))
    signs = np.sign(between[np.abs(between) > 5.0])
    assert np.count_nonzero(np.diff(signs)) == 1
    ends = band.error_hz(np.array([low, high]))
    assert np.sign(ends[0]) == -np.sign(ends[1])


def test_best_points_make_the_extremes_equal_and_cannot_be_bettered() -> None:
    grid = np.linspace(530e3, 1620e3, 4001)
    band = best_points(BROADCAST, 465e3, 530e3, 1620e3)
    error = band.error_hz(grid)
    turning = np.flatnonzero(np.diff(np.sign(np.diff(error)))) + 1
    extremes = np.abs(error[[0, *turning, -1]])
    assert extremes.size == 4
    assert extremes.max() / extremes.min() < 1.02
    # by the alternation of signs four equal extremes of three parameters are the minimum;
    # any other three points must do worse
    for shift in (-20e3, 20e3):
        moved = three_point(BROADCAST, 465e3, (584e3 + shift, 1030e3, 1510e3))
        assert np.abs(moved.error_hz(grid)).max() > extremes.max()


def test_low_side_oscillator_tracks_too_where_it_can() -> None:
    signal = signal_circuit(Gang(10e-12, 120e-12), 6e6, 10e6)
    with pytest.raises(BadInput, match="positive coil, trimmer and padder"):
        three_point(signal, 455e3, (6.4e6, 8e6, 9.6e6), high_side=False)


def derivative_hz(band: TrackedBand, mark: float, kind: AdjusterKind) -> float:
    return dial_shift_hz(band, mark, kind, 1e-4) / 1e-4


def test_each_adjuster_rules_its_own_end() -> None:
    band = tracked()
    shift = {k: [derivative_hz(band, f, k) for f in POINTS] for k in AdjusterKind}
    trimmer, padder, core = (shift[k] for k in AdjusterKind)
    assert trimmer[0] > trimmer[1] > trimmer[2]  # all negative: more capacity, lower frequency
    assert padder[0] < padder[1] < padder[2] < 0
    # a core moves every LO frequency by the same share, -dL/2L
    for f, change in zip(POINTS, core, strict=True):
        assert change == pytest.approx(-(f + 465e3) / 2, rel=1e-3)


def test_a_trimmer_across_the_coil_grows_with_the_cube_of_the_oscillator() -> None:
    band = tracked(TrimmerPlace.ACROSS_COIL)
    low, high = (derivative_hz(band, f, AdjusterKind.TRIMMER) for f in (600e3, 1400e3))
    assert high / low == pytest.approx((1865 / 1065) ** 3, rel=1e-3)


@given(st.floats(-20e3, 20e3), st.floats(20, 150))
def test_mistracking_costs_what_a_single_circuit_loses(error: float, q: float) -> None:
    """Against the circuit itself: a series RLC of that Q, its capacitor's volts compared."""

    def volts(f: float, resonance: float) -> float:
        coil, w = 200e-6, 2 * math.pi * f
        w0 = 2 * math.pi * resonance
        mesh = w0 * coil / q + 1j * (w * coil - w0**2 * coil / w)
        return abs(1.0 / mesh) * coil  # current per volt, scaled alike for both

    exact = 20 * math.log10(volts(1e6, 1e6) / volts(1e6, 1e6 - error))
    # off tune the loss resistance w0 L / Q moves by the share that the resonance moved
    assert mistracking_loss_db(error, 1e6, q) == pytest.approx(exact, abs=0.2)


@pytest.mark.parametrize(
    ("build", "words"),
    [
        (lambda: Gang(430e-12, 12e-12), "must rise"),
        (lambda: signal_circuit(GANG, 1620e3, 530e3), "from low to high"),
        (lambda: signal_circuit(Gang(50e-12, 100e-12), 530e3, 1620e3), "too small to tune"),
        (lambda: three_point(BROADCAST, 465e3, (600e3, 600e3, 1400e3)), "give no oscillator"),
        (lambda: three_point(BROADCAST, -1.0, POINTS), "above zero"),
    ],
)
def test_what_cannot_be_is_refused(build: object, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        build()  # type: ignore[operator]
