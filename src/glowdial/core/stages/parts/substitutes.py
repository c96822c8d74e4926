"""What goes in a part's place: from the stock, or of standard values."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from glowdial.core.language.quantities import engineering
from glowdial.core.model.parts import Part, PartKind
from glowdial.core.physics.combinations import (
    Joined,
    Proposal,
    Stocked,
    Wanted,
    choose_capacitor,
    choose_resistor,
    rating_above_w,
)
from glowdial.core.physics.preferred_values import Series, nearest_standard, standard_values
from glowdial.core.stages.parts.needs import SAFETY_V, Need

STANDARD_CAPACITOR_V = (16.0, 25.0, 63.0, 100.0, 160.0, 250.0, 400.0, 450.0, 500.0, 630.0, 1000.0)
STANDARD_ELECTROLYTIC_V = (16.0, 25.0, 63.0, 100.0, 160.0, 250.0, 350.0, 400.0, 450.0, 500.0)
BALANCING_FACTOR, LEAKAGE_A_PER_FV = 10.0, 0.01
# the volts never divide quite evenly
SERIES_MARGIN = 1.1
STANDARD_RESISTOR_W = (0.5, 1.0, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 25.0, 50.0)


@dataclass(frozen=True, slots=True)
class StockItem:
    """A line of the bench's stock: ``rating`` in V or W, ``safety`` its class ("Y2") if any."""

    key: int
    resistor: bool
    value: float
    rating: float
    count: int
    safety: str = ""
    electrolytic: bool = False

    @property
    def words(self) -> str:
        """As it is written on a list."""
        value = engineering(self.value, "ohm" if self.resistor else "F")
        rating = f"{self.rating:g} {'W' if self.resistor else 'V'}"
        kind = " electrolytic" if self.electrolytic else ""
        return " ".join(w for w in (f"{value} {rating}{kind}", self.safety) if w)


@dataclass(frozen=True, slots=True)
class Substitute:
    """A proposal in words, the items that it takes, and whether they lie in stock."""

    items: tuple[StockItem, ...]
    joined: Joined
    value: float
    inside: bool
    from_stock: bool
    beside: str = ""

    @property
    def words(self) -> str:
        """What to fit."""
        return f"{self._together}, {self.beside}" if self.beside else self._together

    @property
    def _together(self) -> str:
        names = [item.words for item in self.items]
        if len(set(names)) == 1 and len(names) > 1:
            text = f"{len(names)} x {names[0]} {self.joined}"
        else:
            text = " + ".join(names) + (f" {self.joined}" if len(names) > 1 else "")
        return text


def substitutes(part: Part, need: Need, stock: tuple[StockItem, ...]) -> tuple[Substitute, ...]:
    """The best from stock, then the best of standard values, as far as there are any."""
    usable = tuple(i for i in stock if _fits(part, need, i))
    found = [
        _best(part, need, usable, from_stock=True),
        _best(part, need, _standard(part, need), from_stock=False),
    ]
    kept = tuple(s for s in found if s is not None and (s.inside or not s.from_stock))
    if kept or part.kind is not PartKind.ELECTROLYTIC or need.safety:
        return kept
    # no single part has the volts: some alike in series, each with a resistor across it
    stocked = tuple(i for i in stock if i.electrolytic)
    in_series = [
        _in_series(need, stocked, from_stock=True),
        _in_series(need, _electrolytics(need), from_stock=False),
    ]
    return tuple(s for s in in_series if s is not None)


def balancing_ohm(capacitance_f: float) -> float:
    """The resistor across each of some electrolytics in series, the next lower of E12: it carries
    ten times the leakage that a new one may have, 0.01 uA per uF and V, so that leakage no longer
    divides the volts. Source: capacitor makers' application guides."""
    most_ohm = 1.0 / (BALANCING_FACTOR * LEAKAGE_A_PER_FV * capacitance_f)
    return max(standard_values(Series.E12, most_ohm / 2.0, most_ohm * 1.0001))


def _electrolytics(need: Need) -> tuple[StockItem, ...]:
    value = need.wanted.value
    values = standard_values(Series.E6, value, value * 6.0)
    return tuple(
        StockItem(0, False, v, volts, 1_000, "", True)
        for v in values
        for volts in STANDARD_ELECTROLYTIC_V
    )


def _in_series(need: Need, items: tuple[StockItem, ...], *, from_stock: bool) -> Substitute | None:
    """Two or three alike in series that have the volts and the value; the fewest, nearest,
    lowest."""
    found = [
        (n, abs(math.log(item.value / n / need.wanted.value)), item.rating, item)
        for n in (2, 3)
        for item in items
        if item.count >= n
        and item.rating * n >= need.wanted.rating * SERIES_MARGIN
        and need.wanted.inside(np.array([item.value / n]))[0]
    ]
    if not found:
        return None
    n, _, _, item = min(found, key=lambda f: f[:3])
    ohm = balancing_ohm(item.value)
    each_v = need.wanted.rating / n
    watts = rating_above_w(2.0 * each_v**2 / ohm)
    beside = (
        f"with {engineering(ohm, 'ohm')} {watts:g} W, rated for {each_v:.0f} V or more, across each"
    )
    return Substitute((item,) * n, Joined.SERIES, item.value / n, True, from_stock, beside)


def _fits(part: Part, need: Need, item: StockItem) -> bool:
    if item.resistor != part.is_resistor:
        return False
    if item.electrolytic and part.kind is not PartKind.ELECTROLYTIC:
        return False
    if need.safety:
        return bool(item.safety) and item.safety[0] in need.safety
    return True


def _best(
    part: Part, need: Need, items: tuple[StockItem, ...], *, from_stock: bool
) -> Substitute | None:
    if not items:
        return None
    lines = [Stocked(i.value, i.rating, i.count) for i in items]
    choose = choose_resistor if part.is_resistor else choose_capacitor
    found: Proposal | None = choose(need.wanted, lines)
    if found is None:
        return None
    taken = tuple(items[n] for n in found.lines)
    return Substitute(taken, found.joined, found.value, found.inside, from_stock)


def _standard(part: Part, need: Need) -> tuple[StockItem, ...]:
    """Values that can be bought, in the one rating that is enough."""
    value = need.wanted.value
    if part.is_resistor:
        ratings = [w for w in STANDARD_RESISTOR_W if w >= need.wanted.rating] or [
            STANDARD_RESISTOR_W[-1]
        ]
        values = standard_values(Series.E24, value / 3.0, value * 3.0)
        return tuple(StockItem(0, True, v, ratings[0], 1_000) for v in values)
    electrolytic = part.kind is PartKind.ELECTROLYTIC
    if need.safety:
        values = standard_values(Series.E6, max(value / 10.0, 1e-10), value * 1.2)
        safety = need.safety.split()[0]
        return tuple(StockItem(0, False, v, SAFETY_V, 1_000, safety) for v in values)
    volts = STANDARD_ELECTROLYTIC_V if electrolytic else STANDARD_CAPACITOR_V
    enough = [v for v in volts if v >= need.wanted.rating]
    if not enough:
        return ()
    series = Series.E6 if electrolytic else Series.E12
    values = standard_values(series, value / 10.0, value * 3.0)
    return tuple(StockItem(0, False, v, enough[0], 1_000, "", electrolytic) for v in values)


@dataclass(frozen=True, slots=True)
class StockChoice:
    """What of a stock takes a part's place, None where nothing carries it; and the standard value
    that is nearest to the part's own."""

    proposal: Proposal | None
    nearest_standard: float


def choice_from_stock(wanted: Wanted, stock: Sequence[Stocked], *, resistor: bool) -> StockChoice:
    """The best that a stock has for a capacitor (F, V) or a resistor (ohm, W)."""
    choose, series = (choose_resistor, Series.E12) if resistor else (choose_capacitor, Series.E6)
    return StockChoice(choose(wanted, stock), nearest_standard(wanted.value, series))
