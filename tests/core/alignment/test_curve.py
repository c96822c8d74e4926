"""Figures of a curve: against the response they were drawn from, seen through laws and noise."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.alignment.curve import IndicatorLaw, curve_figures
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.coupled_circuits import CanShape

CENTRE_HZ = 465e3
FREQUENCY = np.linspace(440e3, 490e3, 601)


def response(high: float = 0.0, coupling: float = 0.0105) -> np.ndarray:
    can = CanShape((CENTRE_HZ * (1.0 + high), CENTRE_HZ), (90.0, 90.0), (coupling,))
    found = np.abs(can.transfer(FREQUENCY))
    return np.asarray(found / found.max())


def crossings(volts: np.ndarray, down_db: float) -> tuple[float, float]:
    """Outermost crossings, on a grid a hundred times as fine."""
    fine = np.linspace(FREQUENCY[0], FREQUENCY[-1], 60_001)
    above = fine[np.interp(fine, FREQUENCY, volts) >= 10 ** (-down_db / 20)]
    return float(above[0]), float(above[-1])


@given(
    st.floats(-0.008, 0.008),
    st.floats(0.004, 0.02),
    st.sampled_from([1.0, -1.0]),
    st.booleans(),
)
@settings(max_examples=40, deadline=None)
def test_widths_and_centre_are_those_of_the_response_whatever_way_it_is_drawn(
    high: float, coupling: float, sign: float, downward: bool
) -> None:
    volts = response(high, coupling)
    drawn = 0.3 + sign * 1.7 * volts
    way = slice(None, None, -1) if downward else slice(None)
    found = curve_figures(FREQUENCY[way], drawn[way], baseline_v=0.3)
    for down_db in (6.0, 20.0):
        width = found.width(down_db)
        assert width is not None
        low, high_hz = crossings(volts, down_db)
        assert width.low_hz == pytest.approx(low, abs=60.0)
        assert width.high_hz == pytest.approx(high_hz, abs=60.0)
    assert found.level_db(CENTRE_HZ) == pytest.approx(
        20 * np.log10(np.interp(CENTRE_HZ, FREQUENCY, volts)), abs=0.05
    )


def test_an_over_coupled_pair_has_two_humps_and_its_ripple() -> None:
    volts = response(coupling=0.026)
    found = curve_figures(FREQUENCY, volts, baseline_v=0.0)
    assert len(found.humps_hz) == 2
    low, high = np.searchsorted(FREQUENCY, found.humps_hz)
    valley = float(np.min(volts[low:high]))
    assert found.ripple_db == pytest.approx(-20 * np.log10(valley), abs=0.05)
    single = curve_figures(FREQUENCY, response(coupling=0.006), baseline_v=0.0)
    assert len(single.humps_hz) == 1 and single.ripple_db == 0.0


def test_a_core_that_is_too_high_leans_the_curve_up() -> None:
    up, down = (curve_figures(FREQUENCY, response(h, 0.012)) for h in (0.006, -0.006))
    assert up.width(6.0).centre_hz > CENTRE_HZ > down.width(6.0).centre_hz  # type: ignore[union-attr]


def test_a_measured_law_undoes_what_the_indicator_compresses() -> None:
    volts = response()
    levels = np.array([-30.0, -20.0, -10.0, 0.0])
    # an AVC line: logarithmic where it is strong
    shown = 0.8 * np.log1p(6.0 * volts)
    law = IndicatorLaw(tuple(0.8 * np.log1p(6.0 * 10 ** (levels / 20))), tuple(levels))
    linear = curve_figures(FREQUENCY, shown, baseline_v=0.0)
    undone = curve_figures(FREQUENCY, shown, baseline_v=0.0, law=law)
    low, high = crossings(volts, 6.0)
    assert undone.width(6.0).width_hz == pytest.approx(high - low, rel=0.05)  # type: ignore[union-attr]
    assert linear.width(6.0).width_hz > 1.3 * (high - low)  # type: ignore[union-attr]
    with pytest.raises(BadInput):
        IndicatorLaw((0.5, 0.4), (-10.0, 0.0))


@pytest.mark.parametrize("seed", range(8))
def test_noise_of_two_per_cent_moves_the_centre_little(seed: int) -> None:
    noise = 0.02 * np.random.default_rng(seed).standard_normal(FREQUENCY.size)
    found = curve_figures(FREQUENCY, 0.1 + 1.2 * (response() + noise))
    width = found.width(6.0)
    assert width is not None
    low, high = crossings(response(), 6.0)
    assert abs(width.centre_hz - 0.5 * (low + high)) < 0.02 * (high - low)


def test_noise_alone_is_no_response() -> None:
    noise = np.random.default_rng(3).standard_normal(FREQUENCY.size)
    with pytest.raises(BadInput, match="nothing above its own noise"):
        curve_figures(FREQUENCY, noise)
    for bad in (FREQUENCY[:5], np.full(601, np.nan)):
        with pytest.raises(BadInput):
            curve_figures(bad, response()[: bad.size])
