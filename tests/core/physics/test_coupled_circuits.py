"""Cans of one to three circuits: against the pair's mesh solution, a matrix solver, differences."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.coupled_circuits import CanShape, shape_slopes
from glowdial.core.physics.resonance import CoupledPair, TunedCircuit, resonating_inductance_h

NEAR = np.linspace(0.97, 1.03, 41)


def a_can(count: int, rng: np.random.Generator, centre_hz: float = 455e3) -> CanShape:
    return CanShape(
        tuple(centre_hz * (1.0 + 0.01 * rng.standard_normal(count))),
        tuple(60.0 + 60.0 * rng.random(count)),
        tuple(0.006 + 0.01 * rng.random(count - 1)),
    )


def test_a_pair_has_the_shape_of_the_mesh_solution_in_henries_and_farads() -> None:
    centre = 465e3
    first = TunedCircuit(
        resonating_inductance_h(frequency_hz=centre * 1.004, capacitance_f=110e-12), 110e-12, 88.0
    )
    second = TunedCircuit(
        resonating_inductance_h(frequency_hz=centre * 0.997, capacitance_f=140e-12), 140e-12, 71.0
    )
    pair = CoupledPair(first, second, 0.013)
    frequency = centre * NEAR
    exact = np.abs(pair.transimpedance_ohm(frequency))
    # ohms also carry the mesh's own reactance: volts per ampere rise with frequency once more
    exact = exact / frequency
    shape = np.abs(
        CanShape((first.resonance_hz, second.resonance_hz), (88.0, 71.0), (0.013,)).transfer(
            frequency
        )
    )
    ratio = exact / shape
    assert np.ptp(ratio) / ratio.mean() < 1e-9


@given(st.integers(1, 3), st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_the_transfer_is_that_of_the_mesh_matrix_solved_as_it_stands(count: int, seed: int) -> None:
    can = a_can(count, np.random.default_rng(seed))
    for frequency in 455e3 * NEAR[::8]:
        u = np.array(can.resonance_hz) / frequency
        matrix = np.diag(u / np.array(can.q) + 1j * (1.0 - u**2)).astype(complex)
        for n, k in enumerate(can.coupling):
            matrix[n, n + 1] = matrix[n + 1, n] = -1j * k
        source = np.zeros(count, complex)
        source[0] = u[0] ** 2
        last = np.linalg.solve(matrix, source)[-1] * (u[-1] ** 2 if count > 1 else 1.0)
        ours = can.transfer(np.array([frequency]))[0]
        assert abs(ours) == pytest.approx(abs(last), rel=1e-9)


@given(st.integers(1, 3), st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_slopes_are_those_of_small_differences(count: int, seed: int) -> None:
    can = a_can(count, np.random.default_rng(seed))
    frequency = 455e3 * NEAR
    slopes = shape_slopes(can, frequency)
    step = 1e-6

    def moved(name: str, n: int, way: float) -> np.ndarray:
        values = {
            "resonance_hz": list(can.resonance_hz),
            "q": list(can.q),
            "coupling": list(can.coupling),
        }
        values[name][n] *= 1.0 + way * step
        other = CanShape(*(tuple(values[k]) for k in ("resonance_hz", "q", "coupling")))
        return np.log(np.abs(other.transfer(frequency)))

    for name, exact in (
        ("resonance_hz", slopes.by_resonance),
        ("q", slopes.by_q),
        ("coupling", slopes.by_coupling),
    ):
        for n, row in enumerate(exact):
            differences = (moved(name, n, 1.0) - moved(name, n, -1.0)) / (2.0 * step)
            assert row == pytest.approx(differences, rel=1e-4, abs=1e-4)


@pytest.mark.parametrize(
    "shape",
    [
        ((), (), ()),
        ((1.0,), (1.0, 2.0), ()),
        ((1.0, 1.0), (9.0, 9.0), ()),
        ((1.0, 1.0), (9.0, 9.0), (1.2,)),
        ((1.0, -1.0), (9.0, 9.0), (0.1,)),
    ],
)
def test_what_is_no_can_is_refused(shape: tuple[tuple[float, ...], ...]) -> None:
    with pytest.raises((BadInput, TypeError)):
        CanShape(*shape)
