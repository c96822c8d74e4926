"""What ails a supply, from a few settled readings, by Bayes over fitted causes.

Each cause has one severity; its likelihood is averaged over a grid of severities, so that a cause
with a free parameter is not preferred for fitting noise. Spread that healthy sets show as well
(line, load, filter tolerances) widens the meter's error through the model's own derivatives.
What one circuit cannot tell from another is said so: a leak at the reservoir beside an extra load
there; they are one cause here, "excess current", until a lifted lead or time decides.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.heaters import Heaters
from glowdial.core.physics.supply.circuit import RectifierKind, Supply, with_dead_half
from glowdial.core.physics.supply.line_current import heater_line_a, with_rectifier_a
from glowdial.core.physics.supply.rampup import warming_state, warmth
from glowdial.core.physics.supply.steady import SupplyPoint
from glowdial.core.stages.bring_up.plain_faults import plain_fault
from glowdial.core.stages.bring_up.supply_causes import (
    METER_ERROR,
    NEAR,
    OTHER_HALF,
    Cause,
    Diagnosis,
    SupplyReading,
    Suspicion,
    check_possible_nodes,
    leaking_reservoir,
    overload_words,
)

Floats = NDArray[np.float64]
MOST_READINGS = 8
LOAD_SPREAD, FILTER_SPREAD, RECTIFIER_SPREAD = 0.06, 0.10, 0.15
RIPPLE_FLOOR_V = 0.02
NO_HEATERS = Heaters()


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
class _Variant:
    """One cause at one severity, at one capacitor where it is one's: how to solve it, and the
    supply that it is."""

    cause: Cause
    severity: float
    solve: Callable[[float], SupplyPoint]
    supply: Supply
    node: int = 0


def diagnose(
    supply: Supply, readings: tuple[SupplyReading, ...], heaters: Heaters = NO_HEATERS
) -> Diagnosis:
    """Weigh the causes against one to eight settled readings, warm ones counting.

    ``heaters`` are the set's, for what they draw of a line current that was read. Raises BadInput
    for none, too many, or readings of another filter.
    """
    usable = _checked(supply, readings)
    plain = plain_fault(supply, usable, heaters)
    if plain is not None:
        return plain
    if not heaters.heaters:
        usable = tuple(replace(r, line_a=None) for r in usable)
    spread = _spread(supply, usable, heaters)
    measured = _measured(usable)
    scores: dict[Cause, list[tuple[float, float, int]]] = {}
    for variant in _variants(supply):
        try:
            predicted = _predicted(variant, usable, heaters)
        except BadInput:
            # a severity without a steady state is no reason to end the rest
            continue
        off = np.log((measured + 1e-9) / (predicted + 1e-9))
        scores.setdefault(variant.cause, []).append(
            (_log_likelihood(off, spread), variant.severity, variant.node)
        )
    weights = {
        cause: math.log(PRIOR[cause]) + _log_mean([score for score, _, _ in found])
        for cause, found in scores.items()
    }
    highest = max(weights.values())
    total = sum(math.exp(w - highest) for w in weights.values())
    found = (
        Suspicion(
            cause,
            math.exp(weight - highest) / total,
            severity,
            _words(supply, cause, severity),
            node,
        )
        for cause, weight in weights.items()
        for _, severity, node in [max(scores[cause])]
    )
    suspicions = _by_ripple_frequency(supply, list(found), usable)
    tired = max(scores.get(Cause.TIRED, [(0.0, 1.0, 0)]))[1]
    healthy_ohm = _rectifier_ohm(supply, 1.0)
    shown = _rectifier_ohm(supply, tired) if suspicions[0].cause is Cause.TIRED else healthy_ohm
    return Diagnosis(tuple(suspicions), _next(suspicions), shown, healthy_ohm)


# with ripple alone one dead half is never quite told from a reservoir lost beside a weak half
HALF_BY_RIPPLE = 0.9
# a frequency that was read decides: the one or the other
FREQUENCY_TOLERANCE, FREQUENCY_ODDS = 0.15, 1e6


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
    found += [_variant(Cause.EXCESS, x, leaking_reservoir(supply, x)) for x in EXCESSES]
    for place in range(len(supply.sections) + 1):
        dried = [_variant(Cause.DRIED, c, _dried(supply, place, c)) for c in CAPACITIES]
        found += [replace(v, node=place) for v in dried]
    if supply.topology.doubles:
        halves = [_variant(Cause.DRIED, c, _one_half_dried(supply, c)) for c in CAPACITIES]
        found += [replace(v, node=OTHER_HALF) for v in halves]
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


def _dried(supply: Supply, place: int, capacity: float) -> Supply:
    if place == 0:
        return replace(supply, reservoir_f=supply.reservoir_f * capacity)
    sections = list(supply.sections)
    old = sections[place - 1]
    sections[place - 1] = replace(old, capacitance_f=old.capacitance_f * capacity)
    return replace(supply, sections=tuple(sections))


def _one_half_dried(supply: Supply, capacity: float) -> Supply:
    """The other capacitor of a doubler alone."""
    return replace(supply, other_half_f=supply.other_f * capacity)


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


def _words(supply: Supply, cause: Cause, severity: float) -> str:
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
                f"Some {100 * severity:.0f} % more current than it should: a leaky capacitor, "
                f"{overload_words(supply)}."
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
