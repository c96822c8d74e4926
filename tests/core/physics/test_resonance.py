"""Tuned circuits against nodal analysis and closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.resonance import (
    CoupledPair,
    TunedCircuit,
    circuit_response,
    passband,
    resonant_frequency_hz,
    resonating_capacitance_f,
    resonating_inductance_h,
    vertex,
)


def pair(q1: float, q2: float, of_critical: float, shift: float = 0.0) -> CoupledPair:
    capacity = 115e-12
    coil = resonating_inductance_h(frequency_hz=465e3, capacitance_f=capacity)
    first = TunedCircuit(coil, capacity, q1)
    second = TunedCircuit(coil * (1.0 + shift), capacity, q2)
    return CoupledPair(first, second, of_critical / math.sqrt(q1 * q2))


def nodal_transimpedance(p: CoupledPair, frequency_hz: float) -> complex:
    """Independent: node voltages and branch currents with all branches as one linear system."""
    w = 2.0 * math.pi * frequency_hz
    m = p.coupling * math.sqrt(p.primary.inductance_h * p.secondary.inductance_h)
    # unknowns: v1, v2, i1, i2 (winding currents); 1 A into node 1
    matrix = np.array(
        [
            [1j * w * p.primary.capacitance_f, 0, 1, 0],
            [0, 1j * w * p.secondary.capacitance_f, 0, 1],
            [1, 0, -(p.primary.series_loss_ohm + 1j * w * p.primary.inductance_h), -1j * w * m],
            [0, 1, -1j * w * m, -(p.secondary.series_loss_ohm + 1j * w * p.secondary.inductance_h)],
        ]
    )
    return complex(np.linalg.solve(matrix, np.array([1.0, 0, 0, 0]))[1])


@given(
    st.floats(20, 200),
    st.floats(20, 200),
    st.floats(0.2, 3.0),
    st.floats(-0.02, 0.02),
    st.floats(440e3, 490e3),
)
def test_coupled_pair_is_the_nodal_solution(
    q1: float, q2: float, of_critical: float, shift: float, frequency_hz: float
) -> None:
    p = pair(q1, q2, of_critical, shift)
    exact = nodal_transimpedance(p, frequency_hz)
    found = complex(p.transimpedance_ohm(np.array([frequency_hz]))[0])
    assert abs(found) == pytest.approx(abs(exact), rel=1e-9)


@given(st.floats(20, 200), st.floats(20, 200), st.floats(0.3, 2.5), st.floats(430e3, 500e3))
def test_no_response_above_the_lossless_bound(
    q1: float, q2: float, of_critical: float, f: float
) -> None:
    p = pair(q1, q2, of_critical)
    w = 2.0 * math.pi * f
    x1, x2 = 1.0 / (w * p.primary.capacitance_f), 1.0 / (w * p.secondary.capacitance_f)
    # the secondary's loss cannot take more than the primary's loop has available, E^2 / 4 r1
    available = x1**2 / (4.0 * p.primary.series_loss_ohm)
    bound = x2 * math.sqrt(available / p.secondary.series_loss_ohm)
    assert abs(p.transimpedance_ohm(np.array([f]))[0]) <= bound * (1 + 1e-9)


def test_humps_split_above_critical_coupling_by_the_known_amount() -> None:
    p = pair(90.0, 90.0, 2.0)
    sweep = np.linspace(450e3, 480e3, 6001)
    level = np.abs(p.transimpedance_ohm(sweep))
    tops = sweep[1:-1][(level[1:-1] > level[:-2]) & (level[1:-1] > level[2:])]
    assert tops.size == 2
    expected = 465e3 * math.sqrt(p.coupling**2 - 1.0 / 90.0**2)
    assert tops[1] - tops[0] == pytest.approx(expected, rel=0.02)
    under = np.abs(pair(90.0, 90.0, 0.95).transimpedance_ohm(sweep))
    assert np.count_nonzero((under[1:-1] > under[:-2]) & (under[1:-1] > under[2:])) == 1


@given(st.floats(20, 300), st.floats(1e5, 5e6))
def test_single_circuit_is_3_db_wide_at_f_over_q(q: float, f0: float) -> None:
    sweep = np.linspace(f0 * (1 - 2 / q), f0 * (1 + 2 / q), 2001)
    band = passband(sweep, circuit_response(sweep, f0, q), down_db=20 * math.log10(math.sqrt(2)))
    assert band.width_hz == pytest.approx(f0 / q, rel=2e-3)
    assert band.peak_hz == pytest.approx(f0, rel=1e-4)


def test_a_sweep_that_is_too_narrow_is_said_to_be() -> None:
    sweep = np.linspace(464e3, 466e3, 51)
    with pytest.raises(BadInput, match="widen it"):
        passband(sweep, circuit_response(sweep, 465e3, 90.0))


@given(st.floats(1e-7, 1e-2), st.floats(1e-12, 1e-8))
def test_l_c_and_f_belong_together(inductance_h: float, capacitance_f: float) -> None:
    f = resonant_frequency_hz(inductance_h=inductance_h, capacitance_f=capacitance_f)
    coil = resonating_inductance_h(frequency_hz=f, capacitance_f=capacitance_f)
    capacity = resonating_capacitance_f(frequency_hz=f, inductance_h=inductance_h)
    assert (coil, capacity) == pytest.approx((inductance_h, capacitance_f), rel=1e-9)


@given(st.floats(-3, 3), st.floats(0.1, 5))
def test_the_vertex_of_a_parabola_is_found(top: float, width: float) -> None:
    x = np.linspace(-5.0, 5.0, 23)
    assert vertex(x, 7.0 - ((x - top) / width) ** 2) == pytest.approx(top, abs=1e-6)


@pytest.mark.parametrize(
    ("build", "field"),
    [
        (lambda: TunedCircuit(-1e-3, 1e-10, 90), "inductance_h"),
        (lambda: TunedCircuit(1e-3, 1e-10, float("nan")), "q"),
        (lambda: pair(90, 90, 95.0), "coupling"),
    ],
)
def test_what_cannot_be_is_refused(build: object, field: str) -> None:
    with pytest.raises(BadInput) as refusal:
        build()  # type: ignore[operator]
    assert refusal.value.field == field
