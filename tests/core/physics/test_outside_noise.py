"""Noise of a place: its sum against draws, and a receiver's own against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.noise import Site, external_noise_db, thermal_v
from glowdial.core.physics.outside_noise import (
    ATMOSPHERIC_DECILES,
    DECILE,
    MAN_MADE_DECILES,
    aerial_noise_v,
    noise_figure_db,
    noise_width_hz,
    outside_noise,
    own_noise_v,
    worsened_db,
)
from glowdial.core.sums.limits import OUTSIDE

OUTDOORS = [s for s in Site if s is not Site.SCREENED]


def drawn(median_db: float, deciles: tuple[float, float], rng: np.random.Generator) -> np.ndarray:
    """Powers whose decibels are of two half Gaussians."""
    z = rng.standard_normal(200_000)
    spread = np.where(z > 0.0, deciles[0], deciles[1]) / DECILE
    return np.asarray(10.0 ** ((median_db + spread * z) / 10.0))


@pytest.mark.parametrize("place", OUTDOORS)
@pytest.mark.parametrize("atmospheric_db", [45.0, 60.0, 75.0])
def test_the_sum_of_noises_is_that_of_draws(place: Site, atmospheric_db: float) -> None:
    rng = np.random.default_rng(2)
    found = outside_noise(place, 1e6, atmospheric_db)
    alone = external_noise_db(place, 1e6)
    assert found is not None and alone is not None
    power = drawn(alone, MAN_MADE_DECILES[place], rng)
    power = power + drawn(atmospheric_db, ATMOSPHERIC_DECILES, rng)
    low, middle, high = 10.0 * np.log10(np.quantile(power, [0.1, 0.5, 0.9]))
    assert (found.lower_db, found.median_db, found.upper_db) == pytest.approx(
        (low, middle, high), abs=0.3
    )


@pytest.mark.parametrize(
    ("place", "upper", "lower"),
    [
        # table of the Recommendation: within-the-hour deciles of man-made noise
        (Site.CITY, 11.0, 6.7),
        (Site.RESIDENTIAL, 10.6, 5.3),
        (Site.RURAL, 9.2, 4.6),
    ],
)
def test_man_made_noise_alone_has_the_recommendations_deciles(
    place: Site, upper: float, lower: float
) -> None:
    found = outside_noise(place, 2e6)
    assert found is not None and found.median_db == external_noise_db(place, 2e6)
    assert found.upper_db - found.median_db == pytest.approx(upper)
    assert found.median_db - found.lower_db == pytest.approx(lower)


def test_atmospherics_fall_with_frequency_and_are_gone_at_vhf() -> None:
    def more_db(frequency_hz: float) -> float:
        with_it = outside_noise(Site.QUIET_RURAL, frequency_hz, 80.0)
        without = outside_noise(Site.QUIET_RURAL, frequency_hz)
        assert with_it is not None and without is not None
        return with_it.median_db - without.median_db

    rise = [more_db(f) for f in (0.3e6, 1e6, 5e6, 15e6, 30e6, 100e6)]
    assert rise[1] > 25.0 and rise[-1] < 0.05 and rise[-2] < rise[-3]


def test_a_screened_room_has_none_and_wrong_figures_are_refused() -> None:
    assert outside_noise(Site.SCREENED, 1e6, 60.0) is None
    with pytest.raises(BadInput):
        outside_noise(Site.CITY, 1e6, 140.0)
    with pytest.raises(BadInput):
        outside_noise(Site.CITY, 0.0)
    with pytest.raises(BadInput):
        own_noise_v(0.0, 0.3)


def test_a_source_alone_has_a_noise_figure_of_nothing() -> None:
    """A receiver that adds nothing: 4 k T0 R B is all there is."""
    own = thermal_v(50.0, 6e3, 290.0)
    assert noise_figure_db(own, 50.0, 6e3) == pytest.approx(0.0, abs=1e-6)
    # ten decibels more noise for the same width
    assert noise_figure_db(own * math.sqrt(10.0), 50.0, 6e3) == pytest.approx(10.0)


def test_own_noise_comes_from_carrier_over_noise_of_twenty_decibels() -> None:
    """30 %: 10 dB (S+N)/N needs C/N = 20 dB: noise is a tenth of the carrier's EMF."""
    assert own_noise_v(25e-6, 0.30) == pytest.approx(2.5e-6)
    assert noise_width_hz(6e3, 4e3) == 6e3 and noise_width_hz(12e3, 4e3) == 8e3


def test_the_field_of_an_aerial_is_the_recommendations() -> None:
    # 76.8 dB at 1 MHz in 1 kHz: 11.3 dB over 1 uV/m, on one metre of effective height
    assert 20.0 * math.log10(aerial_noise_v(76.8, 1e6, 1e3, 1.0) / 1e-6) == pytest.approx(11.3)
    assert worsened_db(1.0, 1.0) == pytest.approx(10.0 * math.log10(2.0))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({}, "not be heard here, even in quiet"),
        ({"sensitivity": "400", "atmospherics": ""}, "would be heard: the set adds"),
        ({"sensitivity": "80", "place": "city", "atmospherics": ""}, "quiet hours only"),
        ({"place": "screened room"}, "nothing but its own noise"),
    ],
)
def test_the_sentence_says_whether_more_would_be_heard(changes: dict[str, str], words: str) -> None:
    answer = OUTSIDE.answer({**OUTSIDE.examples, **changes})
    assert words in answer.sentence
    assert any(line.label == "noise figure" for line in answer.lines) is False


def test_a_noise_figure_is_told_where_the_source_is_a_resistance() -> None:
    answer = OUTSIDE.answer({**OUTSIDE.examples, "source": "50"})
    told = next(line.text for line in answer.lines if line.label == "noise figure")
    assert float(told.split()[0]) == pytest.approx(noise_figure_db(2.5e-6, 50.0, 6e3), abs=0.06)
