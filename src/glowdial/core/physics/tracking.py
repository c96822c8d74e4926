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
    """LO tank: coil in H, trimmer and padder in F (an infinite padder is none), where the trimmer
    sits, and in ``stray_f`` the fixed capacity at the other place: across the coil where the
    trimmer is across the gang, and the other way round.

    In an inductively tuned set L and C change places: the coil stands for the fixed capacitor, the
    trimmer for a coil in series with the moving one, the padder for a coil across both.
    """

    inductance_h: float
    trimmer_f: float
    padder_f: float
    place: TrimmerPlace = TrimmerPlace.ACROSS_GANG
    stray_f: float = 0.0

    @property
    def beside_gang_f(self) -> float:
        """All fixed capacity across the gang."""
        return self.trimmer_f if self.place is TrimmerPlace.ACROSS_GANG else self.stray_f

    @property
    def beside_coil_f(self) -> float:
        """All fixed capacity across the coil, behind the padder."""
        return self.stray_f if self.place is TrimmerPlace.ACROSS_GANG else self.trimmer_f

    def resonance_hz(self, gang_f: Floats | float) -> Floats:
        """LO frequency at a gang capacity in F."""
        variable = np.asarray(gang_f, dtype=np.float64) + self.beside_gang_f
        total = self.beside_coil_f + variable / (1.0 + variable / self.padder_f)
        return np.asarray(1.0 / (2.0 * np.pi * np.sqrt(self.inductance_h * total)))

    def gang_capacity_f(self, frequency_hz: Floats | float) -> Floats:
        """Gang capacity that tunes it to ``frequency_hz``, the inverse of ``resonance_hz``; beyond
        what the padder leaves it is not finite or below zero."""
        omega = 2.0 * np.pi * np.asarray(frequency_hz, dtype=np.float64)
        behind = 1.0 / (omega**2 * self.inductance_h) - self.beside_coil_f
        return np.asarray(behind / (1.0 - behind / self.padder_f) - self.beside_gang_f)


@dataclass(frozen=True, slots=True)
class OscillatorSection:
    """The gang's oscillator section against the signal section: ``scale`` times its capacity and
    ``offset_f`` more; with ``cut`` plates it has a law of its own, which tracks all over."""

    scale: float = 1.0
    offset_f: float = 0.0
    cut: bool = False


ALIKE = OscillatorSection()


@dataclass(frozen=True, slots=True)
class TrackedBand:
    """A band's nominal design: signal circuit, oscillator, and the intermediate frequency.

    ``intermediate_frequency_hz`` is positive; ``high_side`` tells whether the LO stands above.
    ``inductive`` sets are tuned by a rack of slugs: L and C change places throughout. With a
    ``fixed_first_hz`` below the band a crystal's oscillator brings it down first, to the
    difference, and the tunable one stands off from that.
    """

    signal: SignalCircuit
    oscillator: OscillatorCircuit
    intermediate_frequency_hz: float
    high_side: bool = True
    section: OscillatorSection = ALIKE
    inductive: bool = False
    fixed_first_hz: float = 0.0

    @property
    def offset_hz(self) -> float:
        """The tunable LO less the signal: +IF for a high-side oscillator, -IF for a low-side one,
        and less what a fixed oscillator took off before."""
        return self.image_offset_hz - self.fixed_first_hz

    @property
    def image_offset_hz(self) -> float:
        """Half of the way from a signal to its image: +IF or -IF, whatever came before."""
        return self.intermediate_frequency_hz * (1.0 if self.high_side else -1.0)

    def oscillator_gang_f(self, gang_f: Floats | float) -> Floats:
        """Capacity of the oscillator's section where the signal section has ``gang_f``."""
        gang = np.asarray(gang_f, dtype=np.float64)
        if self.section.cut:
            return self.oscillator.gang_capacity_f(self.signal.resonance_hz(gang) + self.offset_hz)
        return np.asarray(self.section.scale * gang + self.section.offset_f)

    def tuned_hz(self, gang_f: Floats | float) -> Floats:
        """The frequency that the oscillator brings in at a gang capacity of the signal section."""
        return self.oscillator.resonance_hz(self.oscillator_gang_f(gang_f)) - self.offset_hz

    def at_place_of_hz(self, other: TrackedBand, frequency_hz: float) -> float:
        """What comes in here where another oscillator, on the same gang, brings in a frequency; not
        finite where that is beyond all capacity."""
        gang = other.oscillator.gang_capacity_f(frequency_hz + other.offset_hz)
        return float(self.oscillator.resonance_hz(gang) - self.offset_hz)

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
    stray_f: float = 0.0,
    section: OscillatorSection = ALIKE,
) -> TrackedBand:
    """Oscillator coil, trimmer and padder that track exactly at three signal frequencies.

    ``stray_f`` is the fixed capacity where the trimmer is not. Exact, by three linear equations;
    the stray then makes one quadratic. Raises BadInput when no positive values exist (a low-side
    oscillator with the padder in the LO, or points that coincide).
    """
    require_positive(intermediate_frequency_hz=intermediate_frequency_hz)
    points = np.array(points_hz)
    offset = intermediate_frequency_hz if high_side else -intermediate_frequency_hz
    x = (section.scale * signal.gang_capacity_f(points) + section.offset_f) * 1e12
    y = (2.0 * np.pi * (points + offset)) ** 2
    # y (a x + b) - c = x in picofarads keeps the system well scaled
    scale = 1.0 / float(np.mean(y))
    matrix = np.column_stack([y * scale * x, y * scale, -np.ones(3)])
    try:
        a, b, c = (float(v) for v in np.linalg.solve(matrix, x))
    except np.linalg.LinAlgError:
        raise _untrackable(points_hz) from None
    a, b = a * scale, b * scale
    beside_gang, beside_coil, padder = _split(b / a if a > 0 else -1.0, c, stray_f * 1e12, place)
    inductance = a / (padder + beside_coil) if padder + beside_coil > 0 else -1.0
    trimmer = beside_gang if place is TrimmerPlace.ACROSS_GANG else beside_coil
    if min(trimmer, padder, inductance) <= 0.0:
        raise _untrackable(points_hz)
    # a and b carry pF per (rad/s)^2; the coil in H follows with C in F
    oscillator = OscillatorCircuit(
        inductance * 1e12, trimmer * 1e-12, padder * 1e-12, place, stray_f
    )
    return TrackedBand(signal, oscillator, intermediate_frequency_hz, high_side, section)


def _split(
    ratio: float, pole: float, stray: float, place: TrimmerPlace
) -> tuple[float, float, float]:
    """Capacity beside the gang, beside the coil, and padder, from b/a and c of the law
    1/w^2 = (a x + b)/(x + c), the stray being one of the first two; all in one unit, -1 where
    there are none.

    c = P + Cg and b/a = (Cc c + P Cg)/(Cc + P).
    """
    if not 0.0 < ratio < pole:
        return (-1.0, -1.0, -1.0)
    if place is TrimmerPlace.ACROSS_COIL:
        padder = pole - stray
        return (stray, padder * (ratio - stray) / (pole - ratio), padder)
    # Cg^2 - (c + r) Cg + r c + S (r - c) = 0
    half = 0.5 * (pole + ratio)
    beside_gang = half - math.sqrt(half**2 - ratio * pole - stray * (ratio - pole))
    return (beside_gang, stray, pole - beside_gang)


def two_point(
    signal: SignalCircuit,
    intermediate_frequency_hz: float,
    points_hz: tuple[float, float],
    *,
    high_side: bool = True,
    section: OscillatorSection = ALIKE,
) -> TrackedBand:
    """Oscillator coil and trimmer without a padder that track exactly at two signal frequencies:
    all that a low-side oscillator can have.

    From (x1 + T)/(x2 + T) = (w2/w1)^2. Raises BadInput when the trimmer would be below zero: the
    oscillator's range of frequency is wider than the gang can tune.
    """
    require_positive(intermediate_frequency_hz=intermediate_frequency_hz)
    points = np.array(sorted(points_hz))
    lo = points + (intermediate_frequency_hz if high_side else -intermediate_frequency_hz)
    if lo[0] <= 0.0 or lo[1] <= lo[0]:
        raise BadInput(
            "oscillator",
            f"{intermediate_frequency_hz / 1e3:g} kHz below {points[0] / 1e3:g} kHz",
            "cannot stand below the signal by more than the signal's own frequency",
            "an IF of 50 kHz, or the oscillator above",
        )
    x = section.scale * signal.gang_capacity_f(points) + section.offset_f
    ratio = float((lo[1] / lo[0]) ** 2)
    trimmer = float(x[0] - ratio * x[1]) / (ratio - 1.0)
    if trimmer <= 0.0:
        raise BadInput(
            "oscillator",
            f"{lo[0] / 1e3:g}-{lo[1] / 1e3:g} kHz",
            f"needs a gang that rises {ratio:.1f} times between the points; this one rises "
            f"{float(x[0] / x[1]):.1f} times",
            "another IF, a wider gang, or the oscillator on the other side",
        )
    coil = resonating_inductance_h(frequency_hz=float(lo[1]), capacitance_f=float(x[1]) + trimmer)
    oscillator = OscillatorCircuit(coil, trimmer, math.inf)
    return TrackedBand(signal, oscillator, intermediate_frequency_hz, high_side, section)


def cut_plates(
    signal: SignalCircuit,
    intermediate_frequency_hz: float,
    low_hz: float,
    high_hz: float,
    *,
    high_side: bool = True,
) -> TrackedBand:
    """A gang whose oscillator plates are cut for this band: no padder, no error between the points.

    The section and its trimmer are taken as large as the signal circuit's at the high end. Raises
    BadInput where the oscillator would have to stand at or below nothing.
    """
    require_positive(intermediate_frequency_hz=intermediate_frequency_hz)
    offset = intermediate_frequency_hz if high_side else -intermediate_frequency_hz
    if low_hz + offset <= 0.0:
        two_point(signal, intermediate_frequency_hz, (low_hz, high_hz), high_side=high_side)
    total_f = float(signal.gang_capacity_f(high_hz)) + signal.trimmer_f
    coil = resonating_inductance_h(frequency_hz=high_hz + offset, capacitance_f=total_f)
    return TrackedBand(
        signal,
        OscillatorCircuit(coil, signal.trimmer_f, math.inf),
        intermediate_frequency_hz,
        high_side,
        OscillatorSection(cut=True),
    )


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
    stray_f: float = 0.0,
    section: OscillatorSection = ALIKE,
) -> TrackedBand:
    """The tracking whose extreme errors over the band are equal (minimax in absolute Hz).

    Four extremes alternate: both ends and one between each pair of zeros; the three points are
    moved until their magnitudes agree.
    """
    from scipy.optimize import least_squares  # late: it costs the first page half a second

    grid = np.linspace(low_hz, high_hz, 201)

    def tracked(points_hz: tuple[float, float, float]) -> TrackedBand:
        return three_point(
            signal,
            intermediate_frequency_hz,
            points_hz,
            place=place,
            high_side=high_side,
            stray_f=stray_f,
            section=section,
        )

    def extremes(points: Floats) -> Floats:
        p, q, r = (float(v) for v in points)
        band = tracked((p, q, r))
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
    return tracked((p, q, r))


class AdjusterKind(StrEnum):
    """What an oscillator adjuster changes."""

    TRIMMER = "trimmer"
    PADDER = "padder"
    CORE = "core"


class TankRole(StrEnum):
    """What an adjuster does in the oscillator's law: to all frequencies alike (a coil's core), to
    the capacity that is always there (a trimmer), to the one in series (a padder)."""

    SCALE = "scale"
    SHUNT = "shunt"
    SERIES = "series"


def role_of(kind: AdjusterKind, *, inductive: bool) -> TankRole:
    """The role of a kind of adjuster; where L and C change places, core and trimmer do."""
    if kind is AdjusterKind.PADDER:
        return TankRole.SERIES
    core = kind is AdjusterKind.CORE
    return TankRole.SCALE if core is not inductive else TankRole.SHUNT


def adjusted(lo: OscillatorCircuit, role: TankRole, factor: float) -> OscillatorCircuit:
    """The circuit with one of its parts changed by a factor above zero."""
    if role is TankRole.SHUNT:
        return replace(lo, trimmer_f=lo.trimmer_f * factor)
    if role is TankRole.SERIES:
        return replace(lo, padder_f=lo.padder_f * factor)
    return replace(lo, inductance_h=lo.inductance_h * factor)


def dial_shift_hz(
    band: TrackedBand, mark_hz: float, kind: AdjusterKind, relative_change: float
) -> float:
    """How far the frequency brought in at a dial mark moves when an adjuster changes.

    ``relative_change`` is the change of the trimmer's or padder's capacity or of the coil's
    inductance as a fraction of its present value. The gang stays where the mark is.
    """
    lo = band.oscillator
    gang = band.oscillator_gang_f(band.signal.gang_capacity_f(mark_hz))
    changed = adjusted(lo, role_of(kind, inductive=band.inductive), 1.0 + relative_change)
    return float(changed.resonance_hz(gang) - lo.resonance_hz(gang))


# a loaded aerial circuit, where nobody measured it
NOMINAL_AERIAL_Q = 75.0


def mistracking_loss_db(error_hz: float, signal_hz: float, q: float) -> float:
    """dB lost in a signal circuit of loaded ``q`` that is ``error_hz`` off the signal."""
    require_positive(signal_hz=signal_hz, q=q)
    tuned = signal_hz - error_hz
    detuning = signal_hz / tuned - tuned / signal_hz
    return 10.0 * math.log10(1.0 + (q * detuning) ** 2)
