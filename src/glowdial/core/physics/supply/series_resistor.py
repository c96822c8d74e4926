"""A series resistor that brings B+ back, as after selenium gave way to silicon.

From readings (R, V) at one line voltage. Behind the reservoir a resistive load makes 1/V = a + b R,
a constant-current one V = a - b R, both exact. Ahead of the reservoir neither is: there the supply
model gives the shape, and the readings how far this set departs from it, evenly in between; without
a supply model the nearer line is used and a third reading bends it. Predicts between readings only,
at least a tenth apart in V. Heat ahead of the first capacitor is R Irms^2.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from glowdial.core.language.errors import BadInput, require_positive
from glowdial.core.physics.combinations import LARGEST_RESISTOR_W, rating_above_w
from glowdial.core.physics.preferred_values import Series, standard_values
from glowdial.core.physics.supply.circuit import Supply, Topology, silicon_rectifier
from glowdial.core.physics.supply.steady import steady_state

LEAST_SPREAD = 0.10
WIDE_SPREAD = 0.45
WORTH_OFFERING = 0.03


class ResistorPlace(StrEnum):
    """On which side of the first filter capacitor the resistor sits."""

    AHEAD = "ahead of the reservoir"
    BEHIND = "behind the reservoir"


class LoadKind(StrEnum):
    """What the supply feeds."""

    RESISTIVE = "resistive"
    CONSTANT_CURRENT = "constant current"


@dataclass(frozen=True, slots=True)
class ResistorReading:
    """B+ with a series resistance, all at the same line voltage; 0 ohm is no resistor."""

    resistance_ohm: float
    b_plus_v: float


@dataclass(frozen=True, slots=True)
class ResistorAdvice:
    """What to do next: try ``try_ohm`` and measure, or, when ``final``, that is the value.

    ``predicted_v`` is the B+ expected with it; ``words`` say why.
    """

    try_ohm: float
    predicted_v: float
    final: bool
    words: str


def series_resistor(
    readings: tuple[ResistorReading, ...],
    target_v: float,
    place: ResistorPlace,
    load: LoadKind,
    supply: Supply | None = None,
) -> ResistorAdvice:
    """The resistance for ``target_v`` from two or more readings that enclose it.

    ``supply`` is the sheet's, as nearly as it is known; it lends its shape ahead of the reservoir.

    Raises BadInput for readings that make no sense: out of order, one resistance twice, B+ at or
    below zero. Asks for another reading where those there are do not enclose the target, are less
    than a tenth apart, or so far apart that the line between them is not straight enough.
    """
    require_positive(target_v=target_v)
    ordered = _checked(readings)
    if len(ordered) < 2:
        raise BadInput("readings", str(len(ordered)), "two at least", "0 ohm 280 V, 1000 ohm 220 V")
    volts = [r.b_plus_v for r in ordered]
    if not volts[-1] <= target_v <= volts[0]:
        return _further(ordered, target_v)
    above, below = _enclosing(ordered, target_v)
    modelled = supply is not None and place is ResistorPlace.AHEAD
    straight = _between(above, below, target_v, load)
    if supply is not None and modelled:
        straight = _by_model(supply, above, below, target_v)
    spread = above.b_plus_v / below.b_plus_v - 1.0
    if spread < LEAST_SPREAD and len(ordered) == 2:
        wider = below.resistance_ohm + 2.0 * (below.resistance_ohm - above.resistance_ohm)
        return ResistorAdvice(
            round(wider, 1),
            _line(above, below, wider, load),
            False,
            "The two readings are less than a tenth apart, and a meter's error between them would "
            "swing the answer: measure once more, further out.",
        )
    bent = (
        place is ResistorPlace.AHEAD and not modelled and len(ordered) == 2 and spread > WIDE_SPREAD
    )
    if bent:
        return ResistorAdvice(
            straight,
            target_v,
            False,
            "Ahead of the reservoir the line between readings this far apart is not straight: put "
            "this in, measure, and enter it.",
        )
    if len(ordered) >= 3 and not modelled:
        fitted = _straight if place is ResistorPlace.BEHIND else _bent
        first, last = above.resistance_ohm, below.resistance_ohm
        # nothing is predicted beyond the readings that enclose the target
        straight = min(max(fitted(ordered, target_v, load), first), last)
    return ResistorAdvice(
        straight, target_v, True, f"Between {above.b_plus_v:.0f} and {below.b_plus_v:.0f} V."
    )


def _checked(readings: tuple[ResistorReading, ...]) -> list[ResistorReading]:
    ordered = sorted(readings, key=lambda r: r.resistance_ohm)
    for before, after in itertools.pairwise(ordered):
        if after.resistance_ohm - before.resistance_ohm < 1e-9:
            raise BadInput(
                "resistance", f"{after.resistance_ohm:g} ohm", "is there twice", "0 and 1000 ohm"
            )
        if after.b_plus_v >= before.b_plus_v:
            raise BadInput(
                "B+",
                f"{after.b_plus_v:g} V at {after.resistance_ohm:g} ohm",
                f"must fall with the resistance; {before.resistance_ohm:g} ohm gave "
                f"{before.b_plus_v:g} V. Was the line the same?",
                "0 ohm 280 V, 1000 ohm 220 V",
            )
    for reading in ordered:
        if reading.resistance_ohm < 0.0 or reading.b_plus_v <= 0.0:
            raise BadInput(
                "reading",
                f"{reading.resistance_ohm:g} ohm {reading.b_plus_v:g} V",
                "wants 0 ohm or more and B+ above 0 V",
                "1000 ohm 220 V",
            )
    return ordered


def _further(ordered: list[ResistorReading], target_v: float) -> ResistorAdvice:
    """The target lies outside: never predicted there, but where to measure next is said."""
    if target_v > ordered[0].b_plus_v:
        if ordered[0].resistance_ohm <= 0.0:
            raise BadInput(
                "target",
                f"{target_v:g} V",
                f"is above what no resistor at all gives ({ordered[0].b_plus_v:g} V)",
                f"{0.9 * ordered[0].b_plus_v:.0f} V",
            )
        return ResistorAdvice(0.0, ordered[0].b_plus_v, False, "Measure without any resistor too.")
    first, last = ordered[0], ordered[-1]
    slope = (first.b_plus_v - last.b_plus_v) / (last.resistance_ohm - first.resistance_ohm)
    wanted = last.resistance_ohm + 1.3 * (last.b_plus_v - target_v) / slope
    return ResistorAdvice(
        round(wanted, 1),
        target_v,
        False,
        "The target lies below both readings, and nothing is predicted beyond them: put about this "
        "in and measure.",
    )


def _enclosing(
    ordered: list[ResistorReading], target_v: float
) -> tuple[ResistorReading, ResistorReading]:
    for above, below in itertools.pairwise(ordered):
        if below.b_plus_v <= target_v:
            return above, below
    return ordered[-2], ordered[-1]


def _scale(volts: float, load: LoadKind) -> float:
    return 1.0 / volts if load is LoadKind.RESISTIVE else volts


def _between(
    above: ResistorReading, below: ResistorReading, target_v: float, load: LoadKind
) -> float:
    high, low, wanted = (_scale(v, load) for v in (above.b_plus_v, below.b_plus_v, target_v))
    share = (wanted - high) / (low - high)
    return above.resistance_ohm + share * (below.resistance_ohm - above.resistance_ohm)


def _line(above: ResistorReading, below: ResistorReading, ohm: float, load: LoadKind) -> float:
    share = (ohm - above.resistance_ohm) / (below.resistance_ohm - above.resistance_ohm)
    high, low = _scale(above.b_plus_v, load), _scale(below.b_plus_v, load)
    there = high + share * (low - high)
    return 1.0 / there if load is LoadKind.RESISTIVE else there


def _by_model(
    supply: Supply, above: ResistorReading, below: ResistorReading, target_v: float
) -> float:
    """Between two readings along the supply model's curve, departing from it evenly."""

    def model_v(ohm: float) -> float:
        return _with_resistor(supply, supply.line_v, ohm, ResistorPlace.AHEAD)[0]

    first, last = above.resistance_ohm, below.resistance_ohm
    ratios = above.b_plus_v / model_v(first), below.b_plus_v / model_v(last)
    low, high = first, last
    for _ in range(40):
        ohm = 0.5 * (low + high)
        share = (ohm - first) / (last - first)
        if model_v(ohm) * (ratios[0] + share * (ratios[1] - ratios[0])) > target_v:
            low = ohm
        else:
            high = ohm
    return 0.5 * (low + high)


def _straight(ordered: list[ResistorReading], target_v: float, load: LoadKind) -> float:
    """The line that is exact behind the reservoir, scaled V = a + b R, by least squares over all
    readings in V: that is what the meter errs in."""
    ohm = np.array([r.resistance_ohm for r in ordered])
    volts = np.array([r.b_plus_v for r in ordered])
    x = np.array([_scale(v, load) for v in volts])
    # an error of 1 V moves 1/V by 1/V^2
    weight = volts**2 if load is LoadKind.RESISTIVE else np.ones_like(volts)
    slope, level = np.polyfit(ohm, x, 1, w=weight)
    return float((_scale(target_v, load) - level) / slope)


def _bent(ordered: list[ResistorReading], target_v: float, load: LoadKind) -> float:
    """A parabola through (scaled V, R), by least squares over all readings."""
    x = np.array([_scale(r.b_plus_v, load) for r in ordered])
    y = np.array([r.resistance_ohm for r in ordered])
    middle = float(x.mean())
    order = 2 if len(ordered) >= 3 else 1
    fitted = np.polynomial.Polynomial.fit(x - middle, y, order)
    return float(fitted(_scale(target_v, load) - middle))


@dataclass(frozen=True, slots=True)
class ResistorChoice:
    """A standard value or pair in series: B+ it gives, heat it sheds, rating to buy, probe side."""

    values_ohm: tuple[float, ...]
    resistance_ohm: float
    b_plus_v: float
    dissipation_w: float
    rating_w: float
    words: str


def resistor_choices(
    supply: Supply, line_v: float, wanted_ohm: float, target_v: float, place: ResistorPlace
) -> tuple[ResistorChoice, ...]:
    """Standard E12 singles and E12 pairs in series near ``wanted_ohm``, best first.

    B+ by the supply model, shifted so that ``wanted_ohm`` gives the target; heat by the RMS
    current. Raises BadInput for zero ohm, and when the heat would be more than 100 W.
    """
    require_positive(wanted_ohm=wanted_ohm, target_v=target_v)
    model_v, _ = _with_resistor(supply, line_v, wanted_ohm, place)
    singles: list[tuple[float, ...]] = [
        (v,) for v in standard_values(Series.E12, wanted_ohm / 3.0, wanted_ohm * 3.0)
    ]
    parts = standard_values(Series.E12, wanted_ohm / 20.0, wanted_ohm)
    pairs: list[tuple[float, ...]] = [(a, b) for a in parts for b in parts if a >= b]
    near = sorted(singles, key=lambda v: abs(math.log(sum(v) / wanted_ohm)))[:2]
    exact = [p for p in pairs if abs(math.log(sum(p) / wanted_ohm)) < WORTH_OFFERING]
    near += sorted(exact, key=lambda v: abs(math.log(sum(v) / wanted_ohm)))[:2]
    found = []
    for values in near:
        ohm = sum(values)
        volts, heat_w = _with_resistor(supply, line_v, ohm, place)
        if heat_w > LARGEST_RESISTOR_W / 2.0:
            raise BadInput(
                "dissipation",
                f"{heat_w:.0f} W",
                "is more than a resistor can shed in a chassis; the rectifier's drop is not "
                "what is wrong here",
                "5 W",
            )
        rating = rating_above_w(2.0 * heat_w)
        side = "set's side" if place is ResistorPlace.AHEAD else "load's side"
        found.append(
            ResistorChoice(
                values,
                ohm,
                volts * target_v / model_v,
                heat_w,
                rating,
                f"{heat_w:.1f} W: take {rating:g} W, in free air above the chassis, away from "
                f"electrolytics; B+ is read on the {side} of it.",
            )
        )
    return tuple(sorted(found, key=lambda c: abs(math.log(c.b_plus_v / target_v))))


def with_resistance(supply: Supply, ohm: float, place: ResistorPlace) -> Supply:
    """The supply with a resistance on one side of its reservoir."""
    if place is ResistorPlace.AHEAD:
        return replace(supply, source_ohm=supply.source_ohm + ohm)
    first, *rest = supply.sections
    longer = replace(first, resistance_ohm=first.resistance_ohm + ohm)
    return replace(supply, sections=(longer, *rest))


def on_silicon(supply: Supply, ohm: float, place: ResistorPlace) -> Supply:
    """The supply with silicon diodes, its halves alike again, and a series resistance."""
    in_path = 2 if supply.topology is Topology.BRIDGE else 1
    changed = replace(supply, rectifier=silicon_rectifier(in_path), weak_half_ohm=0.0)
    return with_resistance(changed, ohm, place)


def _with_resistor(
    supply: Supply, line_v: float, ohm: float, place: ResistorPlace
) -> tuple[float, float]:
    """B+ and the resistor's heat by the supply model."""
    changed = with_resistance(supply, ohm, place)
    point = steady_state(changed, line_v)
    if place is ResistorPlace.AHEAD:
        # one resistor ahead of the reservoir carries every pulse of a full wave, and one in a
        # doubler's lead those of both halves
        both = 1.0 if supply.topology is Topology.HALF_WAVE else 2.0
        return point.node_v[-1], ohm * both * point.rectifier_rms_a**2
    through_a = (point.node_v[0] - point.node_v[1]) / changed.sections[0].resistance_ohm
    return point.node_v[-1], ohm * through_a**2
