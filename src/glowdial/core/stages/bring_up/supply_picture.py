"""The supply as it is drawn: its parts by topology, what each node should stand at, what it did."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from glowdial.core.journey.part_story import part_story
from glowdial.core.journey.pictures import (
    Place,
    Probe,
    SupplyNode,
    SupplyPart,
    SupplyPicture,
    Symbol,
)
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Result
from glowdial.core.language.quantities import engineering, significant, supply_volts
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.parts import PartUse
from glowdial.core.physics.supply.circuit import RectifierKind, Supply, Topology, Waveform
from glowdial.core.safety.cautions import Trait, common_rail, traits_of
from glowdial.core.stages.bring_up.supply_causes import OTHER_HALF, Cause, Suspicion

# suspicions less likely than this are not drawn
LEAST_DRAWN = 0.05
RECTIFIERS = {
    RectifierKind.VACUUM: Symbol.TUBE_DIODE,
    RectifierKind.GAS: Symbol.GAS_DIODE,
    RectifierKind.SILICON: Symbol.DIODE,
    RectifierKind.SELENIUM: Symbol.DIODE,
}
ELEMENTS = {
    Topology.HALF_WAVE: 1,
    Topology.CENTRE_TAP: 2,
    Topology.BRIDGE: 4,
    Topology.DOUBLER: 2,
    Topology.CASCADE: 2,
}


def supply_picture(
    facts: ReceiverFacts,
    expected_v: Sequence[float],
    read: Mapping[int, Result],
    *,
    line_v: float,
    read_at: str = "",
    probes: tuple[Probe, ...] = (),
    suspicions: Sequence[Suspicion] = (),
    extra: tuple[SupplyPart, ...] = (),
    record: JobRecord | None = None,
) -> SupplyPicture | None:
    """The supply of a set with ``line_v`` volts in, or None where the sheet describes none.

    ``expected_v`` are the nodes' volts from the reservoir on, ``read`` the last results by node;
    ``read_at`` says under what, where that is not now; ``extra`` are parts that a step adds, as a
    resistor that is tried. With the ``record`` each part tells what is known of it.
    """
    supply = facts.supply
    if supply is None:
        return None
    parts = [
        _source(facts, supply, line_v),
        *_rectifier(facts, supply),
        *_capacitors(facts, supply),
        *_series(supply),
        *_loads(supply),
        *_heaters(facts),
        *extra,
    ]
    return SupplyPicture(
        topology="battery" if supply.waveform is Waveform.BATTERY else supply.topology.value,
        rail=common_rail(facts),
        parts=tuple(
            _told(_suspected(part, suspicions), facts, record, supply, read) for part in parts
        ),
        nodes=tuple(_node(supply, n, v, read.get(n), read_at) for n, v in enumerate(expected_v)),
        probes=probes,
        series=facts.circuit.heaters.in_series,
    )


def _told(
    part: SupplyPart,
    facts: ReceiverFacts,
    record: JobRecord | None,
    supply: Supply,
    read: Mapping[int, Result],
) -> SupplyPart:
    """The part with its story, and what was read where it stands."""
    lines = part_story(facts, record, part.label) if record is not None else ()
    found = read.get(part.node) if part.place in (Place.RESERVOIR, Place.SHUNT) else None
    if found is not None:
        name = node_name(supply, part.node)
        lines = (*lines, f"Read at {name}: {found.text}, {found.judgement.words}.")
    return replace(part, details=lines)


def node_name(supply: Supply, node: int) -> str:
    """What a node is called: the reservoir, B+ at the last, and a number between."""
    if node == len(supply.sections):
        return "B+"
    return "reservoir" if node == 0 else f"filter {node}"


def _node(
    supply: Supply, node: int, expected_v: float, read: Result | None, read_at: str
) -> SupplyNode:
    expected = f"{significant(expected_v, 3)} V" if expected_v >= 0.5 else "0 V"
    name = node_name(supply, node)
    if read is None:
        return SupplyNode(name, expected)
    judged = read.judgement
    return SupplyNode(name, expected, read.text, judged.verdict.value, judged.brief, read_at)


def _source(facts: ReceiverFacts, supply: Supply, line_v: float) -> SupplyPart:
    volts = f"{supply_volts(line_v)} V"
    if supply.waveform is Waveform.BATTERY:
        return SupplyPart("source", Symbol.BATTERY, Place.SOURCE, -1, "battery", volts)
    if supply.waveform is Waveform.SQUARE:
        wound = f"{volts} to {supply.secondary_v:.0f} V"
        return SupplyPart("source", Symbol.VIBRATOR, Place.SOURCE, -1, "vibrator", wound)
    if Trait.TRANSFORMERLESS in traits_of(facts):
        return SupplyPart("source", Symbol.MAINS, Place.SOURCE, -1, "line", volts)
    split = supply.topology is Topology.CENTRE_TAP
    each = f"{supply.secondary_v:.0f}"
    value = f"{each}-0-{each} V" if split else f"{each} V"
    symbol = Symbol.SPLIT_WINDING if split else Symbol.WINDING
    return SupplyPart("source", symbol, Place.SOURCE, -1, f"line {volts}", value)


def _rectifier(facts: ReceiverFacts, supply: Supply) -> list[SupplyPart]:
    """As many elements as the topology has; the first wears the rectifier's name."""
    if supply.waveform is Waveform.BATTERY:
        return []
    named = [t.position for t in facts.tubes if "rectifier" in t.function.lower()]
    kind = supply.rectifier.kind
    symbol = RECTIFIERS[kind]
    count = ELEMENTS[supply.topology]
    label = named[0] if named else kind.value
    return [
        SupplyPart(
            f"rectifier-{n + 1}",
            symbol,
            Place.RECTIFIER,
            -1,
            label if n == 0 else "",
            kind.value if n == 0 and named else "",
        )
        for n in range(count)
    ]


def _capacitors(facts: ReceiverFacts, supply: Supply) -> list[SupplyPart]:
    refs = [
        p.ref for use in (PartUse.FIRST_FILTER, PartUse.FILTER) for p in facts.parts if p.use is use
    ]
    values = [supply.reservoir_f, *(s.capacitance_f for s in supply.sections)]
    cascade = supply.topology is Topology.CASCADE
    found = [
        SupplyPart(
            _capacitor_key(n),
            Symbol.ELECTROLYTIC,
            Place.RESERVOIR if n == 0 else Place.SHUNT,
            n,
            refs[n] if n < len(refs) else node_name(supply, n),
            engineering(farad, "F"),
        )
        for n, farad in enumerate(values)
    ]
    if supply.topology.doubles:
        place = Place.LEAD if cascade else Place.LOWER_RESERVOIR
        label = "in the lead" if cascade else "lower half"
        value = engineering(supply.other_f, "F")
        found.append(
            SupplyPart(_capacitor_key(OTHER_HALF), Symbol.ELECTROLYTIC, place, -1, label, value)
        )
    return found


def _series(supply: Supply) -> list[SupplyPart]:
    found: list[SupplyPart] = []
    if supply.input_choke_h > 0.0:
        value = engineering(supply.input_choke_h, "H")
        found.append(SupplyPart("input-choke", Symbol.CHOKE, Place.INPUT, 0, "input choke", value))
    for n, section in enumerate(supply.sections, start=1):
        choke = section.inductance_h > 0.0
        ohm = engineering(section.resistance_ohm, "ohm")
        value = f"{engineering(section.inductance_h, 'H')}, {ohm}" if choke else ohm
        symbol = Symbol.CHOKE if choke else Symbol.RESISTOR
        found.append(SupplyPart(f"section-{n}", symbol, Place.SERIES, n, "", value))
    return found


def _loads(supply: Supply) -> list[SupplyPart]:
    found: list[SupplyPart] = []
    last = len(supply.sections)
    for n, share in enumerate(supply.tap_shares):
        if share > 0.0:
            drawn = engineering(share * supply.load.current_a, "A")
            found.append(SupplyPart(f"load-{n}", Symbol.LOAD, Place.LOAD, n, "", drawn))
    drawn = engineering(supply.load.current_a, "A")
    found.append(SupplyPart(f"load-{last}", Symbol.LOAD, Place.LOAD, last, "", drawn))
    if supply.load.bleeder_ohm != float("inf"):
        ohm = engineering(supply.load.bleeder_ohm, "ohm")
        found.append(SupplyPart("bleeder", Symbol.RESISTOR, Place.BLEEDER, last, "bleeder", ohm))
    return found


def _heaters(facts: ReceiverFacts) -> list[SupplyPart]:
    heaters = facts.circuit.heaters
    found = [
        SupplyPart(f"heater-{h.tube}", Symbol.HEATER, Place.HEATER, -1, h.tube, f"{h.volts:g} V")
        for h in heaters.heaters
    ]
    if heaters.dropper_ohm > 0.0:
        ohm = engineering(heaters.dropper_ohm, "ohm")
        found.append(SupplyPart("dropper", Symbol.RESISTOR, Place.DROPPER, -1, "dropper", ohm))
    return found


# which part wears the suspicion of a cause, and its short word; of a capacitor, its node's
CAPACITOR = "capacitor"
BLAMED = {
    Cause.TIRED: ("rectifier-1", "tired"),
    Cause.HALF_DEAD: ("rectifier-1", "half dead"),
    Cause.NO_OUTPUT: ("rectifier-1", "no output"),
    Cause.EXCESS: (CAPACITOR, "leaky, or overload"),
    Cause.DRIED: (CAPACITOR, "dried out"),
    Cause.SHORT: (CAPACITOR, "shorted"),
    Cause.OPEN: ("section-1", "open"),
}


def _suspected(part: SupplyPart, found: Sequence[Suspicion]) -> SupplyPart:
    """The part with the likeliest suspicion that falls on it."""
    for suspicion in sorted(found, key=lambda s: -s.probability):
        key, word = _blamed(suspicion)
        if key == part.key and suspicion.probability >= LEAST_DRAWN:
            share = f"{100.0 * suspicion.probability:.0f} %"
            return replace(part, suspicion=suspicion.probability, words=f"{word} {share}")
    return part


def _blamed(suspicion: Suspicion) -> tuple[str, str]:
    key, word = BLAMED.get(suspicion.cause, ("", ""))
    if key != CAPACITOR:
        return key, word
    return _capacitor_key(suspicion.node), word


def _capacitor_key(node: int) -> str:
    return f"{CAPACITOR}-{'other' if node == OTHER_HALF else node}"
