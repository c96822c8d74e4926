"""The hand's movements, on curves whose maximum is known."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.bench.movements import (
    find_maximum,
    match_reading,
    peak_by_turning,
    peak_words,
)
from glowdial.core.journey.peaking import advised_level_v
from glowdial.core.physics.resonance import circuit_response
from glowdial.core.stages.intermediate.gain import another_pass, gain_by_substitution_db


def compressed(level: float) -> float:
    """An indicator that compresses, as AVC volts do; monotone."""
    return math.log1p(4.0 * level)


@given(st.floats(-2.5, 2.5), st.floats(0.3, 2.0))
def test_peaking_finds_the_top_of_a_compressed_curve(top: float, width: float) -> None:
    peak = peak_by_turning(
        lambda t: compressed(1.0 / (1.0 + ((t - top) / width) ** 2)),
        step_turns=0.125,
        reach_turns=6.0,
    )
    assert peak.enclosed
    assert peak.turns == pytest.approx(top, abs=0.05 * max(width, 1.0))


def test_peaking_with_an_unsteady_needle_still_lands_near() -> None:
    noise = np.random.default_rng(3)
    for top in (-1.3, 0.0, 0.7):
        peak = peak_by_turning(
            lambda t, top=top: (
                compressed(math.exp(-((t - top) ** 2)))
                * (1 + 0.002 * float(noise.standard_normal()))
            ),
            step_turns=0.125,
            reach_turns=6.0,
        )
        assert peak.turns == pytest.approx(top, abs=0.12)


def test_no_peak_inside_the_travel_is_said() -> None:
    peak = peak_by_turning(lambda t: 1.0 + 0.1 * t, step_turns=0.25, reach_turns=2.0)
    assert not peak.enclosed and peak.turns == pytest.approx(2.0, abs=0.3)


@given(st.floats(590e3, 640e3))
def test_a_station_is_found(f0: float) -> None:
    found = find_maximum(
        lambda row: [compressed(float(circuit_response(f, f0, 80.0))) for f in row],
        start=560e3,
        stop=670e3,
        coarse=3e3,
        fine=500.0,
    )
    assert found == pytest.approx(f0, abs=250.0)


@given(st.floats(0.05, 2.5))
def test_a_level_is_matched_and_gain_is_the_generators_change(target: float) -> None:
    level = match_reading(compressed, target, lowest=1e-4, highest=10.0)
    assert compressed(level) == pytest.approx(target, rel=3e-3)
    better = match_reading(lambda v: compressed(2.0 * v), target, lowest=1e-4, highest=10.0)
    assert gain_by_substitution_db(level, better) == pytest.approx(6.02, abs=0.05)


def test_passes_end_below_two_tenths_of_a_decibel() -> None:
    assert another_pass(0.2) and not another_pass(0.19)


@pytest.mark.parametrize(
    ("reading", "factor"), [(2.0, 1.0), (3.1, 0.5), (5.2, 0.25), (0.9, 2.0), (2.9, 1.0)]
)
def test_the_generator_follows_the_indicator(reading: float, factor: float) -> None:
    assert advised_level_v(1e-3, reading) == pytest.approx(1e-3 * factor)


@pytest.mark.parametrize(
    ("reading", "words"),
    [(2.0, "at the peak so far"), (1.96, "2.0 % below the peak"), (1.6, "past it, go back")],
)
def test_the_hand_is_told_where_it_stands(reading: float, words: str) -> None:
    assert words in peak_words(reading, 2.0)
