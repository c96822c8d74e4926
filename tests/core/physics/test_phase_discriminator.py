"""The phase discriminator against a nodal analysis of its circuit, and its S read back."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.alignment.s_curve import s_curve
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.phase_discriminator import PhaseDiscriminator

IF_HZ, Q = 10.7e6, 40.0


def by_nodes(
    frequency_hz: float, primary_hz: float, secondary_hz: float, q: float, a: float
) -> tuple[float, float]:
    """Volts at both diodes by solving two parallel circuits with a mutual inductance, driven by a
    current; equal inductances of 1 at the IF's reactance, scaled to the primary's own volts at
    resonance alone."""
    w = 2.0 * math.pi * frequency_hz
    l_h = 1e-6
    w1, w2 = 2.0 * math.pi * primary_hz, 2.0 * math.pi * secondary_hz
    c1, c2 = 1.0 / (w1**2 * l_h), 1.0 / (w2**2 * l_h)
    r1, r2 = q * w1 * l_h, q * w2 * l_h
    k = a / q
    # inverse inductance matrix of a coupled pair of equal coils
    inverse = np.array([[1.0, -k], [-k, 1.0]]) / (l_h * (1.0 - k * k))
    y = inverse / (1j * w) + np.diag([1.0 / r1 + 1j * w * c1, 1.0 / r2 + 1j * w * c2])
    v1, v2 = np.linalg.solve(y, np.array([1.0 / r1, 0.0]))
    return float(abs(v1 - 0.5 * v2)), float(abs(v1 + 0.5 * v2))


@settings(max_examples=60, deadline=None)
@given(st.floats(-0.02, 0.02), st.floats(0.8, 2.0))
def test_both_diodes_are_those_of_the_circuit(off: float, a: float) -> None:
    """Within what a high Q leaves out (the exact circuit's k^2 and slope of reactance)."""
    at = IF_HZ * (1.0 + off / 10.0)
    made = PhaseDiscriminator(IF_HZ, IF_HZ, 400.0, 400.0, a)
    upper, lower = (float(x) for x in made.diodes(at))
    one, other = by_nodes(at, IF_HZ, IF_HZ, 400.0, a)
    assert sorted((one, other)) == pytest.approx(sorted((upper, lower)), rel=0.03)


@settings(max_examples=60, deadline=None)
@given(st.floats(-0.004, 0.004), st.floats(-0.003, 0.003))
def test_the_secondary_sets_the_zero_and_the_primary_the_symmetry(
    secondary: float, primary: float
) -> None:
    made = PhaseDiscriminator(IF_HZ * (1.0 + primary), IF_HZ * (1.0 + secondary), Q, Q, 1.4)
    row = IF_HZ + np.linspace(-500e3, 500e3, 801)
    seen = s_curve(row, made.output(row))
    assert seen.zero_hz == pytest.approx(IF_HZ * (1.0 + secondary), abs=1e3)
    apart = primary - secondary
    if abs(apart) > 1e-3:
        assert math.copysign(1.0, seen.unlike) == math.copysign(1.0, apart)
    else:
        assert abs(seen.unlike) < 0.03


def test_alike_halves_a_straight_middle_and_its_width() -> None:
    made = PhaseDiscriminator(IF_HZ, IF_HZ, Q, Q, 1.5)
    row = IF_HZ + np.linspace(-500e3, 500e3, 2001)
    seen = s_curve(row, made.output(row))
    level = made.output(row)
    assert seen.separation_hz == pytest.approx(
        float(row[np.argmax(level)] - row[np.argmin(level)]), abs=1e3
    )
    assert abs(seen.unlike) < 1e-6 and seen.bend is not None and seen.bend < 0.03
    coarse = IF_HZ + np.linspace(-340e3, 340e3, 15)
    few = s_curve(coarse, made.output(coarse))
    assert few.separation_hz == pytest.approx(seen.separation_hz, rel=0.03)
    turned = s_curve(row[::-1], -level[::-1])
    assert turned.zero_hz == pytest.approx(seen.zero_hz, abs=1.0)
    assert s_curve(row[900:1101], level[900:1101], swing_hz=75e3).bend is None


@pytest.mark.parametrize(
    "volts",
    [
        np.linspace(0.1, 0.9, 9),
        np.array([0.0, 0.1, 0.4, 0.9, 1.0, 0.8, 0.4, 0.1, -0.02]),
        np.array([0.1, np.nan, 0.0, 1.0, 2.0, 3.0, 1.0, 0.0, -1.0]),
    ],
)
def test_what_is_no_s_is_refused(volts: np.ndarray) -> None:
    with pytest.raises(BadInput):
        s_curve(np.linspace(10.4e6, 11.0e6, 9), volts)
