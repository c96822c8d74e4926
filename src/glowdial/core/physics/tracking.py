"""Oscillator tracking: three-point values, the error between them, and what each adjuster does.

Tracking error = oscillator -/+ IF - signal-circuit resonance over the dial; for an oscillator below
the signal the sign of the IF is turned. With the signal circuit's gang capacity as the variable x,
both usual oscillator circuits obey 1/w^2 = (a x + b)/(x + c); three frequencies make three linear
equations. Source: the three-point tracking problem of radio engineering handbooks, solved in closed
form instead of by the published approximations.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.resonance import resonating_inductance_h

Floats = NDArray[np.float64]


class TrimmerPlace(StrEnum):
    """Where the oscillator trimmer sits."""

    ACROSS_GANG = "across the gang"
    ACROSS_COIL = "across the coil"


@dataclass(frozen=True, slots=True)
class Gang:
    """A gang section: least and greatest capacity in F, plates out and fully meshed."""

    minimum_f: float
    maximum_f: float

    def __post_init__(self) -> None:
        require_positive(gang_minimum_f=self.minimum_f, gang_maximum_f=self.maximum_f)
        if self.maximum_f <= self.minimum_f:
            raise BadInput(
                "gang",
                f"{self.minimum_f * 1e12:g}-{self.maximum_f * 1e12:g} pF",
                "must rise from plates out to plates in",
                "12-430 pF",
            )


@dataclass(frozen=True, slots=True)
class SignalCircuit:
    """Aerial or RF circuit: coil in H, and all fixed capacity across the gang (trimmer, strays)."""

    inductance_h: float
    trimmer_f: float

    def gang_capacity_f(self, frequency_hz: Floats | float) -> Floats:
        """Gang capacity that tunes the circuit to ``frequency_hz``; may fall outside the gang."""
        omega = 2.0 * np.pi * np.asarray(frequency_hz, dtype=np.float64)
        return np.asarray(1.0 / (omega**2 * self.inductance_h) - self.trimmer_f)

    def resonance_hz(self, gang_f: Floats | float) -> Floats:
        """Resonance at a gang capacity in F."""
        total = np.asarray(gang_f, dtype=np.float64) + self.trimmer_f
        return np.asarray(1.0 / (2.0 * np.pi * np.sqrt(self.inductance_h * total)))


@dataclass(frozen=True, slots=True)
class OscillatorCircuit:
    """LO tank: coil in H, trimmer (strays included) and padder in F, and where the trimmer sits."""

    inductance_h: float
    trimmer_f: float
    padder_f: float
    place: TrimmerPlace = TrimmerPlace.ACROSS_GANG

    def resonance_hz(self, gang_f: Floats | float) -> Floats:
        """LO frequency at a gang capacity in F."""
        gang = np.asarray(gang_f, dtype=np.float64)
        if self.place is TrimmerPlace.ACROSS_GANG:
            variable = gang + self.trimmer_f
            total = self.padder_f * variable / (self.padder_f + variable)
        else:
            total = self.trimmer_f + self.padder_f * gang / (self.padder_f + gang)
        return np.asarray(1.0 / (2.0 * np.pi * np.sqrt(self.inductance_h * total)))


@dataclass(frozen=True, slots=True)
class TrackedBand:
    """A band's nominal design: signal circuit, oscillator, and the intermediate frequency.

    ``intermediate_frequency_hz`` is positive; ``high_side`` tells whether the LO stands above.
    """

    signal: SignalCircuit
    oscillator: OscillatorCircuit
    intermediate_frequency_hz: float
    high_side: bool = True

    @property
    def offset_hz(self) -> float:
        """LO less signal: +IF for a high-side oscillator, -IF for a low-side one."""
        return self.intermediate_frequency_hz * (1.0 if self.high_side else -1.0)

    def tuned_hz(self, gang_f: Floats | float) -> Floats:
        """The frequency that the oscillator brings in at a gang capacity."""
        return self.oscillator.resonance_hz(gang_f) - self.offset_hz

    def error_hz(self, signal_hz: Floats | float) -> Floats:
        """Tracking error where the signal circuit resonates at ``signal_hz``."""
        gang = self.signal.gang_capacity_f(signal_hz)
        return self.tuned_hz(gang) - np.asarray(signal_hz, dtype=np.float64)


def signal_circuit(gang: Gang, low_hz: float, high_hz: float) -> SignalCircuit:
    """Coil and fixed capacity that cover ``low_hz`` to ``high_hz`` with the whole gang.

    From (f_high/f_low)^2 = (Cmax + Ct)/(Cmin + Ct). Raises BadInput when the gang's range cannot
    cover the band.
    """
    require_positive(low_hz=low_hz, high_hz=high_hz)
    if high_hz <= low_hz:
        raise BadInput(
            "band", f"{low_hz:g}-{high_hz:g} Hz", "must run from low to high", "530-1620 kHz"
        )
    ratio = (high_hz / low_hz) ** 2
    trimmer = (gang.maximum_f - ratio * gang.minimum_f) / (ratio - 1.0)
    if trimmer <= 0.0:
        raise BadInput(
            "gang",
            f"{gang.minimum_f * 1e12:g}-{gang.maximum_f * 1e12:g} pF",
            f"is too small to tune {low_hz / 1e3:g}-{high_hz / 1e3:g} kHz in one band",
            "12-430 pF for 530-1620 kHz",
        )
    inductance = resonating_inductance_h(
        frequency_hz=low_hz, capacitance_f=gang.maximum_f + trimmer
    )
    return SignalCircuit(inductance, trimmer)


def check_inside(points_hz: Iterable[float], low_hz: float, high_hz: float) -> None:
    """Raises BadInput for a tracking point outside its band."""
    for point in points_hz:
        if not low_hz <= point <= high_hz:
            raise BadInput("points_hz", f"{point:g}", "must lie in the band", "600000")


def three_point(
    signal: SignalCircuit,
    intermediate_frequency_hz: float,
    points_hz: tuple[float, float, float],
    *,
    place: TrimmerPlace = TrimmerPlace.ACROSS_GANG,
    high_side: bool = True,
) -> TrackedBand:
    """Oscillator coil, trimmer and padder that track exactly at three signal frequencies.

    Exact, by three linear equations. Raises BadInput when no positive values exist (a low-side
    oscillator with the padder in the LO, or points that coincide).
    """
    require_positive(intermediate_frequency_hz=intermediate_frequency_hz)
    points = np.array(points_hz)
    offset = intermediate_frequency_hz if high_side else -intermediate_frequency_hz
    x = signal.gang_capacity_f(points) * 1e12
    y = (2.0 * np.pi * (points + offset)) ** 2
    # y (a x + b) - c = x in picofarads keeps the system well scaled
    scale = 1.0 / float(np.mean(y))
    matrix = np.column_stack([y * scale * x, y * scale, -np.ones(3)])
    try:
        a, b, c = (float(v) for v in np.linalg.solve(matrix, x))
    except np.linalg.LinAlgError:
        raise _untrackable(points_hz) from None
    a, b = a * scale, b * scale
    if place is TrimmerPlace.ACROSS_GANG:
        trimmer = b / a if a > 0 else -1.0
        padder = c - trimmer
        inductance = a / padder if padder > 0 else -1.0
    else:
        padder = c
        series = b / a if a > 0 else -1.0
        trimmer = series * padder / (padder - series) if 0 < series < padder else -1.0
        inductance = a / (trimmer + padder) if trimmer > 0 and padder > 0 else -1.0
    if min(trimmer, padder, inductance) <= 0.0:
        raise _untrackable(points_hz)
    # a and b carry pF per (rad/s)^2; the coil in H follows with C in F
    oscillator = OscillatorCircuit(inductance * 1e12, trimmer * 1e-12, padder * 1e-12, place)
    return TrackedBand(signal, oscillator, intermediate_frequency_hz, high_side)


def _untrackable(points_hz: tuple[float, float, float]) -> BadInput:
    text = ", ".join(f"{p / 1e3:g}" for p in points_hz)
    return BadInput(
        "tracking points",
        f"{text} kHz",
        "give no oscillator with positive coil, trimmer and padder",
        "600, 1000, 1400 kHz",
    )


def chebyshev_points(low_hz: float, high_hz: float) -> tuple[float, float, float]:
    """Three zeros of the cubic Chebyshev polynomial over the band: the schoolbook start."""
    middle, half = (low_hz + high_hz) / 2.0, (high_hz - low_hz) / 2.0
    reach = half * math.cos(math.pi / 6.0)
    return (middle - reach, middle, middle + reach)


def best_points(
    signal: SignalCircuit,
    intermediate_frequency_hz: float,
    low_hz: float,
    high_hz: float,
    *,
    place: TrimmerPlace = TrimmerPlace.ACROSS_GANG,
    high_side: bool = True,
) -> TrackedBand:
    """The tracking whose extreme errors over the band are equal (minimax in absolute Hz).

    Four extremes alternate: both ends and one between each pair of zeros; the three points are
    moved until their magnitudes agree.
    """
    from scipy.optimize import least_squares  # late: it costs the first page half a second

    grid = np.linspace(low_hz, high_hz, 201)

    def extremes(points: Floats) -> Floats:
        p, q, r = (float(v) for v in points)
        band = three_point(
            signal, intermediate_frequency_hz, (p, q, r), place=place, high_side=high_side
        )
        error = np.abs(band.error_hz(grid))
        inner = [np.max(error[(grid >= s) & (grid <= t)]) for s, t in ((p, q), (q, r))]
        outer = np.abs(band.error_hz(np.array([low_hz, high_hz])))
        return np.array([outer[0] - inner[0], inner[0] - inner[1], inner[1] - outer[1]])

    start = np.array(chebyshev_points(low_hz, high_hz))
    span = high_hz - low_hz
    found = least_squares(
        extremes, start, bounds=(start - 0.1 * span, start + 0.0999 * span), diff_step=1e-4
    )
    p, q, r = (float(v) for v in found.x)
    return three_point(
        signal, intermediate_frequency_hz, (p, q, r), place=place, high_side=high_side
    )


class AdjusterKind(StrEnum):
    """What an oscillator adjuster changes."""

    TRIMMER = "trimmer"
    PADDER = "padder"
    CORE = "core"


def dial_shift_hz(
    band: TrackedBand, mark_hz: float, kind: AdjusterKind, relative_change: float
) -> float:
    """How far the frequency brought in at a dial mark moves when an adjuster changes.

    ``relative_change`` is the change of the trimmer's or padder's capacity or of the coil's
    inductance as a fraction of its present value. The gang stays where the mark is.
    """
    lo = band.oscillator
    gang = band.signal.gang_capacity_f(mark_hz)
    if kind is AdjusterKind.TRIMMER:
        changed = replace(lo, trimmer_f=lo.trimmer_f * (1.0 + relative_change))
    elif kind is AdjusterKind.PADDER:
        changed = replace(lo, padder_f=lo.padder_f * (1.0 + relative_change))
    else:
        changed = replace(lo, inductance_h=lo.inductance_h * (1.0 + relative_change))
    return float(changed.resonance_hz(gang) - lo.resonance_hz(gang))


def mistracking_loss_db(error_hz: float, signal_hz: float, q: float) -> float:
    """dB lost in a signal circuit of loaded ``q`` that is ``error_hz`` off the signal."""
    require_positive(signal_hz=signal_hz, q=q)
    tuned = signal_hz - error_hz
    detuning = signal_hz / tuned - tuned / signal_hz
    return 10.0 * math.log10(1.0 + (q * detuning) ** 2)
