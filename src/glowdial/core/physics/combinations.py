"""What replaces a part: one, two or three from stock, inside a window, volts enough.

Rank: inside the window, fewest parts, nearest by ratio, lowest adequate voltage. Capacitors go in
parallel; resistors in series or in parallel. All combinations are looked at, so the best is the
best; ties are all right.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput, require_positive

Floats = NDArray[np.float64]
Whole = NDArray[np.intp]
MOST_PARTS = 3
LONGEST_STOCK = 400
NEAREST = 2048
LARGEST_RESISTOR_W = 100.0
RATINGS_W = (0.25, 0.5, 1.0, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 25.0, 50.0, 100.0)


class Joined(StrEnum):
    """How the parts are put together."""

    ALONE = "alone"
    PARALLEL = "in parallel"
    SERIES = "in series"


@dataclass(frozen=True, slots=True)
class Stocked:
    """A line of stock: value in F or ohm, its rating (V of a capacitor, W of a resistor), count."""

    value: float
    rating: float
    count: int = 1_000

    def __post_init__(self) -> None:
        require_positive(stock_value=self.value, stock_rating=self.rating)


@dataclass(frozen=True, slots=True)
class Wanted:
    """Value, window as shares below and above, and the rating needed (V, or W in all)."""

    value: float
    below: float
    above: float
    rating: float

    def __post_init__(self) -> None:
        require_positive(wanted_value=self.value)
        if not 0.0 <= self.below < 1.0 or not 0.0 <= self.above <= 10.0:
            raise BadInput(
                "window", f"-{self.below:g} +{self.above:g}", "must be shares", "-0.2 +0.5"
            )

    def inside(self, value: Floats) -> NDArray[np.bool_]:
        """Whether values lie in the window, edges included."""
        low, high = self.value * (1.0 - self.below), self.value * (1.0 + self.above)
        return (value >= low * (1 - 1e-12)) & (value <= high * (1 + 1e-12))


@dataclass(frozen=True, slots=True)
class Proposal:
    """Places in the stock list, how they are joined, what they make, and whether it fits."""

    lines: tuple[int, ...]
    joined: Joined
    value: float
    rating: float
    inside: bool

    @property
    def parts(self) -> int:
        """How many."""
        return len(self.lines)


@lru_cache(maxsize=32)
def _combinations(size: int, parts: int) -> Whole:
    """All rising ways to take ``parts`` of ``size`` lines, repeats allowed; shape (parts, ways)."""
    if parts == 1:
        return np.arange(size)[None, :]
    grids = np.indices((size,) * parts).reshape(parts, -1)
    rising = np.all(np.diff(grids, axis=0) >= 0, axis=0)
    return np.ascontiguousarray(grids[:, rising])


def choose_capacitor(wanted: Wanted, stock: Sequence[Stocked]) -> Proposal | None:
    """The best of one to three in parallel with volts enough, or None when none has the volts."""
    fits = [n for n, line in enumerate(stock) if line.rating >= wanted.rating]
    return _best(wanted, stock, fits, (Joined.PARALLEL,))


def choose_resistor(wanted: Wanted, stock: Sequence[Stocked]) -> Proposal | None:
    """The best of one to three in series or in parallel that carry the watts.

    ``wanted.rating`` is the dissipation that all together must be rated for: twice what is
    dissipated. Raises BadInput above 100 W: that is no resistor but a heater.
    """
    if wanted.rating > LARGEST_RESISTOR_W:
        raise BadInput(
            "dissipation",
            f"{wanted.rating:g} W",
            "is more than a resistor in a receiver can shed; look for the fault, or use a choke, a "
            "transformer or a capacitor dropper by its own rules",
            "10 W",
        )
    return _best(wanted, stock, list(range(len(stock))), (Joined.SERIES, Joined.PARALLEL))


def _best(
    wanted: Wanted, stock: Sequence[Stocked], fits: list[int], ways: tuple[Joined, ...]
) -> Proposal | None:
    if len(stock) > LONGEST_STOCK:
        raise BadInput("stock", f"{len(stock)} lines", f"is over {LONGEST_STOCK}", "100 lines")
    if not fits:
        return None
    value = np.array([stock[n].value for n in fits])
    rating = np.array([stock[n].rating for n in fits])
    count = np.array([stock[n].count for n in fits])
    outside: Proposal | None = None
    for parts in range(1, MOST_PARTS + 1):
        best: Proposal | None = None
        for joined in (Joined.ALONE,) if parts == 1 else ways:
            found = _best_of(wanted, (value, rating, count), parts, joined, fits, ways)
            if found is not None and (best is None or _rank(wanted, found) < _rank(wanted, best)):
                best = found
        if best is not None and best.inside:
            return best
        if best is not None and (
            outside is None or _off(wanted, best) < _off(wanted, outside) - 1e-12
        ):
            outside = best
    return outside


def _off(wanted: Wanted, proposal: Proposal) -> float:
    return abs(math.log(proposal.value / wanted.value))


def _rank(wanted: Wanted, proposal: Proposal) -> tuple[bool, float, float]:
    return (not proposal.inside, round(_off(wanted, proposal), 12), proposal.rating)


def _best_of(
    wanted: Wanted,
    lines: tuple[Floats, Floats, Whole],
    parts: int,
    joined: Joined,
    fits: list[int],
    ways: tuple[Joined, ...],
) -> Proposal | None:
    value, rating, count = lines
    taken = _combinations(value.size, parts)
    resistors = Joined.SERIES in ways
    adds = joined is not Joined.PARALLEL if resistors else True
    total = _joined_value(value, taken, adds=adds)
    inside = wanted.inside(total)
    for places in _looked_at(wanted, total, inside):
        kept = places[_in_stock(taken[:, places], count)]
        if resistors:
            rated = _carried(value, rating, taken[:, kept], total[kept], adds=adds)
            enough = rated >= wanted.rating * (1 - 1e-12)
            kept, rated = kept[enough], rated[enough]
        else:
            rated = rating[taken[:, kept]].max(axis=0)
        if kept.size:
            highest = rating[taken[:, kept]].max(axis=0)
            off = np.round(np.abs(np.log(total[kept] / wanted.value)), 12)
            best = np.flatnonzero(off == off.min())
            first = int(best[np.argmin(highest[best])])
            return Proposal(
                tuple(fits[int(n)] for n in taken[:, kept[first]]),
                joined,
                float(total[kept[first]]),
                float(rated[first]),
                bool(inside[kept[first]]),
            )
    return None


def _looked_at(wanted: Wanted, total: Floats, inside: NDArray[np.bool_]) -> Iterator[Whole]:
    """Where to look, in turn, until something will do: inside, then the nearest, then all."""
    if inside.any():
        yield np.flatnonzero(inside)
    # the nearest are told by a number that need not be a logarithm
    far = np.maximum(total / wanted.value, wanted.value / total)
    far[inside] = np.inf
    if total.size > NEAREST:
        yield np.argpartition(far, NEAREST)[:NEAREST]
    yield np.flatnonzero(~inside)


def _joined_value(value: Floats, taken: Whole, *, adds: bool) -> Floats:
    """What the lines taken make together: their sum, or the reciprocals' sum's reciprocal."""
    each = value if adds else 1.0 / value
    total = each[taken[0]].copy()
    for row in taken[1:]:
        total += each[row]
    return total if adds else np.asarray(1.0 / total)


def _carried(value: Floats, rating: Floats, taken: Whole, total: Floats, *, adds: bool) -> Floats:
    """Watts that resistors carry together: the heat goes as R in series, as 1/R in parallel."""
    each = value[taken]
    share = each / total if adds else total / each
    return np.asarray(np.min(rating[taken] / share, axis=0))


def _in_stock(taken: Whole, count: Whole) -> NDArray[np.bool_]:
    """Whether every line has as many as are taken of it (each way rises)."""
    parts = taken.shape[0]
    if count.size and int(count.min()) >= parts:
        return np.ones(taken.shape[1], dtype=bool)
    enough = np.all(count[taken] >= 1, axis=0)
    if parts > 1:
        twice = np.diff(taken, axis=0) == 0
        pairs = np.where(twice, count[taken[1:]] >= 2, True)
        enough &= np.all(pairs, axis=0)
    if parts == 3:
        thrice = taken[0] == taken[2]
        enough &= np.where(thrice, count[taken[0]] >= 3, True)
    return np.asarray(enough)


def rating_above_w(watts: float) -> float:
    """The least standard rating of at least ``watts``; raises BadInput above 100 W."""
    for rating in RATINGS_W:
        if rating >= watts * (1 - 1e-9):
            return rating
    raise BadInput("dissipation", f"{watts:g} W", "is more than 100 W", "10 W")
