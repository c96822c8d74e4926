"""Which core a swept curve tells to turn, which way and how far, with the doubt.

One magnitude curve cannot tell a detuned primary from a detuned secondary of the same can, nor two
like cans from each other (reciprocity): the direction is certain, the core is not. So every core is
tried as the one that is off, beside "several", by a fit of the coupled circuits to the curves with
the sheet's Qs and couplings as doubtful; what each explains is its evidence (Laplace's
approximation; MacKay, Information Theory, Inference, and Learning Algorithms). A second curve after
a small known move decides.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.coupled_circuits import CanShape, shape_slopes

Floats = NDArray[np.float64]
# relative: a core that is right, one that is off; how far a sheet's Q and coupling are off (ln)
RIGHT, OFF = 0.0006, 0.012
Q_DOUBT, COUPLING_DOUBT, MOVE_DOUBT = 0.35, 0.35, 0.15
# what is left of a baseline that was taken off by eye
FOOT_DOUBT = 0.01
NAMED_AT = 0.95
LEAST_SUSPECT, DECIDING_MOVE = 0.03, 0.004
SEVERAL, NONE = "several", "none"
# where a fit may begin: offsets at which the sheet's own shape lies nearest to the curves
GRID = tuple(np.linspace(-0.024, 0.024, 9))
MOST_STARTS = 2
# neighbours are averaged down to this: a curve is smooth over them
MOST_POINTS = 72
MOST_ROUNDS, SETTLED = 25, 1e-3
LEAST_POINTS = 12
LEAST_NOISE = 1e-3


@dataclass(frozen=True, slots=True)
class CanDesign:
    """A can by its sheet: its cores in signal order, their loaded Qs, the coupling between
    neighbours as multiples of the critical one, and where each circuit belongs relative to the IF
    (on it where nothing is said)."""

    cores: tuple[str, ...]
    q: tuple[float, ...]
    of_critical: tuple[float, ...] = ()
    belongs: tuple[float, ...] = ()

    @property
    def coupling(self) -> tuple[float, ...]:
        """Coupling factors: critical is 1/sqrt(Q1 Q2)."""
        return tuple(
            c / math.sqrt(a * b)
            for c, a, b in zip(self.of_critical, self.q, self.q[1:], strict=False)
        )


@dataclass(frozen=True, slots=True)
class SweptCurve:
    """A response in volts over frequency in Hz (ascending, shape (n,)), linear, baseline removed as
    far as it can be seen.

    ``moved`` are cores that stand elsewhere than at the first curve: relative change of their
    resonance, known as well as ``move_doubt`` says by core (one standard deviation, a share; 0.15
    where it does not). ``noise`` is the doubt of a sample as a share of the highest.
    """

    frequency_hz: Floats
    volts: Floats
    moved: Mapping[str, float] = field(default_factory=dict)
    noise: float = 0.02
    move_doubt: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class CoreFinding:
    """How likely a core is the one that is off, and its offset relative to where it belongs, with
    its doubt (one standard deviation)."""

    core: str
    probability: float
    offset: float
    doubt: float


@dataclass(frozen=True, slots=True)
class CurveFinding:
    """What the curves tell: every core, the likeliest first; how likely several are off, or none;
    the probability that the stray core stands too high; the fitted curve's volts at the first
    curve's frequencies; and by how much more than was thought each known move moved its core, with
    the doubt of that, as shares."""

    cores: tuple[CoreFinding, ...]
    several: float
    none: float
    too_high: float
    fitted_v: Floats
    moved: Mapping[str, tuple[float, float]] = field(default_factory=dict)

    @property
    def named(self) -> CoreFinding | None:
        """The core, where it is sure enough to be turned."""
        first = self.cores[0]
        return first if first.probability >= NAMED_AT else None


def deciding_moves(cans: Sequence[CanDesign], found: CurveFinding) -> dict[str, float]:
    """The small known moves after which another curve tells the core: relative change of resonance
    by core, one in each can that may hold it; of several cans opposite ways, and unlike amounts.

    The first goes the way that brings the stray core home if it is the one. Empty where the core is
    named already.
    """
    if found.named is not None:
        return {}
    suspects = {f.core for f in found.cores if f.probability > LEAST_SUSPECT}
    homeward = -1.0 if found.too_high > 0.5 else 1.0
    suspected = [can for can in cans if suspects & set(can.cores)] or list(cans)
    ways = (homeward, -homeward, 2.0 * homeward, -2.0 * homeward, 3.0 * homeward)
    return {can.cores[0]: way * DECIDING_MOVE for can, way in zip(suspected, ways, strict=False)}


class _Places:
    """Where each parameter stands in the vector: levels, offsets, ln Qs, ln couplings, moves, and
    the feet that each curve stands on, as shares of its highest."""

    def __init__(self, cans: tuple[CanDesign, ...], curves: tuple[SweptCurve, ...]) -> None:
        self.levels = len(curves)
        self.cores = tuple(core for can in cans for core in can.cores)
        ends = np.cumsum(
            [self.levels, len(self.cores), len(self.cores), sum(len(c.of_critical) for c in cans)]
        )
        self.offsets, self.qs, self.ks = (
            slice(int(a), int(b)) for a, b in itertools.pairwise(ends)
        )
        moved = [
            (n, core) for n, c in enumerate(curves) for core in self.cores if c.moved.get(core)
        ]
        self.moves = {key: self.ks.stop + place for place, key in enumerate(moved)}
        self.feet = slice(self.ks.stop + len(moved), self.ks.stop + len(moved) + len(curves))
        self.count = self.feet.stop


@dataclass(frozen=True, slots=True)
class _Mode:
    """A maximum of the posterior: parameters, log evidence, covariance."""

    values: Floats
    evidence: float
    covariance: Floats


def which_core(
    cans: Sequence[CanDesign], centre_hz: float, curves: Sequence[SweptCurve]
) -> CurveFinding:
    """Fit every explanation to the curves of one IF of ``cans`` that belongs on ``centre_hz``.

    Raises BadInput for no curve, one of too few points, or numbers that are none.
    """
    fit = _Fit(tuple(cans), centre_hz, tuple(curves))
    cores = fit.places.cores
    found = [(core, fit.modes({core})) for core in cores]
    found.append((NONE, fit.modes(set())))
    if len(cores) > 1:
        found.append((SEVERAL, fit.modes(set(cores))))
    weights = np.array([np.logaddexp.reduce([m.evidence for m in modes]) for _, modes in found])
    shares = np.exp(weights - np.logaddexp.reduce(weights))
    best = max((m for _, modes in found for m in modes), key=lambda m: m.evidence)
    findings = [
        _finding(core, float(p), cores.index(core), fit.places, modes)
        for (core, modes), p in zip(found, shares, strict=True)
        if core in cores
    ]
    none, several = float(shares[len(cores)]), float(shares[len(cores) + 1 :].sum())
    high = sum(f.probability for f in findings if f.offset > 0.0)
    return CurveFinding(
        tuple(sorted(findings, key=lambda f: -f.probability)),
        several,
        none,
        high / max(sum(f.probability for f in findings), 1e-12),
        fit.volts(best.values, curves[0].frequency_hz),
        {
            # of several curves after a move the last one says most
            core: (float(best.values[at]), math.sqrt(float(best.covariance[at, at])))
            for (_, core), at in fit.places.moves.items()
        },
    )


def _finding(
    core: str, share: float, n: int, places: _Places, modes: Sequence[_Mode]
) -> CoreFinding:
    best = max(modes, key=lambda m: m.evidence)
    at = places.offsets.start + n
    return CoreFinding(
        core, share, float(best.values[at]), math.sqrt(float(best.covariance[at, at]))
    )


class _Fit:
    """Gauss-Newton with priors over one IF's parameters."""

    def __init__(
        self, cans: tuple[CanDesign, ...], centre_hz: float, curves: tuple[SweptCurve, ...]
    ) -> None:
        if not curves:
            raise BadInput("sweep", "none", "is wanted: at least one curve", "a CSV of the sweep")
        for curve in curves:
            _check(curve)
        self._cans, self._centre_hz = cans, centre_hz
        self._curves = tuple(_averaged(c) for c in curves)
        self.places = _Places(cans, curves)
        self._ln_q = np.log([q for can in cans for q in can.q])
        self._ln_k = np.log([k for can in cans for k in can.coupling] or np.empty(0))

    def modes(self, off: set[str]) -> list[_Mode]:
        """The posterior's maxima where the cores ``off`` may stand far off, the others not."""
        spread = np.array([OFF if core in off else RIGHT for core in self.places.cores])
        found: list[_Mode] = []
        for begin in self._starts(spread):
            mode = self._climb(begin, spread)
            near = any(abs(mode.evidence - m.evidence) < 1e-2 for m in found)
            if math.isfinite(mode.evidence) and not near:
                found.append(mode)
        return found

    def _starts(self, spread: Floats) -> list[Floats]:
        """The nearest local minima over a grid of offsets, all else as the sheet has it."""
        far = max(int(np.count_nonzero(spread == OFF)), 1)
        tried: list[Floats] = []
        costs: list[float] = []
        for offset in GRID:
            values = np.zeros(self.places.count)
            values[self.places.offsets] = np.where(spread == OFF, offset / far, 0.0)
            costs.append(self._levelled(values) + 0.5 * (offset / OFF) ** 2)
            tried.append(values)
        padded = [math.inf, *costs, math.inf]
        low = [n for n, c in enumerate(costs) if c <= padded[n] and c <= padded[n + 2]]
        low.sort(key=costs.__getitem__)
        return [tried[n] for n in low[:MOST_STARTS]]

    def _levelled(self, values: Floats) -> float:
        """Sets each curve's level so that its highest point is met; returns half the misfit."""
        misfit = 0.0
        for n, curve in enumerate(self._curves):
            logs = self._logs(values, n)[0]
            highest = float(np.max(curve.volts))
            values[n] = math.log(highest) - float(np.max(logs))
            off = (np.exp(logs + values[n]) - curve.volts) / (_doubt(curve) * highest)
            misfit += 0.5 * float(off @ off)
        return misfit

    def volts(self, values: Floats, frequency_hz: Floats) -> Floats:
        """The fitted volts of the first curve at its own frequencies."""
        return np.exp(self._logs(values, 0, frequency_hz)[0])

    def _climb(self, values: Floats, spread: Floats) -> _Mode:
        deviations = self._deviations(spread)
        damping, cost, slope, curvature = 1e-3, *self._terms(values, deviations)
        for _ in range(MOST_ROUNDS):
            diagonal = np.diag(np.diag(curvature))
            step = np.linalg.solve(curvature + damping * diagonal, -slope)
            after = values + np.clip(step, -0.5, 0.5)
            cost_after, slope_after, curvature_after = self._terms(after, deviations)
            if cost_after > cost:
                damping *= 8.0
                if damping > 1e6:
                    break
                continue
            gained, damping = cost - cost_after, max(damping / 6.0, 1e-9)
            values, cost, slope, curvature = after, cost_after, slope_after, curvature_after
            if gained < SETTLED:
                break
        sign, determinant = np.linalg.slogdet(curvature)
        if sign <= 0.0:
            return _Mode(values, -math.inf, curvature)
        prior = float(np.sum(np.log(deviations[self.places.levels :])))
        return _Mode(
            values,
            -cost - 0.5 * determinant - prior,
            np.asarray(np.linalg.inv(curvature), dtype=np.float64),
        )

    def _deviations(self, spread: Floats) -> Floats:
        """Prior deviation of each parameter; levels have none."""
        places = self.places
        return np.concatenate(
            [
                np.full(places.levels, np.inf),
                spread,
                np.full(len(places.cores), Q_DOUBT),
                np.full(places.ks.stop - places.ks.start, COUPLING_DOUBT),
                np.array(
                    [self._curves[n].move_doubt.get(core, MOVE_DOUBT) for n, core in places.moves]
                ),
                np.full(places.levels, FOOT_DOUBT),
            ]
        )

    def _terms(self, values: Floats, deviations: Floats) -> tuple[float, Floats, Floats]:
        """Half the sum of squares, its slope and its curvature (Gauss-Newton)."""
        scaled = values / deviations
        cost, slope = 0.5 * float(scaled @ scaled), scaled / deviations
        curvature = np.diag(1.0 / deviations**2)
        for n, curve in enumerate(self._curves):
            logs, rows = self._logs(values, n)
            volts = np.exp(np.minimum(logs, 60.0))
            highest = float(np.max(curve.volts))
            doubt = _doubt(curve) * highest
            foot = self.places.feet.start + n
            off = (volts + values[foot] * highest - curve.volts) / doubt
            jacobian = rows * (volts / doubt)
            jacobian[foot] = highest / doubt
            cost += 0.5 * float(off @ off)
            slope = slope + jacobian @ off
            curvature = curvature + jacobian @ jacobian.T
        return cost, slope, curvature

    def _logs(
        self, values: Floats, n: int, frequency_hz: Floats | None = None
    ) -> tuple[Floats, Floats]:
        """ln volts of a curve, and its slopes by parameter, shape (parameters, points)."""
        places, curve = self.places, self._curves[n]
        frequency = curve.frequency_hz if frequency_hz is None else frequency_hz
        rows = np.zeros((places.count, frequency.size))
        rows[n] = 1.0
        logs = np.full(frequency.size, values[n])
        core = coupling = 0
        for can in self._cans:
            last, last_k = core + len(can.cores), coupling + len(can.of_critical)
            offsets = values[places.offsets][core:last].copy()
            for m, name in enumerate(can.cores):
                at = places.moves.get((n, name))
                if at is not None:
                    offsets[m] += curve.moved[name] * (1.0 + values[at])
            shape = CanShape(
                tuple(
                    self._centre_hz
                    * (1.0 + np.array(can.belongs or (0.0,) * len(can.cores)))
                    * np.exp(np.clip(offsets, -0.3, 0.3))
                ),
                tuple(np.exp(self._ln_q[core:last] + values[places.qs][core:last])),
                tuple(
                    np.minimum(
                        np.exp(self._ln_k[coupling:last_k] + values[places.ks][coupling:last_k]),
                        0.9,
                    )
                ),
            )
            slopes = shape_slopes(shape, frequency)
            logs = logs + slopes.magnitude
            rows[places.offsets.start + core : places.offsets.start + last] = slopes.by_resonance
            rows[places.qs.start + core : places.qs.start + last] = slopes.by_q
            rows[places.ks.start + coupling : places.ks.start + last_k] = slopes.by_coupling
            for m, name in enumerate(can.cores):
                at = places.moves.get((n, name))
                if at is not None:
                    rows[at] = slopes.by_resonance[m] * curve.moved[name]
            core, coupling = last, last_k
        return logs, rows


def _doubt(curve: SweptCurve) -> float:
    return max(curve.noise, LEAST_NOISE)


def _averaged(curve: SweptCurve) -> SweptCurve:
    """The curve with runs of neighbours averaged; its samples' doubt shrinks with their number."""
    run = -(-curve.frequency_hz.size // MOST_POINTS)
    if run == 1:
        return curve
    kept = curve.frequency_hz.size // run * run
    frequency, volts = (
        np.mean(row[:kept].reshape(-1, run), axis=1) for row in (curve.frequency_hz, curve.volts)
    )
    return replace(curve, frequency_hz=frequency, volts=volts, noise=curve.noise / math.sqrt(run))


def _check(curve: SweptCurve) -> None:
    frequency, volts = np.asarray(curve.frequency_hz), np.asarray(curve.volts)
    if frequency.shape != volts.shape or frequency.ndim != 1 or frequency.size < LEAST_POINTS:
        raise BadInput(
            "sweep", f"{frequency.size} points", f"needs {LEAST_POINTS} or more in step", "201"
        )
    if not np.all(np.isfinite(frequency)) or not np.all(np.isfinite(volts)):
        raise BadInput("sweep", "not a number", "must be numbers throughout", "455000, 1.2")
    if np.any(np.diff(frequency) <= 0.0) or frequency[0] <= 0.0:
        raise BadInput("sweep", "frequencies", "must rise", "450000, 450050, ...")
    if float(np.max(volts)) <= 0.0:
        raise BadInput("sweep", "no signal", "is zero or below throughout", "0.02 to 1.4 V")
