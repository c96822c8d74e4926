"""Which core a curve tells to turn: direction from one curve, the core from a second."""

from __future__ import annotations

import numpy as np
import pytest

from glowdial.core.alignment.which_core import (
    CanDesign,
    SweptCurve,
    deciding_moves,
    which_core,
)
from glowdial.core.language.errors import BadInput

CENTRE_HZ = 455e3


def drawn(
    cans: list[CanDesign], off: dict[str, float], rng: np.random.Generator, noise: float = 0.02
) -> SweptCurve:
    """A response by solving each can's mesh matrix, with noise: nothing of the fit is used."""
    reach = 2.4 / cans[0].q[0]
    frequency = CENTRE_HZ * np.linspace(1.0 - reach, 1.0 + reach, 201)
    volts = np.ones(frequency.size)
    for can in cans:
        for n, f in enumerate(frequency):
            u = np.array([CENTRE_HZ * (1.0 + off.get(core, 0.0)) / f for core in can.cores])
            matrix = np.diag(u / np.array(can.q) + 1j * (1.0 - u**2)).astype(complex)
            for m, k in enumerate(can.coupling):
                matrix[m, m + 1] = matrix[m + 1, m] = -1j * k
            source = np.zeros(len(can.cores), complex)
            source[0] = u[0] ** 2
            volts[n] *= abs(np.linalg.solve(matrix, source)[-1] * u[-1] ** 2)
    volts = volts / volts.max() + noise * rng.standard_normal(frequency.size)
    return SweptCurve(frequency, volts, noise=noise)


def two_cans() -> list[CanDesign]:
    return [
        CanDesign(("T1p", "T1s"), (80.0, 95.0), (0.9,)),
        CanDesign(("T2p", "T2s"), (70.0, 60.0), (0.8,)),
    ]


@pytest.mark.parametrize("core", ["T1p", "T1s", "T2p", "T2s"])
@pytest.mark.parametrize("offset", [-0.012, -0.005, 0.005, 0.012])
def test_one_curve_gives_the_way_and_a_second_the_core(core: str, offset: float) -> None:
    rng = np.random.default_rng(int(1e6 * abs(offset)) + sum(map(ord, core)))
    cans = two_cans()
    first = drawn(cans, {core: offset}, rng)
    found = which_core(cans, CENTRE_HZ, [first])
    assert (found.too_high > 0.5) is (offset > 0.0)
    assert sum(f.probability for f in found.cores) + found.several + found.none == pytest.approx(
        1.0
    )
    named = found.named
    if named is None:
        moved = deciding_moves(cans, found)
        assert moved
        off = {core: offset}
        for name, way in moved.items():
            off[name] = off.get(name, 0.0) + way
        again = drawn(cans, off, rng)
        again = SweptCurve(again.frequency_hz, again.volts, moved, again.noise)
        found = which_core(cans, CENTRE_HZ, [first, again])
        named = found.cores[0]
    assert named.core == core
    assert named.offset == pytest.approx(offset, abs=0.0025)


def test_two_like_windings_are_twins_in_one_curve() -> None:
    can = CanDesign(("P", "S"), (90.0, 90.0), (1.0,))
    curve = drawn([can], {"P": 0.008}, np.random.default_rng(4))
    found = which_core([can], CENTRE_HZ, [curve])
    assert found.named is None
    share = {f.core: f.probability for f in found.cores}
    assert share["P"] == pytest.approx(share["S"], rel=1e-3)
    assert len(deciding_moves([can], found)) == 1


def test_a_single_circuit_needs_no_second_curve() -> None:
    can = CanDesign(("P",), (80.0,))
    found = which_core([can], CENTRE_HZ, [drawn([can], {"P": 0.006}, np.random.default_rng(5))])
    assert found.named is not None and found.named.offset == pytest.approx(0.006, abs=1e-3)


def test_the_fitted_curve_lies_on_the_trace() -> None:
    cans = two_cans()
    curve = drawn(cans, {"T1s": -0.009}, np.random.default_rng(6))
    found = which_core(cans, CENTRE_HZ, [curve])
    assert np.std(found.fitted_v - curve.volts) < 0.025


def test_many_cores_off_are_several() -> None:
    cans = two_cans()
    off = {"T1p": 0.02, "T1s": -0.02, "T2p": 0.015, "T2s": 0.007}
    found = which_core(cans, CENTRE_HZ, [drawn(cans, off, np.random.default_rng(7))])
    assert found.several > 0.9 and found.named is None


def test_what_is_no_curve_is_refused() -> None:
    can = CanDesign(("P",), (80.0,))
    frequency = np.linspace(450e3, 460e3, 50)
    good = np.ones(50)
    for f, v in (
        (frequency[:4], good[:4]),
        (frequency, good * np.nan),
        (frequency[::-1], good),
        (frequency, -good),
    ):
        with pytest.raises(BadInput):
            which_core([can], CENTRE_HZ, [SweptCurve(f, v)])
    with pytest.raises(BadInput):
        which_core([can], CENTRE_HZ, [])


def test_where_nothing_is_off_that_is_the_likeliest() -> None:
    cans = two_cans()
    found = which_core(cans, CENTRE_HZ, [drawn(cans, {}, np.random.default_rng(8))])
    assert found.none > 0.5 and found.named is None
