"""The frequency to test at, against a search of its own over every channel."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.model.clear_frequency import ChannelBand, clear_frequencies
from glowdial.core.model.stations import Station
from glowdial.core.sums.limits import CLEAR

VHF = ChannelBand(87.5e6, 108e6, 100e3, 10.7e6)


@pytest.mark.parametrize("seed", range(12))
def test_no_listed_station_nor_its_image_is_near_what_is_chosen(seed: int) -> None:
    rng = np.random.default_rng(seed)
    places = rng.choice(np.arange(875, 1080), 12, replace=False)
    stations = [Station(p * 1e5, f"s{p}", "", float(rng.uniform(1, 10))) for p in places]
    best = clear_frequencies(VHF, stations)[0].frequency_hz
    own = min(abs(best - s.frequency_hz) for s in stations)
    image = min(abs(best + 21.4e6 - s.frequency_hz) for s in stations)
    # in a fifth of all channels occupied there is always one with this much room on both
    assert own >= 0.2e6 and image >= 0.2e6


def test_the_clearest_come_first_and_apart() -> None:
    found = clear_frequencies(VHF, [Station(98e6, "one", "", 5.0)])
    assert [f.channels for f in found] == sorted((f.channels for f in found), reverse=True)
    for a, b in itertools.pairwise(found):
        assert abs(a.frequency_hz - b.frequency_hz) >= 2e6
    assert clear_frequencies(VHF, [])[0].nearest == "nothing that is listed"


def test_two_strong_stations_keep_a_set_off_what_they_make() -> None:
    pair = [Station(94e6, "a", "", 10.0), Station(96e6, "b", "", 10.0)]
    for found in clear_frequencies(VHF, pair):
        for product in (92e6, 98e6):
            assert abs(found.frequency_hz - product) > 0.3e6


def test_an_oscillator_below_has_its_image_on_the_other_side() -> None:
    below = ChannelBand(87.5e6, 108e6, 100e3, 4.3e6, above=False)
    one = [Station(90e6, "a", "", 10.0)]
    assert all(abs(f.frequency_hz - 98.6e6) > 0.5e6 for f in clear_frequencies(below, one))


def test_a_band_that_is_none_is_refused() -> None:
    with pytest.raises(BadInput):
        clear_frequencies(ChannelBand(1e6, 1e6, 9e3, 455e3), [])
    with pytest.raises(BadInput):
        clear_frequencies(ChannelBand(1e6, 1e9, 1e3, 455e3), [])


def test_the_sum_says_which_and_why() -> None:
    answer = CLEAR.answer(dict(CLEAR.examples))
    assert answer.sentence.startswith("Test at ") and len(answer.lines) == 3
