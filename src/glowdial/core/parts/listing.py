"""The parts of a set, section by section, and what each one needs in its place.

Windows by use, volts by what the part can see before the tubes draw, a safety class where the mains
is bridged. Windows are the bench's norms; a rectifier's permitted first filter and a part's own
marking override them.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.discharge import HIGH_LINE
from glowdial.core.errors import BadInput
from glowdial.core.parts.choose import (
    Joined,
    Proposal,
    StockLine,
    Wanted,
    choose_capacitor,
    choose_resistor,
)
from glowdial.core.parts.values import Series, standard_values
from glowdial.core.quantities import engineering
from glowdial.core.supply.circuit import Supply, Topology

UNLOADED_RISE = 1.10
RESISTOR_TOLERANCE = 0.20
RATING_FACTOR = 2.0
STANDARD_CAPACITOR_V = (16.0, 25.0, 63.0, 100.0, 160.0, 250.0, 400.0, 450.0, 500.0, 630.0, 1000.0)
STANDARD_ELECTROLYTIC_V = (16.0, 25.0, 63.0, 100.0, 160.0, 250.0, 350.0, 400.0, 450.0, 500.0)
STANDARD_RESISTOR_W = (0.5, 1.0, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 25.0, 50.0)
SAFETY_V = 250.0
# a larger one passes milliamperes to whoever touches the chassis
LARGEST_CHASSIS_F = 4.7e-9


class PartKind(StrEnum):
    """What a part is made of."""

    ELECTROLYTIC = "electrolytic"
    PAPER = "paper"
    MICA = "mica"
    CERAMIC = "ceramic"
    RESISTOR = "resistor"


class PartUse(StrEnum):
    """What a part does; it decides window, volts and how soon it is changed."""

    MAINS = "across the mains"
    CHASSIS = "line to chassis, aerial or earth"
    FIRST_FILTER = "first filter"
    FILTER = "filter"
    OUTPUT_COUPLING = "coupling into the output grid"
    AVC = "AVC line"
    SCREEN = "screen bypass"
    COUPLING = "coupling"
    BYPASS = "bypass"
    CATHODE = "cathode bypass"
    BUFFER = "vibrator buffer"
    TUNED = "tuned circuit"
    RESISTANCE = "resistor"


# always first: they harm other parts, or people
DANGEROUS = (
    PartUse.MAINS,
    PartUse.CHASSIS,
    PartUse.FIRST_FILTER,
    PartUse.FILTER,
    PartUse.OUTPUT_COUPLING,
    PartUse.AVC,
    PartUse.SCREEN,
)
FROM_B_PLUS = (
    PartUse.FIRST_FILTER,
    PartUse.FILTER,
    PartUse.OUTPUT_COUPLING,
    PartUse.SCREEN,
    PartUse.COUPLING,
    PartUse.BYPASS,
)
AREAS = {
    PartUse.MAINS: "supply",
    PartUse.FIRST_FILTER: "supply",
    PartUse.FILTER: "supply",
    PartUse.BUFFER: "supply",
    PartUse.CHASSIS: "aerial",
    PartUse.AVC: "if",
}


@dataclass(frozen=True, slots=True)
class Part:
    """One part, or one section of a can: ``value`` in F or ohm; ratings in V or W where known.

    ``dissipation_w`` is what a resistor turns into heat by design, ``most_f`` the largest first
    filter that the rectifier permits.
    """

    ref: str
    name: str
    kind: PartKind
    use: PartUse
    value: float
    volts: float | None = None
    watts: float | None = None
    can: str = ""
    area: str = ""
    dissipation_w: float | None = None
    most_f: float | None = None

    @property
    def is_resistor(self) -> bool:
        """Ohm and watts instead of farad and volts."""
        return self.kind is PartKind.RESISTOR

    @property
    def spoils(self) -> str:
        """The area of the set whose readings it spoils when it is changed."""
        return self.area or AREAS.get(self.use, "audio")

    @property
    def value_text(self) -> str:
        """The value as people write it."""
        return engineering(self.value, "ohm" if self.is_resistor else "F")


@dataclass(frozen=True, slots=True)
class Need:
    """What takes a part's place must be: window, rating (V or W), safety class, and why."""

    wanted: Wanted
    safety: str
    why: str

    def words(self, part: Part) -> str:
        """The need in a sentence: from, to, rating, class, and why."""
        unit, rated = ("ohm", "W") if part.is_resistor else ("F", "V")
        low, high = (
            engineering(self.wanted.value * share, unit)
            for share in (1.0 - self.wanted.below, 1.0 + self.wanted.above)
        )
        span = high if low == high else f"{low} to {high}"
        safety = f", class {self.safety}" if self.safety else ""
        return f"{span}, at least {self.wanted.rating:.3g} {rated}{safety}: {self.why}."


def seen_v(supply: Supply | None, *, transformer: bool) -> float:
    """The most that B+ can reach before the tubes draw: high line, an unloaded transformer.

    0 where the supply is not known.
    """
    if supply is None:
        return 0.0
    rise = UNLOADED_RISE if transformer and supply.topology is not Topology.DOUBLER else 1.0
    return supply.unloaded_peak_v * HIGH_LINE * rise


def need_of(part: Part, supply: Supply | None, *, transformer: bool) -> Need:
    """What the part's substitute must be."""
    if part.is_resistor:
        dissipated = (
            part.dissipation_w if part.dissipation_w is not None else (part.watts or 0.5) / 2
        )
        rating = max(RATING_FACTOR * dissipated, part.watts or 0.0, 0.25)
        window = Wanted(part.value, RESISTOR_TOLERANCE / 4, RESISTOR_TOLERANCE / 4, rating)
        return Need(window, "", f"twice the {dissipated:.2g} W that it sheds")
    below, above = _window(part)
    volts, why = part.volts or 0.0, "as the original"
    seen = seen_v(supply, transformer=transformer)
    if part.use in FROM_B_PLUS and seen > volts:
        volts, why = seen, f"B+ can reach {seen:.0f} V at high line before the tubes draw"
    safety = {PartUse.MAINS: "X2 or Y2", PartUse.CHASSIS: "Y2"}.get(part.use, "")
    if safety:
        # rated by its class in AC volts, whatever DC the old one was marked for
        volts, why = SAFETY_V, "a safety class for 250 V AC"
    value = min(part.value, LARGEST_CHASSIS_F) if part.use is PartUse.CHASSIS else part.value
    if value < part.value:
        why += f"; at most {engineering(value, 'F')}, or touching the chassis would be felt"
    return Need(Wanted(value, below, above, max(volts, 1.0)), safety, why)


def _window(part: Part) -> tuple[float, float]:
    """Shares below and above the original value that its use allows."""
    match part.use:
        case PartUse.FIRST_FILTER:
            most = part.most_f / part.value - 1.0 if part.most_f else 0.5
            return 0.2, min(max(most, 0.0), 0.5)
        case PartUse.FILTER | PartUse.CATHODE:
            return 0.2, 0.5
        case PartUse.TUNED:
            return 0.02, 0.02
        case PartUse.BUFFER:
            return 0.05, 0.05
        case PartUse.CHASSIS:
            return 0.6, 0.0
        case _:
            return 0.2, 0.2


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

    @property
    def words(self) -> str:
        """What to fit."""
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
    return tuple(s for s in found if s is not None and (s.inside or not s.from_stock))


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
    lines = [StockLine(i.value, i.rating, i.count) for i in items]
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


class School(StrEnum):
    """Which parts are changed, and when."""

    ALL = "all at once"
    DANGEROUS = "dangerous first, then a few at a time"
    AS_FOUND = "play as found, then a few at a time"


@dataclass(frozen=True, slots=True)
class Batch:
    """Parts that are changed together; ``tested`` after it the set is powered and compared."""

    key: str
    title: str
    parts: tuple[Part, ...]
    before_power: bool
    tested: bool


FEW = 3


def batches(parts: tuple[Part, ...], school: School) -> tuple[Batch, ...]:
    """The order in which parts are changed, with a test between where the school wants one.

    Mica and ceramic stay unless tested bad, so they are in no batch; resistors are measured, and
    come last before power.
    """
    perish = [p for p in parts if p.kind in (PartKind.ELECTROLYTIC, PartKind.PAPER)]
    rank = {use: n for n, use in enumerate(PartUse)}
    perish.sort(key=lambda p: rank[p.use])
    resistors = tuple(p for p in parts if p.is_resistor)
    first = tuple(p for p in perish if p.use in DANGEROUS)
    later = tuple(p for p in perish if p.use not in DANGEROUS)
    found: list[Batch] = []
    if school is School.ALL:
        found.append(Batch("all", "every paper and electrolytic", tuple(perish), True, False))
    elif school is School.DANGEROUS:
        found.append(Batch("first", "the dangerous ones first", first, True, False))
    else:
        mains = tuple(p for p in first if p.use in (PartUse.MAINS, PartUse.CHASSIS))
        found.append(Batch("mains", "what bridges the mains", mains, True, False))
        later = tuple(p for p in first if p not in mains) + later
    if resistors:
        found.append(Batch("resistors", "resistors, by measuring", resistors, True, False))
    if school is not School.ALL:
        for n in range(0, len(later), FEW):
            few = later[n : n + FEW]
            title = f"the next {len(few)}: {', '.join(p.ref for p in few)}"
            found.append(Batch(f"few{n // FEW + 1}", title, few, False, True))
    return tuple(b for b in found if b.parts)


def check_measured(part: Part, measured: float) -> str:
    """What a measured value says of a part, in a sentence. Raises BadInput for zero ohm."""
    if part.is_resistor and measured <= 0.0:
        raise BadInput(
            "measured", f"{measured:g} ohm", "is a short, not a resistor: zero the leads", "47k"
        )
    ratio = measured / part.value
    if part.is_resistor:
        inside = abs(ratio - 1.0) <= RESISTOR_TOLERANCE
        return (
            f"{100 * (ratio - 1):+.0f} %: inside its tolerance, it may stay"
            if inside
            else f"{100 * (ratio - 1):+.0f} %: off by more than 20 %, replace it"
        )
    below, above = _window(part)
    inside = -below <= ratio - 1.0 <= max(above, below)
    word = "still within its window" if inside else "outside its window"
    leaky = " (a leaky paper reads high)" if part.kind is PartKind.PAPER and ratio > 1.2 else ""
    return f"{100 * (ratio - 1):+.0f} %: {word}{leaky}"


def leakage_limit_a(part: Part) -> float:
    """The most that a part may leak at its working voltage.

    Electrolytic: 0.01 C V (the form of IEC 60384-4) and 0.1 mA for age. Others: 100 Mohm into a
    grid or an AVC line, 20 Mohm elsewhere (bench's norms).
    """
    volts = part.volts or 250.0
    if part.kind is PartKind.ELECTROLYTIC:
        return 0.01 * part.value * volts + 1e-4
    ohm = 100e6 if part.use in (PartUse.OUTPUT_COUPLING, PartUse.COUPLING, PartUse.AVC) else 20e6
    return volts / ohm
