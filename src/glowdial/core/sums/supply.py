"""Sums of bring-up: supply and ramp, series resistor, lamp, discharge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.pictures import SupplyPicture
from glowdial.core.journey.steps import Field, Plot, PlotLine
from glowdial.core.language.quantities import (
    AC_VOLTS,
    CURRENT,
    DC_VOLTS,
    FILTER_CAPACITANCE,
    HERTZ,
    RESISTANCE,
    WATTS,
    Quantity,
    engineering,
    significant,
)
from glowdial.core.model.circuit import Circuit
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Rectifier,
    RectifierKind,
    Supply,
    Topology,
    gas_rectifier,
    silicon_rectifier,
    vacuum_rectifier,
)
from glowdial.core.physics.supply.discharge import (
    SAFE_V,
    discharge_time_s,
    discharge_words,
    discharged_v,
    unloaded_v,
)
from glowdial.core.physics.supply.limiter import Lamp
from glowdial.core.physics.supply.series_resistor import (
    LoadKind,
    ResistorChoice,
    ResistorPlace,
    ResistorReading,
    resistor_choices,
    series_resistor,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.supply_picture import node_name, supply_picture
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.core.sums.form import SumAnswer, SumForm, SumLine, rows_of

STAGE = "bring-up"
SECONDS = Quantity("time", "s", "s", 0.0, 1e6, "5", "must be seconds since it was switched off")
RAMP_POINTS = 12
BENCH_RECTIFIERS = (RectifierKind.VACUUM, RectifierKind.SILICON, RectifierKind.GAS)
SUPPLY_FIELDS = (
    Field("topology", "Rectifier circuit", options=tuple(t.value for t in Topology)),
    Field("rectifier", "Rectifier", options=tuple(k.value for k in BENCH_RECTIFIERS)),
    Field("drop", "Its drop, from the data sheet", DC_VOLTS, required=False),
    Field("drop_at", "... at a current of", CURRENT, required=False),
    Field("line", "Line", AC_VOLTS),
    Field("hertz", "Line frequency", HERTZ),
    Field("secondary", "Secondary, unloaded, a half", AC_VOLTS),
    Field("source", "Resistance of winding and line, seen there", RESISTANCE),
    Field("reservoir", "Reservoir", FILTER_CAPACITANCE),
    Field("filter_ohm", "Filter resistance", RESISTANCE),
    Field("filter", "Filter capacitor", FILTER_CAPACITANCE),
    Field("load", "The set draws", CURRENT),
    Field("load_at", "... at B+ of", DC_VOLTS),
    Field("bleeder", "Bleeder", RESISTANCE, required=False),
)
SUPPLY_EXAMPLES = {
    "topology": Topology.CENTRE_TAP.value,
    "rectifier": RectifierKind.VACUUM.value,
    "drop": "55",
    "drop_at": "125",
    "line": "230",
    "hertz": "50",
    "secondary": "300",
    "source": "220",
    "reservoir": "16",
    "filter_ohm": "1k2",
    "filter": "16",
    "load": "62",
    "load_at": "235",
    "bleeder": "150k",
}


def supply_typed(entry: Entry) -> Supply:
    """The supply that was typed; raises BadInput for what cannot be."""
    given = entry.values
    topology = Topology(entry.texts["topology"])
    return Supply(
        topology=topology,
        line_v=given["line"],
        line_hz=given["hertz"],
        secondary_v=given["secondary"],
        source_ohm=given["source"],
        rectifier=_rectifier(entry, topology),
        reservoir_f=given["reservoir"],
        sections=(FilterSection(given["filter_ohm"], given["filter"]),),
        load=Load(given["load"], given["load_at"], bleeder_ohm=given.get("bleeder", float("inf"))),
    )


def _rectifier(entry: Entry, topology: Topology) -> Rectifier:
    kind = RectifierKind(entry.texts["rectifier"])
    given = entry.values
    if kind is RectifierKind.VACUUM:
        return vacuum_rectifier(given.get("drop", 0.0), given.get("drop_at", 0.0))
    if kind is RectifierKind.GAS:
        return gas_rectifier(given["drop"]) if "drop" in given else gas_rectifier()
    return silicon_rectifier(2 if topology is Topology.BRIDGE else 1)


def drawn(supply: Supply, line_v: float) -> SupplyPicture | None:
    """The supply with what its nodes stand at, of a set of which nothing else is known."""
    bare = ReceiverFacts(
        title="",
        chassis="mains transformer",
        intermediate_frequency_hz=0.0,
        transformers=(),
        adjusters=(),
        bands=(),
        sensitivity=(),
        line_v=supply.line_v,
        supply=supply,
        b_plus_resistance_ohm=None,
        warm_up_minutes=0.0,
        dummy_aerial="",
        controls=(),
        circuit=Circuit(()),
    )
    return supply_picture(bare, steady_state(supply, line_v).node_v, {}, line_v=line_v)


def _ramp(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    supply = supply_typed(entry)
    at_v = entry.values["at"]
    point = steady_state(supply, at_v)
    lines = [
        SumLine(f"{node_name(supply, n)} at {at_v:.0f} V", f"{significant(v, 3)} V")
        for n, v in enumerate(point.node_v)
    ]
    lines += [
        SumLine(f"ripple, {node_name(supply, n)}, peak to peak", engineering(v, "V"))
        for n, v in enumerate(point.ripple_v)
    ]
    lines += [
        SumLine("the set draws", engineering(point.load_a, "A")),
        SumLine("rectifier, RMS", engineering(point.rectifier_rms_a, "A")),
        SumLine("rectifier, peak", engineering(point.rectifier_peak_a, "A")),
    ]
    return SumAnswer(
        f"Supply at {at_v:.0f} V line: B+ {significant(point.node_v[-1], 3)} V, reservoir "
        f"{significant(point.node_v[0], 3)} V with {engineering(point.ripple_v[0], 'V')} ripple.",
        tuple(lines),
        drawn(supply, at_v),
        _climb(supply),
    )


def _climb(supply: Supply) -> Plot:
    line = [supply.line_v * (n + 1) / RAMP_POINTS for n in range(RAMP_POINTS)]
    warm = [steady_state(supply, v).node_v[-1] for v in line]
    cold = [steady_state(supply, v, warmth=0.0).node_v[-1] for v in line]
    return Plot(
        "B+ as the line rises",
        "line, V",
        "B+, V",
        (
            PlotLine("warm", "expected", tuple(line), tuple(warm)),
            PlotLine("cold: nothing drawn yet", "found", tuple(line), tuple(cold)),
        ),
    )


def _resistor(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    supply = supply_typed(entry)
    place, load = ResistorPlace(entry.texts["place"]), LoadKind(entry.texts["kind"])
    columns = (("resistance", RESISTANCE), ("B+", DC_VOLTS))
    rows = rows_of(entry.texts["readings"], columns, "680 215")
    readings = tuple(ResistorReading(ohm, volts) for ohm, volts in rows)
    target_v = entry.values["target"]
    advice = series_resistor(readings, target_v, place, load, supply)
    lines = [
        SumLine("take" if advice.final else "try next", engineering(advice.try_ohm, "ohm")),
        SumLine("B+ with it", f"{significant(advice.predicted_v, 3)} V"),
    ]
    if advice.final and advice.try_ohm > 0.0:
        offered = resistor_choices(supply, supply.line_v, advice.try_ohm, target_v, place)
        lines += [SumLine(_chosen(c), f"B+ {c.b_plus_v:.0f} V; {c.words}") for c in offered]
    shown = sorted(rows)
    plot = Plot(
        "B+ by the resistance",
        "resistance, ohm",
        "B+, V",
        (
            PlotLine("measured", "measured", *_across(shown)),
            PlotLine("proposed", "left", (advice.try_ohm,), (advice.predicted_v,)),
        ),
    )
    value = f"{lines[0].label} {lines[0].text}"
    return SumAnswer(
        f"Series resistor {place.value} for {target_v:.0f} V: {value}. {advice.words}",
        tuple(lines),
        None,
        plot,
    )


def _chosen(choice: ResistorChoice) -> str:
    return " and ".join(engineering(ohm, "ohm") for ohm in choice.values_ohm)


def _across(rows: list[list[float]]) -> tuple[tuple[float, ...], tuple[float, ...]]:
    return tuple(r[0] for r in rows), tuple(r[1] for r in rows)


def _lamp(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    lamp = Lamp(entry.values["watts"], entry.values["rated"])
    line_v, current_a = entry.values["line"], entry.values["current"]
    takes_v = lamp.volts_at(current_a)
    left_v = line_v - takes_v
    amperes = [lamp.current_a(lamp.volts * n / 20.0) for n in range(21)]
    volts = [lamp.volts * n / 20.0 for n in range(21)]
    verdict = "" if left_v > 0.0 else "outside"
    return SumAnswer(
        f"A {lamp.power_w:g} W lamp takes {takes_v:.0f} V at {engineering(current_a, 'A')}; "
        f"of {line_v:.0f} V the set keeps {max(left_v, 0.0):.0f} V.",
        (
            SumLine("the lamp takes", f"{takes_v:.0f} V"),
            SumLine("the set keeps", f"{max(left_v, 0.0):.0f} V", verdict),
            SumLine("into a short it passes", engineering(lamp.current_a(line_v), "A")),
        ),
        None,
        Plot(
            "What the lamp takes",
            "current, A",
            "across the lamp, V",
            (
                PlotLine("lamp", "expected", tuple(amperes), tuple(volts)),
                PlotLine("here", "measured", (current_a,), (takes_v,)),
            ),
        ),
    )


def _discharge(entry: Entry, _: Sequence[StockItem]) -> SumAnswer:
    supply = supply_typed(entry)
    start_v = unloaded_v(supply)
    seconds = discharge_time_s(supply)
    words = discharge_words(supply)
    lines = [
        SumLine("at most, nothing drawn, high line", f"{start_v:.0f} V"),
        SumLine("to below 30 V", "never by itself" if seconds is None else f"{seconds:.0f} s"),
    ]
    plot = None
    if seconds:
        levels = [start_v * (30.0 / start_v) ** (n / 12.0) for n in range(1, 13)]
        times = [discharge_time_s(supply, safe_v=v) or 0.0 for v in levels]
        curve = PlotLine("highest capacitor", "expected", (0.0, *times), (start_v, *levels))
        plot = Plot("After switching off", "seconds", "V", (curve,), None)
    after_s = entry.values["after"]
    left_v = discharged_v(supply, after_s)
    lines += [
        SumLine(f"{node_name(supply, n)} after {after_s:g} s", *_charge(v))
        for n, v in enumerate(left_v)
    ]
    return SumAnswer(words, tuple(lines), _standing(drawn(supply, 0.0), left_v, after_s), plot)


def _charge(volts: float) -> tuple[str, str]:
    """Volts that are left, and whether they may be touched."""
    return f"{significant(volts, 3)} V", "inside" if volts <= SAFE_V else "outside"


def _standing(
    picture: SupplyPicture | None, left_v: Sequence[float], after_s: float
) -> SupplyPicture | None:
    """The supply with what every capacitor still stands at."""
    if picture is None:
        return None
    nodes = []
    for node, volts in zip(picture.nodes, left_v, strict=True):
        text, verdict = _charge(volts)
        words = "below 30 V" if verdict == "inside" else "still up"
        nodes.append(
            replace(node, expected=f"{after_s:g} s off", read=text, verdict=verdict, words=words)
        )
    return replace(picture, nodes=tuple(nodes))


def _with(extra: dict[str, str]) -> dict[str, str]:
    return {**SUPPLY_EXAMPLES, **extra}


RAMP = SumForm(
    "supply-and-ramp",
    STAGE,
    "Supply and ramp",
    "What B+, ripple and rectifier current should be at any line voltage.",
    (Field("at", "At a line of", AC_VOLTS), *SUPPLY_FIELDS),
    _with({"at": "115"}),
    _ramp,
)
SERIES_RESISTOR = SumForm(
    "series-resistor",
    STAGE,
    "Series resistor",
    "The resistor that brings B+ back, as after selenium gave way to silicon, from readings.",
    (
        Field("target", "B+ wanted", DC_VOLTS),
        Field("readings", "Readings: resistance and B+, one a line", multiline=True),
        Field("place", "It sits", options=tuple(p.value for p in ResistorPlace)),
        Field("kind", "The load is", options=tuple(k.value for k in LoadKind)),
        *SUPPLY_FIELDS,
    ),
    _with(
        {
            "target": "235",
            "readings": "0 268\n680 215",
            "place": ResistorPlace.BEHIND.value,
            "kind": LoadKind.RESISTIVE.value,
            "rectifier": RectifierKind.SILICON.value,
        }
    ),
    _resistor,
)
LAMP = SumForm(
    "lamp",
    STAGE,
    "Lamp limiter",
    "What a lamp in series takes, and what it leaves to the set.",
    (
        Field("watts", "Lamp", WATTS),
        Field("rated", "... for", AC_VOLTS),
        Field("current", "The set draws", CURRENT),
        Field("line", "Line", AC_VOLTS),
    ),
    {"watts": "60", "rated": "230", "current": "120", "line": "230"},
    _lamp,
)
DISCHARGE = SumForm(
    "discharge",
    STAGE,
    "Discharge",
    "How long the filter capacitors stay dangerous after switching off.",
    (Field("after", "Switched off since", SECONDS), *SUPPLY_FIELDS),
    _with({"after": "5"}),
    _discharge,
)
SUMS = (RAMP, SERIES_RESISTOR, LAMP, DISCHARGE)
