"""Tuned circuits: single, and in coupled pairs.

The Q of a winding includes its loading. Its series loss is constant with frequency,
r = 2 pi f0 L / Q. The coupled pair is solved exactly, not by the narrow-band shortcut, so its
maximum is not exactly at the uncoupled resonance. Source: mesh analysis of two inductively coupled
circuits, as in any radio engineering handbook's chapter on coupled circuits.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def resonant_frequency_hz(*, inductance_h: float, capacitance_f: float) -> float:
    """f = 1/(2 pi sqrt(L C)); both above zero."""
    require_positive(inductance_h=inductance_h, capacitance_f=capacitance_f)
    return 1.0 / (2.0 * math.pi * math.sqrt(inductance_h * capacitance_f))


def resonating_inductance_h(*, frequency_hz: float, capacitance_f: float) -> float:
    """The L that resonates with ``capacitance_f`` at ``frequency_hz``."""
    require_positive(frequency_hz=frequency_hz, capacitance_f=capacitance_f)
    return 1.0 / ((2.0 * math.pi * frequency_hz) ** 2 * capacitance_f)


def resonating_capacitance_f(*, frequency_hz: float, inductance_h: float) -> float:
    """The C that resonates with ``inductance_h`` at ``frequency_hz``."""
    require_positive(frequency_hz=frequency_hz, inductance_h=inductance_h)
    return 1.0 / ((2.0 * math.pi * frequency_hz) ** 2 * inductance_h)


@dataclass(frozen=True, slots=True)
class TunedCircuit:
    """One winding with its capacitor: L in H, C in F, loaded Q at its own resonance."""

    inductance_h: float
    capacitance_f: float
    q: float

    def __post_init__(self) -> None:
        require_positive(inductance_h=self.inductance_h, capacitance_f=self.capacitance_f, q=self.q)

    @property
    def resonance_hz(self) -> float:
        """Uncoupled resonance."""
        return resonant_frequency_hz(
            inductance_h=self.inductance_h, capacitance_f=self.capacitance_f
        )

    @property
    def series_loss_ohm(self) -> float:
        """r = 2 pi f0 L / Q, constant with frequency."""
        return 2.0 * math.pi * self.resonance_hz * self.inductance_h / self.q

    @property
    def dynamic_resistance_ohm(self) -> float:
        """Q 2 pi f0 L, the parallel resistance at resonance (high-Q form)."""
        return self.q * 2.0 * math.pi * self.resonance_hz * self.inductance_h


def circuit_response(
    frequency_hz: Floats | float, resonance_hz: Floats | float, q: Floats | float
) -> Floats:
    """Magnitude of a single tuned circuit's response, 1 at resonance.

    1/sqrt(1 + Q^2 (f/f0 - f0/f)^2). Arguments broadcast.
    """
    detuning = np.asarray(frequency_hz) / resonance_hz - np.asarray(resonance_hz) / frequency_hz
    return np.asarray(1.0 / np.sqrt(1.0 + (q * detuning) ** 2), dtype=np.float64)


@dataclass(frozen=True, slots=True)
class CoupledPair:
    """Two inductively coupled tuned circuits, driven at the primary, taken from the secondary.

    ``coupling`` is k = M / sqrt(L1 L2), above 0 and below 1.
    """

    primary: TunedCircuit
    secondary: TunedCircuit
    coupling: float

    def __post_init__(self) -> None:
        if not 0.0 < self.coupling < 1.0:
            raise BadInput("coupling", f"{self.coupling!r}", "must be between 0 and 1", "0.012")

    @property
    def critical_coupling(self) -> float:
        """k at which the peak just begins to split, 1/sqrt(Q1 Q2) (equal Qs: exact)."""
        return 1.0 / math.sqrt(self.primary.q * self.secondary.q)

    def transimpedance_ohm(self, frequency_hz: Floats) -> Complexes:
        """Secondary volts per ampere into the primary, shape as ``frequency_hz`` (> 0).

        The current source drives the primary's capacitor in parallel with its winding; with
        Zn = r + jwL + 1/(jwC) of each mesh, V2/I1 = -jwM Xc1 Xc2 / (Z1 Z2 + (wM)^2).
        """
        omega = 2.0 * np.pi * np.asarray(frequency_hz, dtype=np.float64)
        first, second = self.primary, self.secondary
        mutual_h = self.coupling * math.sqrt(first.inductance_h * second.inductance_h)
        capacitive_1 = 1.0 / (1j * omega * first.capacitance_f)
        capacitive_2 = 1.0 / (1j * omega * second.capacitance_f)
        mesh_1 = first.series_loss_ohm + 1j * omega * first.inductance_h + capacitive_1
        mesh_2 = second.series_loss_ohm + 1j * omega * second.inductance_h + capacitive_2
        transfer = -1j * omega * mutual_h * capacitive_1 * capacitive_2
        return np.asarray(transfer / (mesh_1 * mesh_2 + (omega * mutual_h) ** 2))


@dataclass(frozen=True, slots=True)
class Passband:
    """What a response curve says: peak, centre of the -6 dB points, and width between them (Hz)."""

    peak_hz: float
    centre_hz: float
    width_hz: float

    @property
    def edges_hz(self) -> tuple[float, float]:
        """The lower and the upper crossing."""
        return self.centre_hz - 0.5 * self.width_hz, self.centre_hz + 0.5 * self.width_hz


def passband(frequency_hz: Floats, response: Floats, *, down_db: float = 6.0) -> Passband:
    """Peak and outermost crossings ``down_db`` below the highest maximum.

    ``frequency_hz`` ascending, ``response`` linear (volts), both shape (n,), n >= 3. Raises
    BadInput when the curve does not fall that far on both sides.
    """
    level = np.asarray(response) / np.max(response)
    threshold = 10.0 ** (-down_db / 20.0)
    above = np.flatnonzero(level >= threshold)
    if above[0] == 0 or above[-1] == level.size - 1:
        raise BadInput(
            "sweep",
            f"{frequency_hz[0]:.0f}-{frequency_hz[-1]:.0f} Hz",
            f"does not fall {down_db:g} dB on both sides; widen it",
            "450-480 kHz",
        )
    low, high = above[0], above[-1]
    lower = np.interp(threshold, level[low - 1 : low + 1], frequency_hz[low - 1 : low + 1])
    upper = np.interp(threshold, level[high : high + 2][::-1], frequency_hz[high : high + 2][::-1])
    return Passband(
        peak_hz=vertex(frequency_hz, response),
        centre_hz=float((lower + upper) / 2.0),
        width_hz=float(upper - lower),
    )


def vertex(x: Floats, y: Floats) -> float:
    """Abscissa of the maximum, by the parabola through the highest sample and its neighbours.

    ``x`` ascending, shape (n,). At an end of the range the end itself is returned.
    """
    top = int(np.argmax(y))
    if top == 0 or top == len(x) - 1:
        return float(x[top])
    x0, x1, x2 = (float(v) for v in x[top - 1 : top + 2])
    y0, y1, y2 = (float(v) for v in y[top - 1 : top + 2])
    left, right = (x1 - x0) * (y1 - y2), (x1 - x2) * (y1 - y0)
    denominator = left - right
    if denominator == 0.0:
        return x1
    return x1 - 0.5 * ((x1 - x0) * left - (x1 - x2) * right) / denominator
