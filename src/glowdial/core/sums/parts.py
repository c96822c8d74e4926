"""Sums of the cold checks and of parts: filaments, windings, markings, what is in stock."""

from __future__ import annotations

from collections.abc import Sequence

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.steps import Field, Plot, PlotLine, PlotMark
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    CAPACITANCE,
    CURRENT,
    DC_VOLTS,
    RESISTANCE,
    TEMPERATURE,
    Quantity,
    engineering,
    parse,
)
from glowdial.core.physics.combinations import Stocked, Wanted
from glowdial.core.physics.copper import copper_ohm
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange
from glowdial.core.stages.cold.filament_ranges import (
    SAFE_SHARE,
    RangeRisk,
    RangeVerdict,
    safest_range,
)
from glowdial.core.stages.cold.windings import winding
from glowdial.core.stages.parts.marking import Marked, marking_of
from glowdial.core.stages.parts.substitutes import StockItem, choice_from_stock
from glowdial.core.sums.form import SumAnswer, SumForm, SumLine, rows_of

COLD, PARTS = "cold checks", "parts"
RATING = Quantity("rating", "", "", 0.01, 5000.0, "450", "must be V, or W of a resistor")
WINDOW = Quantity("window", "%", "%", 0.0, 1000.0, "20", "must be a window of 0 to 1000 %")
CAPACITOR, RESISTOR = "capacitor", "resistor"
RISKS = {
    RangeRisk.SAFE: "inside",
    RangeRisk.CAUTION: "near the edge",
    RangeRisk.DANGER: "outside",
}
# a battery's meter may bring 22.5 V and more on its highest range
OPEN_VOLTS = DC_VOLTS


def _filament(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    columns = (("open volts", OPEN_VOLTS), ("short-circuit current", CURRENT))
    rows = rows_of(entry.texts["ranges"], columns, "1.5 150")
    kind = OhmmeterKind(entry.texts["kind"])
    ranges = [OhmRange(f"{v:g} V, {engineering(a, 'A')}", kind, v, a) for v, a in rows]
    volts, amperes = entry.values["volts"], entry.values["current"]
    best, every = safest_range([("range", ranges)], volts, amperes)
    allowed = best.risk is RangeRisk.SAFE
    return SumAnswer(
        f"Filament {volts:g} V {engineering(amperes, 'A')}: "
        + (f"use the range of {best.range_name}." if allowed else "no range of these is safe."),
        tuple(SumLine(v.range_name, v.words, RISKS[v.risk]) for v in every),
        None,
        _by_range(every),
    )


def _by_range(every: Sequence[RangeVerdict]) -> Plot:
    """Each range's share of the rated current, at first contact and settled."""
    numbers = tuple(float(n) for n in range(1, len(every) + 1))
    first = tuple(100.0 * v.met.first_share for v in every)
    settled = tuple(100.0 * v.met.settled_share for v in every)
    return Plot(
        "Share of the filament's rated current",
        "range, the mildest first",
        "%",
        (
            PlotLine("at first contact", "found", numbers, first),
            PlotLine("settled", "measured", numbers, settled),
            PlotLine("safe below", "expected", numbers, (100.0 * SAFE_SHARE,) * len(numbers)),
        ),
    )


def _winding(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    given = entry.values
    found = winding(
        given["measured"],
        given["sheet"],
        temperature_c=given["temperature"],
        leads_ohm=given.get("leads", 0.0),
    )
    degrees = tuple(float(t) for t in range(0, 61, 5))
    return SumAnswer(
        f"Winding {engineering(found.corrected_ohm, 'ohm')} at 20 C, sheet "
        f"{engineering(found.expected_ohm, 'ohm')}: {found.words}",
        (
            SumLine("measured", engineering(given["measured"], "ohm")),
            SumLine(
                "at 20 C, leads taken off",
                engineering(found.corrected_ohm, "ohm"),
                "inside" if found.inside else "outside",
            ),
            SumLine("sheet", engineering(found.expected_ohm, "ohm")),
        ),
        None,
        Plot(
            "The sheet's winding by temperature",
            "C",
            "ohm",
            (
                PlotLine(
                    "sheet",
                    "expected",
                    degrees,
                    tuple(copper_ohm(given["sheet"], t) for t in degrees),
                ),
                PlotLine(
                    "measured",
                    "measured",
                    (given["temperature"],),
                    (given["measured"] - given.get("leads", 0.0),),
                ),
            ),
        ),
    )


def _marking(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    text = entry.texts["marking"]
    resistor = entry.texts["kind"] == RESISTOR
    unit = "ohm" if resistor else "F"
    found = marking_of(text, resistor=resistor)
    lines = tuple(
        SumLine("value" if len(found) == 1 else f"section {n}", _marked(m, unit))
        for n, m in enumerate(found, start=1)
    )
    sentence = f"{text.strip()}: {'; '.join(line.text for line in lines)}."
    return SumAnswer(sentence, lines, None, _sections(found, resistor=resistor))


def _sections(found: Sequence[Marked], *, resistor: bool) -> Plot:
    """Every section's value, and how far the marking lets it lie from it."""
    scale, unit = (1e-3, "kohm") if resistor else (1e6, "uF")
    numbers = tuple(float(n) for n in range(1, len(found) + 1))
    values = tuple(scale * m.value for m in found)
    spans = tuple(m.tolerance or 0.0 for m in found)
    low = tuple(v * (1.0 - s) for v, s in zip(values, spans, strict=True))
    high = tuple(v * (1.0 + s) for v, s in zip(values, spans, strict=True))
    limits = (PlotLine("least", "low", numbers, low), PlotLine("most", "high", numbers, high))
    return Plot(
        "As marked", "section", unit, (*limits, PlotLine("marked", "measured", numbers, values))
    )


def _marked(found: Marked, unit: str) -> str:
    words = [engineering(found.value, unit)]
    if found.tolerance is not None:
        words.append(f"{100.0 * found.tolerance:g} % either way")
    if found.volts is not None:
        words.append(f"{found.volts:g} V")
    return ", ".join(words)


def _from_stock(entry: Entry, stock: Sequence[StockItem]) -> SumAnswer:
    resistor = entry.texts["kind"] == RESISTOR
    quantity, unit = (RESISTANCE, "ohm") if resistor else (CAPACITANCE, "F")
    value = parse(entry.texts["value"], quantity, "Value")
    wanted = Wanted(
        value,
        entry.values["below"] / 100.0,
        entry.values["above"] / 100.0,
        entry.values["rating"],
    )
    items = [i for i in stock if i.resistor == resistor and i.count > 0]
    if not items:
        raise BadInput("stock", f"no {entry.texts['kind']}", "holds none", "22u 450 V")
    lines = [Stocked(i.value, i.rating, i.count) for i in items]
    chosen = choice_from_stock(wanted, lines, resistor=resistor)
    standard = SumLine("nearest standard value", engineering(chosen.nearest_standard, unit))
    found = chosen.proposal
    what = f"{engineering(value, unit)}, {entry.values['rating']:g} {'W' if resistor else 'V'}"
    if found is None:
        words = f"{what}: nothing in stock carries that rating."
        return SumAnswer(words, (standard,))
    names = [engineering(items[n].value, unit) for n in found.lines]
    joined = f"{' and '.join(names)} {found.joined.value}" if len(names) > 1 else names[0]
    return SumAnswer(
        f"{what}: from stock {joined}, {engineering(found.value, unit)} in all.",
        (
            SumLine("take", joined),
            SumLine(
                "makes",
                f"{engineering(found.value, unit)} ({100.0 * (found.value / value - 1.0):+.0f} %)",
                "inside" if found.inside else "outside",
            ),
            standard,
        ),
        None,
        _against_window(wanted, found.value),
    )


def _against_window(wanted: Wanted, value: float) -> Plot:
    """What the stock makes beside its window, all as shares of what is wanted."""
    share = 100.0 * value / wanted.value
    return Plot(
        "Against what is wanted",
        "% of the value",
        "",
        (PlotLine("from stock", "measured", (share,), (0.0,)),),
        marks=(
            PlotMark(100.0 * (1.0 - wanted.below), "least", "limit"),
            PlotMark(100.0, "wanted", "nominal"),
            PlotMark(100.0 * (1.0 + wanted.above), "most", "limit"),
            PlotMark(share, f"{share:.0f} %", "peak"),
        ),
    )


FILAMENT = SumForm(
    "filament",
    COLD,
    "Ohmmeter on a filament",
    "Which of a meter's ranges may touch the filament of a battery tube.",
    (
        Field("volts", "Filament", DC_VOLTS),
        Field("current", "... at", CURRENT),
        Field("ranges", "Ranges: open V and short-circuit mA, one a line", multiline=True),
        Field("kind", "The meter is", options=tuple(k.value for k in OhmmeterKind)),
    ),
    {
        "volts": "1.4",
        "current": "50",
        "ranges": "1.5 150\n1.5 15\n1.5 1.5",
        "kind": OhmmeterKind.SERIES.value,
    },
    _filament,
)
WINDING = SumForm(
    "winding",
    COLD,
    "Winding by temperature",
    "A winding's resistance at 20 C with the leads taken off, against the sheet.",
    (
        Field("measured", "Measured", RESISTANCE),
        Field("sheet", "Sheet", RESISTANCE),
        Field("temperature", "Room", TEMPERATURE),
        Field("leads", "Leads", RESISTANCE, required=False),
    ),
    {"measured": "3.4", "sheet": "3.2", "temperature": "23", "leads": "0.1"},
    _winding,
)
MARKING = SumForm(
    "marking",
    PARTS,
    "Markings and colours",
    "The value that an old part's print, bands or dots mean.",
    (
        Field("marking", "As printed, or its colours with spaces between"),
        Field("kind", "Part", options=(CAPACITOR, RESISTOR)),
    ),
    {"marking": "20+20 MFD 450V", "kind": CAPACITOR},
    _marking,
)
STOCK = SumForm(
    "from-stock",
    PARTS,
    "Part from stock",
    "What the stock has for a value: one part, or two joined.",
    (
        Field("kind", "Part", options=(CAPACITOR, RESISTOR)),
        Field("value", "Value"),
        Field("below", "At most below", WINDOW),
        Field("above", "At most above", WINDOW),
        Field("rating", "Rating at least, V or W", RATING),
    ),
    {"kind": CAPACITOR, "value": "32u", "below": "20", "above": "50", "rating": "350"},
    _from_stock,
)
SUMS = (FILAMENT, WINDING, MARKING, STOCK)
