"""Which part of a stage explains its volts: the stage's own circuit is solved with each fault.

A fault sets one element away from nominal, by how much is not known: it is tried at a row of sizes.
What is healthy is not nominal either: old resistors have a spread of 20 per cent and tubes one of
15, and these move the volts too. For each fault and size the volts are linearised in those spreads
about the point that explains the readings best (three Gauss-Newton steps), which makes the readings
Gaussian: mean V - J n, covariance J S J' + R. The posterior follows from the likelihoods, averaged
over the sizes of a fault, and from how often such parts fail. Every reading is computed with the
meter that took it clipped on.
Source: Bayesian model comparison by Laplace's approximation, as in textbooks of statistics.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.dc_network import (
    Element,
    Resistor,
    TransistorInPlace,
    TubeInPlace,
    VoltageFeed,
)
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.tracing.stage_network import (
    AVC_LINE,
    GAS_A,
    NO_LEAK_OHM,
    StageNetwork,
    drives_grid_current,
    together,
)

Floats = NDArray[np.float64]
OLD_RESISTOR, OLD_DEVICE, JUNCTION_LEAK = 0.20, 0.15, 0.8
# tubes differ in mu and in what the screen takes, and their law is not quite the textbook's
MU_SPREAD, SHARE_SPREAD, JUNCTION_SPREAD_V = 0.12, 0.25, 0.03
FEED_SPREAD, GAS_SPREAD = 0.30, 1.0
METER_SHARE, LEAST_METER_V = 0.02, 0.03
NAMED_FROM = 0.05
SURE = 0.90
STEPS = 3
# a fit worse than this many standard deviations a reading is no single part's
BAD_FIT = 3.0
MOST_PAIRS = 3
# before anything is read; whoever reads a stage's volts has a reason
HEALTHY_PRIOR = 0.3
HEALTHY = "nothing wrong"


class Check(StrEnum):
    """What decides between parts that the volts cannot tell apart."""

    RESISTANCE = "its resistance, power off and discharged"
    LIFTED = "one lead lifted, then the volts again"
    SUBSTITUTION = "another in its place"


CHECK_MINUTES = {Check.RESISTANCE: 2.0, Check.LIFTED: 5.0, Check.SUBSTITUTION: 3.0}


@dataclass(frozen=True, slots=True)
class StageFault:
    """A part of a stage failing in a way: the element it moves, the logarithms of by how much, how
    often that happens relative to others, and what would decide it."""

    key: str
    part: str
    words: str
    element: str
    sizes: tuple[float, ...]
    rate: float
    check: Check


@dataclass(frozen=True, slots=True)
class StageReading:
    """Volts at an electrode of a stage (or at its feed, as "feed", or on the AVC line that its grid
    comes back to, as "avc"), read with a meter of so many ohm."""

    stage: str
    electrode: str
    volts: float
    meter_ohm: float = 10e6


@dataclass(frozen=True, slots=True)
class Explanation:
    """A fault with its probability, and the volts that it makes of each reading, in order."""

    fault: StageFault | None
    probability: float
    volts: tuple[float, ...]

    @property
    def part(self) -> str:
        """The part, or that nothing is wrong."""
        return self.fault.part if self.fault else HEALTHY


@dataclass(frozen=True, slots=True)
class PartPair:
    """Two parts that explain the volts together: how likely among all pairs, and how far the
    readings lie from what they make of them, in standard deviations a reading."""

    first: str
    second: str
    probability: float
    fit: float


@dataclass(frozen=True, slots=True)
class StageFindings:
    """What explains a stage's volts: parts by probability, the likeliest first; ``fit`` is how far
    the readings lie from the best explanation, in standard deviations a reading. Where that is far,
    ``pairs`` are the two parts that explain it together, the likeliest first. ``sound`` is what
    each reading, in order, would be with every part at its value."""

    explanations: tuple[Explanation, ...]
    fit: float
    sound: tuple[float, ...]
    pairs: tuple[PartPair, ...] = ()

    def of(self, part: str) -> float:
        """How likely a part is."""
        return sum(e.probability for e in self.explanations if e.part == part)

    @property
    def named(self) -> tuple[str, ...]:
        """The parts above one in twenty, the likeliest first; without "nothing wrong"."""
        return tuple(p for p, share in self.parts if share >= NAMED_FROM and p != HEALTHY)

    @property
    def parts(self) -> tuple[tuple[str, float], ...]:
        """Each part with its probability, all its ways of failing together."""
        shares: dict[str, float] = {}
        for one in self.explanations:
            shares[one.part] = shares.get(one.part, 0.0) + one.probability
        return tuple(sorted(shares.items(), key=lambda kv: -kv[1]))


def _factors(*factors: float) -> tuple[float, ...]:
    return tuple(math.log(f) for f in factors)


# sizes stand so far apart that each covers its neighbourhood, half way to the next
SIZE_SPREAD = 0.3
RISEN = _factors(1.8, 3.2, 5.6, 10.0, 18.0, 1e4)
WEAK = _factors(0.55, 0.32, 0.18, 0.1, 1e-3)


def _leaks(*ohm: float) -> tuple[float, ...]:
    return tuple(math.log(o / NO_LEAK_OHM) for o in ohm)


def halved(ohm: float, count: int) -> tuple[float, ...]:
    """A row of leaks, each half of the one before."""
    return tuple(ohm / 2.0**n for n in range(count))


def faults_of(stage: AmplifierStage) -> tuple[StageFault, ...]:
    """Every part of a stage that volts can tell of, failing in its ways."""
    if stage.device is Device.TRANSISTOR:
        return _transistor_faults(stage)
    return _tube_faults(stage)


def _resistor(
    stage: AmplifierStage, key: str, label: str, rate: float = 1.0
) -> tuple[StageFault, ...]:
    name = f"{stage.name}'s {label}"
    return (
        StageFault(
            f"{stage.name} {key} risen",
            name,
            f"{name} has risen or is open",
            f"{stage.name} {key}",
            RISEN,
            rate,
            Check.RESISTANCE,
        ),
    )


def _leak(
    stage: AmplifierStage, key: str, label: str, ohm: tuple[float, ...], rate: float
) -> StageFault:
    name = f"{stage.name}'s {label}"
    element = f"{stage.name} {key}"
    return StageFault(
        f"{element} leaks", name, f"{name} leaks", element, _leaks(*ohm), rate, Check.LIFTED
    )


def _tube_faults(stage: AmplifierStage) -> tuple[StageFault, ...]:
    name = stage.name
    tube = f"tube {name}"
    faults = [
        StageFault(
            f"{name} weak",
            tube,
            f"{tube} is weak or dead",
            f"{name} device",
            WEAK,
            3.0,
            Check.SUBSTITUTION,
        )
    ]
    if drives_grid_current(stage):
        gas = tuple(math.log(a / GAS_A) for a in (3e-7, 6e-7, 1.2e-6, 2.5e-6, 5e-6, 1e-5))
        faults.append(
            StageFault(
                f"{name} gas",
                tube,
                f"{tube} is gassy: its grid drives current out",
                f"{name} gas",
                gas,
                0.7,
                Check.SUBSTITUTION,
            )
        )
    if stage.plate_ohm:
        faults += _resistor(stage, "plate", "plate resistor")
    if stage.device is Device.PENTODE and not stage.screen_with and stage.screen_ohm:
        faults += _resistor(stage, "screen", "screen resistor", 1.5)
        if stage.screen_lower_ohm:
            faults += _resistor(stage, "screen lower", "screen divider's lower resistor")
        r = stage.screen_ohm
        faults.append(
            _leak(
                stage,
                "screen bypass",
                "screen bypass",
                halved(2 * r, 8),
                2.0,
            )
        )
    if stage.cathode_ohm:
        faults += _resistor(stage, "cathode", "cathode resistor")
        r = stage.cathode_ohm
        faults.append(
            _leak(
                stage,
                "cathode bypass",
                "cathode bypass",
                halved(r, 7),
                1.0,
            )
        )
    if stage.coupled_from:
        leaks = (2e7, 1e7, 5e6, 2.5e6, 1.2e6, 6e5, 3e5, 1e5)
        faults.append(_leak(stage, "coupling", "coupling capacitor", leaks, 3.0))
        faults += _resistor(stage, "grid", "grid leak", 0.5)
    return tuple(faults)


def _transistor_faults(stage: AmplifierStage) -> tuple[StageFault, ...]:
    name = stage.name
    device = f"transistor {name}"

    r = stage.plate_ohm or 1000.0
    ways = (
        ("device", "has lost its current gain or is open", WEAK, 1.5),
        (
            "across",
            "leaks or is shorted from collector to emitter",
            _leaks(10 * r, 5 * r, 2.5 * r, 1.2 * r, r / 2, r / 5, 1.0),
            1.0,
        ),
        ("leakage", "leaks from collector to base", _factors(8.0, 15.0, 30.0, 60.0, 120.0), 1.0),
    )
    faults = [
        StageFault(
            f"{name} {key}",
            device,
            f"{device} {words}",
            f"{name} {key}",
            sizes,
            rate,
            Check.SUBSTITUTION,
        )
        for key, words, sizes, rate in ways
    ]
    if not stage.direct_from:
        faults += _resistor(stage, "upper", "upper base resistor")
        faults += _resistor(stage, "lower", "lower base resistor")
    if stage.plate_ohm:
        faults += _resistor(stage, "plate", "collector resistor")
    if stage.cathode_ohm:
        faults += _resistor(stage, "cathode", "emitter resistor")
        r = stage.cathode_ohm
        faults.append(
            _leak(
                stage,
                "cathode bypass",
                "emitter bypass",
                halved(r, 7),
                2.0,
            )
        )
    if stage.coupled_from:
        leaks = (1e6, 4e5, 2e5, 8e4, 3e4, 1e4, 1e3)
        faults.append(_leak(stage, "coupling", "coupling capacitor", leaks, 2.0))
    return tuple(faults)


def spreads_of(element: Element) -> tuple[float, ...]:
    """How far a healthy old element is from nominal: the standard deviation of each of its
    parameters."""
    match element:
        case VoltageFeed():
            return (FEED_SPREAD,)
        case Resistor():
            return (OLD_RESISTOR if 10.0 < element.ohm < NO_LEAK_OHM else 0.0,)
        case TubeInPlace():
            return OLD_DEVICE, MU_SPREAD, SHARE_SPREAD
        case TransistorInPlace():
            return OLD_DEVICE, JUNCTION_SPREAD_V
    return (GAS_SPREAD if element.key.endswith("gas") else JUNCTION_LEAK,)


def faults_around(
    placed: StageNetwork, name: str, readings: Sequence[StageReading]
) -> tuple[StageFault, ...]:
    """Every fault that may explain the volts of a stage: its own, those of the stages that it
    hangs together with, and what reaches it over the AVC line: another tube's grid current, and
    all of another stage whose volts were read as well.

    Raises KeyError for a stage that is not there.
    """
    close = {s.name for s in together(placed.stages, name, over_line=False)}
    close |= {r.stage for r in readings}
    return tuple(
        f
        for s in placed.stages
        for f in faults_of(s)
        if f.element in placed.network.keys and (s.name in close or f.key == f"{s.name} gas")
    )


def explain(
    placed: StageNetwork,
    readings: Sequence[StageReading],
    faults: Sequence[StageFault] | None = None,
) -> StageFindings:
    """What explains the readings of a stage, or of some together: every single fault of theirs and
    that nothing is wrong, by probability."""
    tried = tuple(faults) if faults is not None else _all_faults(placed)
    network = placed.network
    place = {key: n for n, key in enumerate(network.keys)}
    cases: list[tuple[StageFault | None, float]] = [(None, 0.0)]
    cases += [(f, size) for f in tried for size in f.sizes]
    start = np.zeros((len(cases), len(network.keys)))
    healthy = [s for e in network.elements for s in spreads_of(e)]
    spread = np.tile(healthy, (len(cases), 1))
    for n, (fault, size) in enumerate(cases):
        if fault is not None:
            start[n, place[fault.element]] = size
            spread[n, place[fault.element]] = SIZE_SPREAD
    taken = _Taken.of(placed, readings)
    log, volts, off = _fitted(placed, start, spread, taken)
    rates = sum(f.rate for f in tried)
    prior = np.array(
        [
            HEALTHY_PRIOR
            if fault is None
            else (1.0 - HEALTHY_PRIOR) * fault.rate / rates / len(fault.sizes)
            for fault, _ in cases
        ]
    )
    weight = np.log(prior) + log
    weight = np.exp(weight - np.max(weight))
    weight /= np.sum(weight)
    found = []
    for fault in (None, *tried):
        mine = [n for n, (f, _) in enumerate(cases) if f is fault]
        best = max(mine, key=lambda n: weight[n])
        found.append(Explanation(fault, float(np.sum(weight[mine])), tuple(volts[best])))
    found.sort(key=lambda e: -e.probability)
    fit = float(off[int(np.argmax(weight))])
    pairs = _pairs(placed, tried, taken) if fit > BAD_FIT else ()
    return StageFindings(tuple(found), fit, _at_value(placed, taken), pairs)


def _at_value(placed: StageNetwork, taken: _Taken) -> tuple[float, ...]:
    """What each reading would be with every part at its value."""
    count = len(taken.volts)
    logs = np.zeros((count, len(placed.network.keys)))
    volts = placed.network.settle(logs, taken.load)
    return tuple(float(v) for v in volts[np.arange(count), taken.node])


def _pairs(
    placed: StageNetwork, tried: Sequence[StageFault], taken: _Taken
) -> tuple[PartPair, ...]:
    """Which two parts together explain what no single one does: every pair of parts, each at every
    other of its sizes, with what it leaves unsaid spread over the step between."""
    network = placed.network
    place = {key: n for n, key in enumerate(network.keys)}
    cases = [
        (one, other, a, b)
        for n, one in enumerate(tried)
        for other in tried[n + 1 :]
        if one.part != other.part and one.element != other.element
        for a in one.sizes[::2]
        for b in other.sizes[::2]
    ]
    if not cases:
        return ()
    start = np.zeros((len(cases), len(network.keys)))
    healthy = [s for e in network.elements for s in spreads_of(e)]
    spread = np.tile(healthy, (len(cases), 1))
    for n, (one, other, a, b) in enumerate(cases):
        start[n, [place[one.element], place[other.element]]] = a, b
        spread[n, [place[one.element], place[other.element]]] = 2.0 * SIZE_SPREAD
    log, _, off = _fitted(placed, start, spread, taken)
    weight = log + np.log([a.rate * b.rate / len(a.sizes) / len(b.sizes) for a, b, _, _ in cases])
    weight = np.exp(weight - np.max(weight))
    weight /= np.sum(weight)
    shares: dict[tuple[str, str], tuple[float, float]] = {}
    for n, (one, other, _, _) in enumerate(cases):
        share, fit = shares.get((one.part, other.part), (0.0, math.inf))
        shares[one.part, other.part] = share + float(weight[n]), min(fit, float(off[n]))
    ranked = sorted(shares.items(), key=lambda kv: -kv[1][0])[:MOST_PAIRS]
    return tuple(PartPair(a, b, share, fit) for (a, b), (share, fit) in ranked)


def _all_faults(placed: StageNetwork) -> tuple[StageFault, ...]:
    elements = set(placed.network.keys)
    return tuple(f for s in placed.stages for f in faults_of(s) if f.element in elements)


@dataclass(frozen=True)
class _Taken:
    """Readings as arrays: the node of each, what was read, its variance, its meter."""

    node: NDArray[np.intp]
    volts: Floats
    variance: Floats
    load: Floats

    @classmethod
    def of(cls, placed: StageNetwork, readings: Sequence[StageReading]) -> _Taken:
        place, count = placed.network.place, len(placed.network.nodes)
        node = np.array([place[_node(placed, r)] for r in readings], dtype=np.intp)
        load = np.zeros((len(readings), count))
        for n, reading in enumerate(readings):
            load[n, node[n]] = 1.0 / reading.meter_ohm
        volts = np.array([r.volts for r in readings])
        return cls(node, volts, (METER_SHARE * np.abs(volts)) ** 2 + LEAST_METER_V**2, load)


def _node(placed: StageNetwork, reading: StageReading) -> str:
    if reading.electrode == "feed":
        return placed.fed[reading.stage]
    if reading.electrode == AVC_LINE:
        return AVC_LINE
    return placed.nodes[reading.stage, reading.electrode]


def _fitted(
    placed: StageNetwork, start: Floats, spread: Floats, taken: _Taken
) -> tuple[Floats, Floats, Floats]:
    """For each case: the logarithm of the readings' density, the volts at its best point, and how
    far the readings lie from these in standard deviations."""
    network = placed.network
    cases, count = len(start), len(taken.volts)
    moved = np.zeros_like(start)
    rows = np.arange(cases * count)
    nodes = np.tile(taken.node, cases)
    load = np.tile(taken.load, (cases, 1))
    variance = spread**2
    for _ in range(STEPS):
        logs = np.repeat(start + moved, count, axis=0)
        volts = network.settle(logs, load)
        change = network.sensitivities(volts, logs, load)
        read = volts[rows, nodes].reshape(cases, count)
        slope = change[rows, nodes].reshape(cases, count, -1)
        # what is left to explain at the nominal point, by the straight line through this one
        left = taken.volts - read + np.einsum("crp,cp->cr", slope, moved)
        covariance = np.einsum("crp,cp,csp->crs", slope, variance, slope)
        covariance += np.diag(taken.variance)
        solved = np.linalg.solve(covariance, left[..., None])[..., 0]
        step = variance * np.einsum("crp,cr->cp", slope, solved)
        # beyond three spreads the straight line says nothing any more
        moved = np.clip(step, -3.0 * spread, 3.0 * spread)
    quadratic = np.einsum("cr,cr->c", left, solved)
    log = -0.5 * (quadratic + np.linalg.slogdet(covariance)[1])
    off = np.sqrt(np.mean((taken.volts - read) ** 2 / taken.variance, axis=1))
    return log, read, off
