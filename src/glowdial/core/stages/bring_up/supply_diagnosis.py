"""What ails a supply, from a few settled readings, by Bayes over fitted causes.

Each cause has one severity; its likelihood is averaged over a grid of severities, so that a cause
with a free parameter is not preferred for fitting noise. Spread that healthy sets show as well
(line, load, filter tolerances) widens the meter's error through the model's own derivatives.
What one circuit cannot tell from another is said so: a leak at the reservoir beside an extra load
there; they are one cause here, "excess current", until a lifted lead or time decides.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.heaters import Heaters
from glowdial.core.physics.supply.circuit import RectifierKind, Supply, with_dead_half
from glowdial.core.physics.supply.line_current import heater_line_a, with_rectifier_a
from glowdial.core.physics.supply.rampup import warming_state, warmth
from glowdial.core.physics.supply.steady import SupplyPoint, steady_state
from glowdial.core.stages.bring_up.stop_rules import IMPOSSIBLE_SHARE

Floats = NDArray[np.float64]
MOST_READINGS = 8
METER_ERROR = 0.012
LOAD_SPREAD, FILTER_SPREAD, RECTIFIER_SPREAD = 0.06, 0.10, 0.15
RIPPLE_FLOOR_V = 0.02
NEAR = 0.2
NO_HEATERS = Heaters()


class Cause(StrEnum):
    """What may be the matter."""

    HEALTHY = "healthy"
    TIRED = "tired rectifier"
    EXCESS = "excess current"
    DRIED = "lost capacitance"
    HALF_DEAD = "half dead"
    NO_OUTPUT = "no output"
    OPEN = "open filter"
    SHORT = "a short"


PRIOR = {
    Cause.HEALTHY: 0.36,
    Cause.TIRED: 0.2,
    Cause.EXCESS: 0.2,
    Cause.DRIED: 0.18,
    Cause.HALF_DEAD: 0.06,
}
# severities, from the least worth telling: emission left, extra current, capacity left
EMISSIONS = tuple(float(v) for v in np.geomspace(0.55, 0.08, 7))
AGES = tuple(float(v) for v in np.geomspace(3.0, 16.0, 6))
EXCESSES = tuple(float(v) for v in np.geomspace(0.3, 3.0, 6))
CAPACITIES = tuple(float(v) for v in np.geomspace(0.5, 0.04, 6))


@dataclass(frozen=True, slots=True)
class SupplyReading:
    """One settled reading: line volts, and what was read, SI; None where it was not.

    Node volts and ripple (peak to peak) from the reservoir on; ``line_a`` is the set's RMS current,
    which counts where the heaters' share of it is known; ``ripple_hz`` the ripple's frequency.
    """

    line_v: float
    node_v: tuple[float | None, ...]
    ripple_v: tuple[float | None, ...] = ()
    line_a: float | None = None
    ripple_hz: float | None = None


@dataclass(frozen=True, slots=True)
class Suspicion:
    """A cause with its probability, the severity that fits best, and words."""

    cause: Cause
    probability: float
    severity: float
    words: str


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """All causes, likeliest first; what to measure to tell the first two apart, if they are near;
    and the rectifier's fitted resistance beside a healthy one's, in ohm."""

    suspicions: tuple[Suspicion, ...]
    next_measurement: str
    rectifier_ohm: float
    healthy_ohm: float

    @property
    def first(self) -> Suspicion:
        """The likeliest."""
        return self.suspicions[0]


@dataclass(frozen=True, slots=True)
class _Variant:
    """One cause at one severity: how to solve it, and the supply that it is."""

    cause: Cause
    severity: float
    solve: Callable[[float], SupplyPoint]
    supply: Supply


def diagnose(
    supply: Supply, readings: tuple[SupplyReading, ...], heaters: Heaters = NO_HEATERS
) -> Diagnosis:
    """Weigh the causes against one to eight settled readings, warm ones counting.

    ``heaters`` are the set's, for what they draw of a line current that was read. Raises BadInput
    for none, too many, or readings of another filter.
    """
    usable = _checked(supply, readings)
    plain = _collapsed(supply, usable, heaters)
    if plain is not None:
        return plain
    if not heaters.heaters:
        usable = tuple(replace(r, line_a=None) for r in usable)
    spread = _spread(supply, usable, heaters)
    measured = _measured(usable)
    scores: dict[Cause, list[tuple[float, float]]] = {}
    for variant in _variants(supply):
        try:
            predicted = _predicted(variant, usable, heaters)
        except BadInput:
            # a severity without a steady state is no reason to end the rest
            continue
        off = np.log((measured + 1e-9) / (predicted + 1e-9))
        scores.setdefault(variant.cause, []).append(
            (_log_likelihood(off, spread), variant.severity)
        )
    weights = {
        cause: math.log(PRIOR[cause]) + _log_mean([s for s, _ in found])
        for cause, found in scores.items()
    }
    highest = max(weights.values())
    total = sum(math.exp(w - highest) for w in weights.values())
    found = (
        Suspicion(
            cause,
            math.exp(weight - highest) / total,
            max(scores[cause])[1],
            _words(cause, max(scores[cause])[1]),
        )
        for cause, weight in weights.items()
    )
    suspicions = _by_ripple_frequency(supply, list(found), usable)
    tired = max(scores.get(Cause.TIRED, [(0.0, 1.0)]))[1]
    healthy_ohm = _rectifier_ohm(supply, 1.0)
    shown = _rectifier_ohm(supply, tired) if suspicions[0].cause is Cause.TIRED else healthy_ohm
    return Diagnosis(tuple(suspicions), _next(suspicions), shown, healthy_ohm)


# shares of what is expected below which nothing is there, and above which it is nearly unloaded
NOTHING_THERE, UNLOADED_FROM = 0.03, 0.9
# with ripple alone one dead half is never quite told from a reservoir lost beside a weak half
HALF_BY_RIPPLE = 0.9
# a frequency that was read decides: the one or the other
FREQUENCY_TOLERANCE, FREQUENCY_ODDS = 0.15, 1e6


def _collapsed(
    supply: Supply, readings: tuple[SupplyReading, ...], heaters: Heaters
) -> Diagnosis | None:
    """What no fit is needed for: nothing at any node, or nothing behind the filter."""
    full = readings[0]
    known = [(n, v) for n, v in enumerate(full.node_v) if v is not None]
    if not known or full.line_v < 0.7 * supply.line_v:
        return None
    expected = steady_state(supply, full.line_v)
    dead = [n for n, v in known if v < NOTHING_THERE * expected.node_v[n]]
    if len(dead) == len(known):
        return _diagnosed(_nothing(supply, full, heaters))
    last, first = known[-1][0], known[0]
    if last not in dead or first[0] != 0:
        return None
    unloaded_v = supply.unloaded_peak_v * full.line_v / supply.line_v
    if first[1] >= UNLOADED_FROM * unloaded_v or first[1] > 1.05 * expected.node_v[0]:
        words = (
            "The reservoir stands near its unloaded volts and nothing comes behind the filter: "
            "its resistor, choke or field coil is open."
        )
        return _diagnosed((Suspicion(Cause.OPEN, 1.0, 1.0, words),))
    words = (
        "The reservoir is pulled down and nothing is left behind the filter: a short there, the "
        "last filter capacitor first, then what B+ feeds. The filter's resistor takes it all: off."
    )
    return _diagnosed((Suspicion(Cause.SHORT, 1.0, 1.0, words),))


def _nothing(supply: Supply, full: SupplyReading, heaters: Heaters) -> tuple[Suspicion, ...]:
    """No volts anywhere: no output or a short, told apart by the line current where it is known."""
    nothing = (
        "No volts at any node: nothing comes out of the rectifier. Its heater, the winding, the "
        "fuse, a broken lead; then the rectifier itself."
    )
    short = (
        "No volts at any node: a short at the reservoir pulls all down, or the rectifier's own. "
        "Switch off; measure the reservoir's ohms."
    )
    share = 0.5
    if full.line_a is not None:
        heat_a = heater_line_a(heaters, full.line_v, supply.line_v)
        usual_a = with_rectifier_a(supply, full.line_v, steady_state(supply, full.line_v), heat_a)
        share = 0.05 if full.line_a > usual_a else 0.95
    both = (
        Suspicion(Cause.NO_OUTPUT, share, 1.0, nothing),
        Suspicion(Cause.SHORT, 1.0 - share, 1.0, short),
    )
    return tuple(sorted(both, key=lambda s: -s.probability))


def _diagnosed(suspicions: tuple[Suspicion, ...]) -> Diagnosis:
    further = ""
    if len(suspicions) > 1 and suspicions[1].probability >= NEAR:
        further = (
            "Switch off, discharge, and measure ohms from the reservoir to the common rail; or "
            "read the line current: much is a short, little is no output."
        )
    return Diagnosis(suspicions, further, 0.0, 0.0)


def _by_ripple_frequency(
    supply: Supply, found: list[Suspicion], readings: tuple[SupplyReading, ...]
) -> list[Suspicion]:
    """One half is only surely dead where the ripple's frequency was read: at the line's own."""
    read_hz = next((r.ripple_hz for r in readings if r.ripple_hz is not None), None)
    shares = {s.cause: s.probability for s in found}
    if Cause.HALF_DEAD in shares:
        if read_hz is not None:
            own = abs(read_hz / supply.line_hz - 1.0) < FREQUENCY_TOLERANCE
            shares[Cause.HALF_DEAD] *= FREQUENCY_ODDS if own else 1.0 / FREQUENCY_ODDS
            total = sum(shares.values())
            shares = {c: p / total for c, p in shares.items()}
        elif shares[Cause.HALF_DEAD] > HALF_BY_RIPPLE:
            shares[Cause.DRIED] += shares[Cause.HALF_DEAD] - HALF_BY_RIPPLE
            shares[Cause.HALF_DEAD] = HALF_BY_RIPPLE
    known = [replace(s, probability=shares[s.cause]) for s in found]
    return sorted(known, key=lambda s: -s.probability)


class Excess(StrEnum):
    """Where excess current goes, once it is known that there is some."""

    LEAK = "leaky filter capacitor"
    OVERLOAD = "overload"
    NEAR = "two causes near"


# how far B+ may rise in five minutes when a filter re-forms, and how often a leak does
FORMS_UP_TO, FORMS_SHARE = 0.25, 0.5
REPEAT_ERROR = math.sqrt(2.0) * METER_ERROR
FALLS_FROM = 0.03
SURE = 0.8
# a voltmeter's own draw, as a share of the load's
IDLE_SHARE = 1e-3


@dataclass(frozen=True, slots=True)
class ExcessVerdict:
    """A leak, an overload, or two causes near; the leak's probability, and words."""

    kind: Excess
    leak_probability: float
    words: str


def decide_excess(
    supply: Supply,
    extra: float,
    *,
    before_v: float | None = None,
    after_v: float | None = None,
    lifted_v: float | None = None,
    line_v: float | None = None,
) -> ExcessVerdict:
    """Tell a leak at the reservoir from an overload behind it.

    One circuit cannot be told from the other at one moment. ``before_v`` and ``after_v`` are B+ at
    steady AC five minutes apart: an electrolytic that re-forms draws less and B+ rises, an overload
    stays. ``lifted_v`` is the reservoir with its load's lead lifted: a leak still pulls it down.
    ``extra`` is the excess as a share of the nominal load. Raises BadInput for a fall or rise that
    is no settled reading.
    """
    line = line_v or supply.line_v
    known = [v for v in (before_v, after_v, lifted_v) if v is not None]
    check_possible_nodes(supply, line, known, ())
    if lifted_v is not None:
        return _by_lifting(supply, extra, lifted_v, line)
    if before_v is None or after_v is None:
        return ExcessVerdict(
            Excess.NEAR,
            0.5,
            "A leak and an overload are one circuit here: read again after five minutes, or lift "
            "the load's lead.",
        )
    require_positive(before_v=before_v, after_v=after_v)
    rise = after_v / before_v - 1.0
    leak_probability = _forming_probability(rise)
    if leak_probability >= SURE:
        return ExcessVerdict(
            Excess.LEAK,
            leak_probability,
            f"B+ rose by {100 * rise:.1f} % in the time: a filter capacitor is re-forming. Keep it "
            "at volts, and read again.",
        )
    if rise <= -FALLS_FROM:
        return ExcessVerdict(
            Excess.NEAR,
            0.5,
            f"B+ fell by {-100 * rise:.1f} %: it gets worse with heat. Switch off, lift the load's "
            "lead, and read the reservoir alone.",
        )
    return ExcessVerdict(
        Excess.NEAR,
        leak_probability,
        f"B+ changed by {100 * rise:+.1f} %, which two readings may differ by: an overload, or a "
        "leak that does not form any more. Lift the load's lead and read the reservoir.",
    )


def _forming_probability(rise: float) -> float:
    """That a rise of B+ in five minutes is a re-forming filter's, leak and overload alike before.

    An overload's readings differ by the meter's error alone; so do those of a leak that does not
    form, and a forming one's rise anywhere up to a quarter.
    """
    still = math.exp(-0.5 * (rise / REPEAT_ERROR) ** 2) / (REPEAT_ERROR * math.sqrt(2.0 * math.pi))
    forming = FORMS_SHARE / FORMS_UP_TO if 0.0 < rise < FORMS_UP_TO else 0.0
    leak = (1.0 - FORMS_SHARE) * still + forming
    return leak / (leak + still) if leak + still > 0.0 else 0.5


def _by_lifting(supply: Supply, extra: float, lifted_v: float, line_v: float) -> ExcessVerdict:
    """The reservoir alone: beside its unloaded volts, and beside those with the leak that fits."""
    idle = replace(supply.load, current_a=IDLE_SHARE * supply.load.current_a, string_a=0.0)
    sound = steady_state(replace(supply, load=idle), line_v).node_v[0]
    leaky = steady_state(replace(_leaking(supply, extra), load=idle), line_v).node_v[0]
    spread = math.hypot(METER_ERROR, 0.02)
    if abs(math.log(sound / leaky)) < 2.0 * spread:
        return ExcessVerdict(
            Excess.NEAR, 0.5, "The two differ too little here: measure the capacitor's leakage."
        )
    chi = [(math.log(max(lifted_v, 1e-3) / v) / spread) ** 2 for v in (leaky, sound)]
    odds = math.exp(min(max(0.5 * (chi[1] - chi[0]), -50.0), 50.0))
    probability = odds / (1.0 + odds)
    words = f"alone it should stand at {sound:.0f} V, with that leak at {leaky:.0f} V"
    if probability >= SURE:
        return ExcessVerdict(Excess.LEAK, probability, f"The reservoir leaks: {words}. Renew it.")
    if probability <= 1.0 - SURE:
        return ExcessVerdict(
            Excess.OVERLOAD,
            probability,
            f"The reservoir is good: {words}. The excess is drawn behind it: an output tube whose "
            "grid is pulled up, a leaky bypass, a short.",
        )
    return ExcessVerdict(Excess.NEAR, probability, f"Between the two: {words}. Read it again.")


def _checked(supply: Supply, readings: tuple[SupplyReading, ...]) -> tuple[SupplyReading, ...]:
    if not 1 <= len(readings) <= MOST_READINGS:
        raise BadInput("readings", str(len(readings)), "must be one to eight", "3")
    nodes = len(supply.sections) + 1
    for reading in readings:
        if len(reading.node_v) > nodes or len(reading.ripple_v) > nodes:
            raise BadInput(
                "reading", f"{len(reading.node_v)} nodes", f"this filter has {nodes}", "302 235"
            )
        if reading.line_v <= 0.0:
            raise BadInput("AC volts", f"{reading.line_v:g}", "must be above zero", "230")
        known = [v for v in reading.node_v if v is not None]
        swings = [v for v in reading.ripple_v if v is not None]
        check_possible_nodes(supply, reading.line_v, known, swings)
    return readings


def check_possible_nodes(
    supply: Supply, line_v: float, node_v: Sequence[float], ripple_v: Sequence[float]
) -> None:
    """Raises BadInput for volts or ripple that no state of this supply gives at that AC."""
    most_v = supply.unloaded_peak_v * line_v / supply.line_v * IMPOSSIBLE_SHARE + 2.0
    for volts in node_v:
        if not 0.0 <= volts <= most_v:
            raise BadInput(
                "node volts",
                f"{volts:g} V",
                f"cannot be: this supply gives 0 to {most_v:.0f} V with {line_v:g} V in",
                f"{0.8 * most_v:.0f}",
            )
    for swing in ripple_v:
        if not 0.0 <= swing <= most_v:
            raise BadInput(
                "ripple", f"{swing:g} V", f"must be 0 to {most_v:.0f} V peak to peak", "5"
            )


def _measured(readings: tuple[SupplyReading, ...]) -> Floats:
    values: list[float] = []
    for reading in readings:
        values += [v for v in reading.node_v if v is not None]
        values += [v + RIPPLE_FLOOR_V for v in reading.ripple_v if v is not None]
        values += [reading.line_a] if reading.line_a is not None else []
    return np.array(values)


def _of_point(variant: _Variant, reading: SupplyReading, heaters: Heaters) -> list[float]:
    point = variant.solve(reading.line_v)
    nodes = zip(point.node_v, reading.node_v, strict=False)
    ripple = zip(point.ripple_v, reading.ripple_v, strict=False)
    values = [found for found, read in nodes if read is not None]
    values += [found + RIPPLE_FLOOR_V for found, read in ripple if read is not None]
    if reading.line_a is not None:
        heat_a = heater_line_a(heaters, reading.line_v, variant.supply.line_v)
        values.append(with_rectifier_a(variant.supply, reading.line_v, point, heat_a))
    return values


def _predicted(variant: _Variant, readings: tuple[SupplyReading, ...], heaters: Heaters) -> Floats:
    return np.array([v for r in readings for v in _of_point(variant, r, heaters)])


def _solver(supply: Supply, emission: float = 1.0) -> Callable[[float], SupplyPoint]:
    def solve(line_v: float) -> SupplyPoint:
        warm = warmth(line_v / supply.line_v)
        return warming_state(supply, line_v, rectifier=warm, load=warm, emission=emission)

    return solve


def _variants(supply: Supply) -> list[_Variant]:
    found = [_variant(Cause.HEALTHY, 1.0, supply)]
    if supply.rectifier.kind is RectifierKind.VACUUM:
        found += [_variant(Cause.TIRED, e, supply, e) for e in EMISSIONS]
    elif supply.rectifier.kind is RectifierKind.SELENIUM:
        found += [_variant(Cause.TIRED, a, _aged(supply, a)) for a in AGES]
    found += [_variant(Cause.EXCESS, x, _loaded(supply, x)) for x in EXCESSES]
    found += [_variant(Cause.EXCESS, x, _leaking(supply, x)) for x in EXCESSES]
    for place in range(len(supply.sections) + 1):
        found += [_variant(Cause.DRIED, c, _dried(supply, place, c)) for c in CAPACITIES]
    if supply.topology.full_wave:
        found.append(_variant(Cause.HALF_DEAD, 0.5, with_dead_half(supply)))
    return found


def _variant(cause: Cause, severity: float, supply: Supply, emission: float = 1.0) -> _Variant:
    return _Variant(cause, severity, _solver(supply, emission), supply)


def _aged(supply: Supply, age: float) -> Supply:
    rectifier = supply.rectifier
    return replace(
        supply, rectifier=replace(rectifier, resistance_ohm=rectifier.resistance_ohm * age)
    )


def _loaded(supply: Supply, extra: float) -> Supply:
    load = supply.load
    return replace(supply, load=replace(load, current_a=load.current_a * (1.0 + extra)))


def _leaking(supply: Supply, extra: float) -> Supply:
    leak_ohm = supply.load.nominal_v / (supply.load.current_a * extra)
    return replace(supply, reservoir_leak_ohm=leak_ohm)


def _dried(supply: Supply, place: int, capacity: float) -> Supply:
    if place == 0:
        return replace(supply, reservoir_f=supply.reservoir_f * capacity)
    sections = list(supply.sections)
    old = sections[place - 1]
    sections[place - 1] = replace(old, capacitance_f=old.capacitance_f * capacity)
    return replace(supply, sections=tuple(sections))


def _spread(supply: Supply, readings: tuple[SupplyReading, ...], heaters: Heaters) -> Floats:
    """Covariance of the logarithms: the meter's, and what healthy sets differ in."""

    def logs(changed: Supply, emission: float = 1.0) -> Floats:
        variant = _variant(Cause.HEALTHY, 1.0, changed, emission)
        return np.asarray(np.log(_predicted(variant, readings, heaters) + 1e-9))

    base = logs(supply)
    nudged: list[tuple[float, Floats]] = [
        (LOAD_SPREAD, logs(_loaded(supply, 0.05))),
        *(
            (FILTER_SPREAD, logs(_dried(supply, place, 1.05)))
            for place in range(len(supply.sections) + 1)
        ),
    ]
    if supply.rectifier.kind is RectifierKind.VACUUM:
        nudged.append((RECTIFIER_SPREAD, logs(supply, 0.95)))
    elif supply.rectifier.kind is RectifierKind.SELENIUM:
        nudged.append((RECTIFIER_SPREAD, logs(_aged(supply, 1.05))))
    covariance = METER_ERROR**2 * np.eye(base.size)
    for spread, moved in nudged:
        slope = (moved - base) / 0.05
        covariance += spread**2 * np.outer(slope, slope)
    return covariance


def _log_likelihood(off: Floats, covariance: Floats) -> float:
    chi_squared = float(off @ np.linalg.solve(covariance, off))
    # a heavy tail: one reading may be simply wrong
    freedom = 6.0
    return -0.5 * (freedom + off.size) * math.log1p(chi_squared / freedom)


def _log_mean(values: list[float]) -> float:
    highest = max(values)
    return highest + math.log(sum(math.exp(v - highest) for v in values) / len(values))


def _rectifier_ohm(supply: Supply, severity: float) -> float:
    """Chord resistance of the rectifier at three times the mean current, as worn."""
    rectifier, at_a = supply.rectifier, 3.0 * supply.load.current_a
    if rectifier.kind is RectifierKind.VACUUM:
        worn = replace(rectifier, perveance=rectifier.perveance * severity)
        return float(worn.drop_v(np.array([at_a]))[0]) / at_a
    return rectifier.resistance_ohm * max(severity, 1.0)


def _words(cause: Cause, severity: float) -> str:
    match cause:
        case Cause.HEALTHY:
            return "Volts and ripple are what this set's own supply gives."
        case Cause.TIRED:
            left = (
                f"{100 * severity:.0f} % of its emission left"
                if severity <= 1.0
                else (f"{severity:.0f} times a new one's resistance")
            )
            return f"The shortfall grows with the current: a tired rectifier, {left}."
        case Cause.EXCESS:
            return (
                f"Some {100 * severity:.0f} % more current than it should: a leaky capacitor, an "
                "output tube whose grid is pulled up, a short further on."
            )
        case Cause.DRIED:
            return f"Ripple is high: {100 * severity:.0f} % of a filter capacitor is left."
        case Cause.HALF_DEAD:
            return (
                "Ripple at the line's own frequency: one half of the rectifier is dead, or far "
                "weaker than the other."
            )
        case _:
            return ""


def _next(suspicions: list[Suspicion]) -> str:
    first, second = suspicions[0], suspicions[1]
    if first.cause is Cause.EXCESS and first.probability > NEAR:
        return (
            "A leak and an overload are two causes close by: read B+ again after five minutes "
            "at steady line (a leak forms, an overload stays), or lift the load's lead."
        )
    if first.cause is Cause.HALF_DEAD and first.probability <= HALF_BY_RIPPLE:
        return "Read the ripple's frequency, or each half of the rectifier by itself: it decides."
    if second.probability < NEAR:
        return ""
    pair = {first.cause, second.cause}
    if Cause.HALF_DEAD in pair:
        return "Read the ripple's frequency, or each half of the rectifier by itself."
    if Cause.DRIED in pair:
        return "Read the ripple at the reservoir and at the last capacitor."
    if Cause.TIRED in pair:
        return "Read B+ ahead of and behind the filter resistor: its drop tells the current."
    return "Read again at full line, warm."
