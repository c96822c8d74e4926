"""Heaters at rest and warming, alone and in strings, against balances and an integrator."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.heaters import (
    HeaterString,
    emission_share,
    resistance_share,
    settled_current_share,
    settled_theta,
)
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange, filament_on_ohmmeter
from glowdial.core.physics.supply.limiter import Lamp, limited_v
from glowdial.core.physics.supply.rampup import warmth

# an AC/DC set: rectifier, output and three signal tubes on 0.15 A, with a ballast
KITCHEN = HeaterString((35.0, 50.0, 12.6, 12.6, 12.6), (0.15,) * 5, (18.0, 25.0, 15.0, 15.0, 14.0))


@given(st.floats(0.05, 1.5))
def test_at_rest_the_power_in_is_the_power_lost(share: float) -> None:
    theta = float(settled_theta(share))
    assert share**2 / float(resistance_share(theta)) == pytest.approx(theta**3, rel=1e-9)


@pytest.mark.parametrize("share", [0.4, 0.5, 0.65, 0.8, 1.0, 1.2])
def test_the_curve_is_the_handbooks_within_a_few_per_cent(share: float) -> None:
    assert settled_current_share(share) == pytest.approx(share**0.55, rel=0.05)


@pytest.mark.parametrize("share", [0.3, 0.45, 0.5, 0.55, 0.6, 0.65, 0.9])
def test_emission_follows_the_line_as_the_bring_up_expects(share: float) -> None:
    assert emission_share(float(settled_theta(share))) == pytest.approx(warmth(share), abs=0.06)


@settings(max_examples=40, deadline=None)
@given(st.floats(5.0, 140.0), st.floats(0.0, 300.0))
def test_a_string_at_rest_adds_up_to_the_line(total_v: float, dropper_ohm: float) -> None:
    string = HeaterString(
        KITCHEN.volts, (0.15, 0.15, 0.15, 0.3, 0.15), KITCHEN.times_s, dropper_ohm
    )
    theta = string.settled(total_v)
    share, current = string.share_v(total_v, theta)
    assert float(np.sum(share * np.array(string.volts))) + current * dropper_ohm == pytest.approx(
        total_v, rel=1e-6
    )
    assert theta**3 == pytest.approx(share**2 / resistance_share(theta), rel=1e-4)
    # the heater made for twice the current stays duller than its neighbours of the same volts
    assert theta[3] < theta[2]


def test_warming_is_the_differential_equations() -> None:
    ends = solve_ivp(
        lambda _, theta: KITCHEN.slope_per_s(122.8, theta),
        (0.0, 8.0),
        np.zeros(5),
        rtol=1e-9,
        atol=1e-10,
    )
    assert KITCHEN.step(122.8, np.zeros(5), 8.0) == pytest.approx(ends.y[:, -1], abs=2e-3)


@settings(max_examples=25, deadline=None)
@given(st.floats(20.0, 130.0), st.floats(0.5, 30.0))
def test_half_the_step_twice_changes_less_than_half_a_per_cent(volts: float, step_s: float) -> None:
    once = KITCHEN.step(volts, np.full(5, 0.1), step_s)
    twice = KITCHEN.step(volts, KITCHEN.step(volts, np.full(5, 0.1), step_s / 2), step_s / 2)
    assert once == pytest.approx(twice, rel=5e-3)


def test_a_quick_heater_in_a_string_flashes_above_its_volts() -> None:
    quick = HeaterString((6.3, 6.3, 6.3), (0.3, 0.3, 0.3), (3.0, 20.0, 20.0))
    theta, highest = np.zeros(3), 0.0
    for _ in range(40):
        theta = quick.step(18.9, theta, 0.5)
        highest = max(highest, float(quick.share_v(18.9, theta)[0][0]))
    assert highest > 1.3
    assert float(quick.share_v(18.9, quick.settled(18.9))[0][0]) == pytest.approx(1.0, rel=1e-6)


def test_after_long_it_stands_at_rest() -> None:
    assert KITCHEN.step(110.0, np.zeros(5), 5000.0) == pytest.approx(KITCHEN.settled(110.0))
    assert KITCHEN.step(0.0, np.full(5, 1.0), 5000.0) == pytest.approx(np.zeros(5))


def test_a_string_wants_one_of_each() -> None:
    with pytest.raises(BadInput, match="one of each"):
        HeaterString((6.3, 6.3), (0.3,), (9.0, 9.0))


@pytest.mark.parametrize("low_range", [(1.5, 0.15), (1.5, 0.015), (9.0, 0.09)])
def test_a_filament_settles_where_load_line_and_curve_cross(low_range: tuple[float, float]) -> None:
    met = filament_on_ohmmeter(OhmRange("R x 1", OhmmeterKind.SERIES, *low_range), 2.0, 0.06)
    inside = low_range[0] / low_range[1]

    def miss(volts: float) -> float:
        return (low_range[0] - volts) / inside - 0.06 * settled_current_share(volts / 2.0)

    crossing = brentq(miss, 1e-6, low_range[0])
    assert met.settled_v_share * 2.0 == pytest.approx(crossing, rel=1e-6)
    assert met.first_share == pytest.approx(low_range[0] / (inside + 0.2 * 2.0 / 0.06) / 0.06)
    assert met.first_share > met.settled_share


def test_a_constant_current_range_never_gives_more_than_its_current() -> None:
    digital = OhmRange("200", OhmmeterKind.CONSTANT_CURRENT, 3.0, 1e-3)
    met = filament_on_ohmmeter(digital, 1.4, 0.05)
    assert met.settled_share == pytest.approx(0.02, rel=1e-3)
    assert digital.current_a(float("inf")) == 0.0
    assert digital.current_a(6000.0) == pytest.approx(0.5e-3)


@settings(max_examples=50)
@given(st.floats(50.0, 260.0), st.floats(15.0, 300.0), st.floats(20.0, 3000.0))
def test_lamp_and_set_share_the_line(line_v: float, power_w: float, set_ohm: float) -> None:
    lamp = Lamp(power_w, 230.0)
    left_v = limited_v(line_v, lamp, lambda v: v / set_ohm)
    exact = brentq(lambda v: v / set_ohm - lamp.current_a(line_v - v), 0.0, line_v)
    assert left_v == pytest.approx(exact, abs=line_v * 1e-6)
    assert lamp.volts_at(lamp.current_a(100.0)) == pytest.approx(100.0)


def test_a_dead_short_behind_the_lamp_gets_nothing_and_no_set_gets_all() -> None:
    lamp = Lamp(60.0, 230.0)
    assert limited_v(230.0, lamp, lambda v: 1e6 * v) < 0.01
    assert limited_v(230.0, lamp, lambda _: 0.0) == pytest.approx(230.0, rel=1e-6)


@pytest.mark.parametrize(("share", "within"), [(0.5, 0.03), (0.7, 0.03), (1.5, 0.03), (0.3, 0.07)])
def test_the_range_in_which_the_law_is_the_handbooks(share: float, within: float) -> None:
    assert settled_current_share(share) == pytest.approx(share**0.55, rel=within)
