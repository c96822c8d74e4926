"""The lag of a sweep: against a stiff solver, the closed form of one pole, and common sense."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.avc import settled_avc_v
from glowdial.core.physics.coupled_circuits import CanShape
from glowdial.core.physics.sweep_lag import Loop, lagged, slow_enough_s

CENTRE_HZ, TAU_S = 455e3, 0.1
FREQUENCY = np.linspace(443e3, 467e3, 481)
RESPONSE = np.abs(CanShape((CENTRE_HZ, CENTRE_HZ), (85.0, 95.0), (0.010,)).transfer(FREQUENCY))
RESPONSE = RESPONSE / RESPONSE.max()


def integrated(volts: np.ndarray, pass_s: float, loop: Loop | None, downward: bool) -> np.ndarray:
    """The same pass by an implicit Runge-Kutta method over time."""
    row = volts[::-1] if downward else volts
    times = np.linspace(0.0, pass_s, row.size)

    def slope(t: float, y: np.ndarray) -> list[float]:
        s = float(np.interp(t, times, row))
        if loop is None:
            return [(s - y[0]) / TAU_S]
        open_v = s * np.exp(-y[0] / loop.control_v_per_neper)
        return [(max(open_v - loop.delay_v, 0.0) - y[0]) / TAU_S]

    begin = float(row[0])
    if loop is not None:
        begin = float(
            settled_avc_v(
                row[:1], control_v_per_neper=loop.control_v_per_neper, delay_v=loop.delay_v
            )[0]
        )
    found = solve_ivp(
        slope, (0.0, pass_s), [begin], "Radau", times, rtol=1e-6, atol=1e-9, max_step=pass_s / 400
    )
    line = found.y[0]
    return np.asarray(line[::-1] if downward else line)


@pytest.mark.parametrize("pass_s", [0.5, 2.0, 10.0])
@pytest.mark.parametrize("loop", [None, Loop(0.6), Loop(3.1, 2.0)])
@pytest.mark.parametrize("downward", [False, True])
def test_the_traced_line_is_that_of_a_stiff_solver(
    pass_s: float, loop: Loop | None, downward: bool
) -> None:
    volts = 4.0 * RESPONSE
    ours = lagged(FREQUENCY, volts, pass_s, TAU_S, loop=loop, downward=downward)
    exact = integrated(volts, pass_s, loop, downward)
    assert ours.traced_v == pytest.approx(exact, abs=3e-3 * float(np.max(exact)))


def test_both_ways_a_symmetrical_curve_is_carried_equally_far_and_its_middle_stands() -> None:
    up = lagged(FREQUENCY, RESPONSE, 3.0, TAU_S)
    down = lagged(FREQUENCY, RESPONSE, 3.0, TAU_S, downward=True)
    assert up.peak_shift_hz > 0.0 > down.peak_shift_hz
    assert up.centre_shift_hz is not None and down.centre_shift_hz is not None
    assert up.centre_shift_hz == pytest.approx(-down.centre_shift_hz, rel=0.03)
    assert up.loss_db == pytest.approx(down.loss_db, abs=0.05)


def test_on_a_slow_ramp_one_pole_lags_by_its_time_constant() -> None:
    # a straight flank is carried along by rate x tau, whatever its slope
    flank = np.linspace(0.0, 1.0, 481)
    found = lagged(FREQUENCY, flank, 20.0, TAU_S)
    rate = (FREQUENCY[-1] - FREQUENCY[0]) / 20.0
    late = np.interp(0.5, found.traced_v, FREQUENCY) - np.interp(0.5, flank, FREQUENCY)
    assert late == pytest.approx(rate * TAU_S, rel=1e-3)


def test_a_live_loop_shortens_its_own_lag() -> None:
    open_loop = lagged(FREQUENCY, 8.0 * RESPONSE, 3.0, TAU_S)
    live = lagged(FREQUENCY, 8.0 * RESPONSE, 3.0, TAU_S, loop=Loop(0.6))
    assert 0.0 < live.peak_shift_hz < 0.5 * open_loop.peak_shift_hz


def test_slow_enough_is_just_slow_enough() -> None:
    pass_s = slow_enough_s(FREQUENCY, RESPONSE, TAU_S, 100.0)
    assert abs(lagged(FREQUENCY, RESPONSE, pass_s, TAU_S).peak_shift_hz) <= 100.0
    assert abs(lagged(FREQUENCY, RESPONSE, 0.9 * pass_s, TAU_S).peak_shift_hz) > 100.0
    with pytest.raises(BadInput):
        slow_enough_s(FREQUENCY, RESPONSE, 60.0, 1.0)
