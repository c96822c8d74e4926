"""One to three tuned circuits in a can, each coupled to the next, and the slopes of their response.

Mesh analysis, exact with frequency: with u = f0/f of a mesh, its impedance over its own reactance
is z = u/Q + j (1 - u^2), and a coupling k joins neighbours. Driven by a current into the first
capacitor and taken from the last, the transfer is the product of all k and of u^2 of both ends over
the determinant of the tridiagonal mesh matrix (Terman, Radio Engineers' Handbook, coupled
circuits; the determinant by the continuant's recurrence). Only the shape counts here: a constant
factor is left out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
MOST_CIRCUITS = 3


@dataclass(frozen=True, slots=True)
class CanShape:
    """A can's circuits: resonances in Hz and loaded Qs, shape (n,) each with n of 1 to 3, and the
    coupling factors between neighbours, shape (n - 1,), each above 0 and below 1."""

    resonance_hz: tuple[float, ...]
    q: tuple[float, ...]
    coupling: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        count = len(self.resonance_hz)
        if not 1 <= count <= MOST_CIRCUITS or len(self.q) != count:
            raise BadInput("circuits", f"{count}", "are one to three, each with its Q", "2")
        if len(self.coupling) != count - 1 or not all(0.0 < k < 1.0 for k in self.coupling):
            raise BadInput(
                "coupling", f"{self.coupling}", "is one between neighbours, 0 to 1", "0.011"
            )
        if min(*self.resonance_hz, *self.q) <= 0.0:
            raise BadInput("circuits", f"{self}", "have resonance and Q above zero", "455000, 90")

    def transfer(self, frequency_hz: Floats) -> Complexes:
        """Complex transfer without a constant factor, shape as ``frequency_hz`` (> 0)."""
        return _transfer(self, np.asarray(frequency_hz, dtype=np.float64))[0]


def _transfer(can: CanShape, frequency_hz: Floats) -> tuple[Complexes, list[Complexes], Complexes]:
    """Transfer, the normalised mesh impedances, and the determinant."""
    ratios = [f0 / frequency_hz for f0 in can.resonance_hz]
    meshes = [u / q + 1j * (1.0 - u * u) for u, q in zip(ratios, can.q, strict=True)]
    determinant = _continuant(meshes, can.coupling)
    top = np.full_like(frequency_hz, math.prod(can.coupling))
    for u in _ends(ratios):
        top = top * u * u
    return np.asarray(top / determinant), meshes, determinant


def _ends(each: list[Floats]) -> list[Floats]:
    """Of the first and the last circuit: where the current enters and the volts are taken."""
    return each if len(each) < MOST_CIRCUITS else [each[0], each[-1]]


def _continuant(meshes: list[Complexes], coupling: tuple[float, ...]) -> Complexes:
    """Determinant of the tridiagonal mesh matrix with off-diagonals jk."""
    before: Complexes | float = 1.0
    now = meshes[0]
    for z, k in zip(meshes[1:], coupling, strict=True):
        before, now = now, z * now + k * k * before
    return now


@dataclass(frozen=True, slots=True)
class ShapeSlopes:
    """A can's magnitude in nepers, shape (points,), and its slopes against the logarithms of the
    resonances, of the Qs and of the couplings, shapes (n, points), (n, points), (n - 1, points)."""

    magnitude: Floats
    by_resonance: Floats
    by_q: Floats
    by_coupling: Floats


def shape_slopes(can: CanShape, frequency_hz: Floats) -> ShapeSlopes:
    """ln |transfer| and its exact slopes; ``frequency_hz`` above 0, shape (points,)."""
    transfer, meshes, determinant = _transfer(can, frequency_hz)
    count, points = len(meshes), frequency_hz.size
    by_resonance, by_q = np.empty((count, points)), np.empty((count, points))
    by_coupling = np.empty((count - 1, points))
    for n, (f0, q, z) in enumerate(zip(can.resonance_hz, can.q, meshes, strict=True)):
        # the determinant is linear in each mesh impedance
        share = _without(meshes, can.coupling, n) / determinant
        u = f0 / frequency_hz
        end = 2.0 if n in (0, count - 1) else 0.0
        by_resonance[n] = end - np.real(share * (u / q - 2j * u * u))
        by_q[n] = np.real(share * z.real)
    for n in range(count - 1):
        apart = _continuant(meshes[: n + 1], can.coupling[:n]) * _continuant(
            meshes[n + 1 :], can.coupling[n + 1 :]
        )
        by_coupling[n] = 1.0 - 2.0 * np.real((determinant - apart) / determinant)
    magnitude = np.log(np.abs(transfer))
    return ShapeSlopes(magnitude, by_resonance, by_q, by_coupling)


def _without(meshes: list[Complexes], coupling: tuple[float, ...], n: int) -> Complexes:
    """The determinant's slope against mesh ``n``: the product of what stands either side."""
    one = np.ones_like(meshes[0])
    left = _continuant(meshes[:n], coupling[: n - 1]) if n > 0 else one
    right = _continuant(meshes[n + 1 :], coupling[n + 1 :]) if n + 1 < len(meshes) else one
    return np.asarray(left * right)
