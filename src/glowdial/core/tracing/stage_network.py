"""A stage, and those it is not alone with, as a network of what can fail in it.

Every part that a volt can tell of is an element: the resistors, the device, and what should not be
there (the leak of each capacitor, a gassy grid, a leaky junction), which a healthy stage has at
next to nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glowdial.core.physics.dc_network import (
    RAIL,
    Element,
    GridCurrent,
    Network,
    Resistor,
    TransistorInPlace,
    TubeInPlace,
    VoltageFeed,
)
from glowdial.core.physics.operating_point import (
    HEALTHY,
    THERMAL_V,
    AmplifierStage,
    Device,
    OperatingPoint,
    Strain,
    operating_point,
)

Floats = NDArray[np.float64]
# a leak that is not there
NO_LEAK_OHM = 1e12
# a resistance too small to matter, where a stage has none
BARE_OHM = 10.0
FEED_OHM = 20.0
# the control line that the grids of several stages come back to
AVC_LINE = "avc"
AVC_OHM = 1e6
# what a good tube's grid drives out, and a good junction leaks, at 20 degrees
GAS_A, GERMANIUM_LEAK_A, SILICON_LEAK_A = 1e-9, 2e-6, 5e-9
GERMANIUM_BELOW_V = 0.4
# the leakage of germanium doubles with so many degrees
DOUBLES_IN_K, NORM_CELSIUS = 10.0, 20.0


@dataclass(frozen=True)
class StageNetwork:
    """Stages that are solved together, with the node of each electrode by (stage, electrode)."""

    stages: tuple[AmplifierStage, ...]
    network: Network
    nodes: Mapping[tuple[str, str], str]
    fed: Mapping[str, str]


def on_the_line(stage: AmplifierStage) -> bool:
    """Whether a tube's grid comes back to the AVC line, and so shares what stands there."""
    tube = stage.device is not Device.TRANSISTOR
    return tube and stage.on_avc and not (stage.direct_from or stage.fixed_bias_v)


def drives_grid_current(stage: AmplifierStage) -> bool:
    """Whether gas in a tube shows: its grid current needs some ohm to stand on."""
    tube = stage.device is not Device.TRANSISTOR and not stage.direct_from
    return tube and (bool(stage.grid_leak_ohm) or on_the_line(stage))


def together(
    stages: Sequence[AmplifierStage], name: str, *, over_line: bool = True
) -> tuple[AmplifierStage, ...]:
    """A stage with those that its volts hang together with: whose plate its grid comes from, by a
    capacitor or directly, who shares its screen, and (``over_line``) whose grid stands on the same
    AVC line; in the circuit's order.

    A capacitor carries no volts unless it leaks: only the stage before it is needed, not what
    comes before that. Raises KeyError for a stage that is not there.
    """
    by_name = {s.name: s for s in stages}
    wanted, waiting = {name}, [name]
    while waiting:
        one = by_name[waiting.pop()]
        near = {one.direct_from, one.screen_with}
        near |= {s.name for s in stages if one.name in (s.direct_from, s.screen_with)}
        if over_line and on_the_line(one):
            near |= {s.name for s in stages if on_the_line(s)}
        for other in near - {""}:
            if other not in wanted:
                wanted.add(other)
                waiting.append(other)
    wanted |= {by_name[n].coupled_from for n in tuple(wanted)} - {""}
    return tuple(s for s in stages if s.name in wanted)


def stage_network(
    stages: Sequence[AmplifierStage],
    feed_v: Mapping[int, float],
    *,
    avc_v: float = 0.0,
    avc_ohm: float = AVC_OHM,
    celsius: float = NORM_CELSIUS,
) -> StageNetwork:
    """The network of some stages fed by so many volts at each feed's node.

    ``avc_v`` is what the detector puts on the control line (negative, 0 without a signal) behind
    ``avc_ohm`` (next to nothing where the line is clamped): what one grid drives out moves all the
    others that come back to it. Germanium leaks by the temperature.
    """
    elements: list[Element] = []
    nodes: dict[tuple[str, str], str] = {}
    fed: dict[str, str] = {}
    for n in sorted({s.feed for s in stages}):
        elements.append(VoltageFeed(feed_key(n), feed_key(n), feed_v[n], FEED_OHM))
    if any(on_the_line(s) for s in stages):
        elements.append(VoltageFeed(AVC_LINE, AVC_LINE, avc_v, avc_ohm))
    # plates first: a grid may come from one
    for stage in stages:
        node = f"{stage.name} plate"
        nodes[stage.name, "plate"] = node
        fed[stage.name] = feed_key(stage.feed)
        ohm = stage.plate_ohm or BARE_OHM
        elements.append(Resistor(f"{stage.name} plate", feed_key(stage.feed), node, ohm))
    for stage in stages:
        elements += _around(stage, nodes)
        elements += _grid(stage, nodes, {s.name for s in stages})
        elements.append(_device(stage, nodes))
        elements += _what_should_not_be(stage, nodes, celsius)
    return StageNetwork(tuple(stages), Network(tuple(elements)), nodes, fed)


def feed_key(feed: int) -> str:
    """The node that a stage is fed from."""
    return f"feed {feed}"


def _around(stage: AmplifierStage, nodes: dict[tuple[str, str], str]) -> list[Element]:
    name = stage.name
    elements: list[Element] = []
    if stage.device is Device.PENTODE:
        shared = stage.screen_with
        nodes[name, "screen"] = f"{shared or name} screen"
        if not shared:
            node, ohm = f"{name} screen", stage.screen_ohm or BARE_OHM
            elements.append(Resistor(f"{name} screen", feed_key(stage.feed), node, ohm))
            elements.append(Resistor(f"{name} screen bypass", node, RAIL, NO_LEAK_OHM))
            if stage.screen_lower_ohm:
                lower = stage.screen_lower_ohm
                elements.append(Resistor(f"{name} screen lower", node, RAIL, lower))
    nodes[name, "cathode"] = f"{name} cathode"
    ohm = stage.cathode_ohm or BARE_OHM
    elements.append(Resistor(f"{name} cathode", f"{name} cathode", RAIL, ohm))
    elements.append(Resistor(f"{name} cathode bypass", f"{name} cathode", RAIL, NO_LEAK_OHM))
    return elements


def _grid(
    stage: AmplifierStage, nodes: dict[tuple[str, str], str], known: set[str]
) -> list[Element]:
    name = stage.name
    if stage.direct_from:
        nodes[name, "grid"] = f"{stage.direct_from} plate"
        return []
    node = f"{name} grid"
    nodes[name, "grid"] = node
    elements: list[Element] = []
    if stage.device is Device.TRANSISTOR:
        elements.append(Resistor(f"{name} upper", feed_key(stage.feed), node, stage.upper_ohm))
        elements.append(Resistor(f"{name} lower", node, RAIL, stage.lower_ohm))
    else:
        back = RAIL
        if stage.fixed_bias_v:
            back = f"{name} bias"
            elements.append(VoltageFeed(f"{name} bias", back, -stage.fixed_bias_v, FEED_OHM))
        elif on_the_line(stage):
            back = AVC_LINE
        ohm = stage.grid_leak_ohm or BARE_OHM
        elements.append(Resistor(f"{name} grid", node, back, ohm))
    if stage.coupled_from in known:
        before = f"{stage.coupled_from} plate"
        elements.append(Resistor(f"{name} coupling", before, node, NO_LEAK_OHM))
    return elements


def _device(stage: AmplifierStage, nodes: dict[tuple[str, str], str]) -> Element:
    name = stage.name
    plate, grid, cathode = (nodes[name, e] for e in ("plate", "grid", "cathode"))
    if stage.device is Device.TRANSISTOR:
        return TransistorInPlace(f"{name} device", plate, grid, cathode, stage.typical)
    screen = nodes.get((name, "screen"), "")
    return TubeInPlace(f"{name} device", plate, screen, grid, cathode, stage.typical)


def _what_should_not_be(
    stage: AmplifierStage, nodes: dict[tuple[str, str], str], celsius: float
) -> list[Element]:
    name = stage.name
    plate, grid, cathode = (nodes[name, e] for e in ("plate", "grid", "cathode"))
    if stage.device is not Device.TRANSISTOR:
        if not drives_grid_current(stage):
            return []
        return [GridCurrent(f"{name} gas", grid, cathode, GAS_A)]
    germanium = stage.typical.control_v < GERMANIUM_BELOW_V
    leak_a = GERMANIUM_LEAK_A if germanium else SILICON_LEAK_A
    leak_a *= math.pow(2.0, (celsius - NORM_CELSIUS) / DOUBLES_IN_K)
    return [
        GridCurrent(f"{name} leakage", grid, plate, leak_a),
        Resistor(f"{name} across", plate, cathode, NO_LEAK_OHM),
    ]


def hang_together(stages: Sequence[AmplifierStage]) -> tuple[AmplifierStage, ...]:
    """The stages that cannot be solved alone: joined without a capacitor, or sharing a screen."""
    joined = {s.name for s in stages if s.direct_from or s.screen_with}
    joined |= {n for s in stages for n in (s.direct_from, s.screen_with) if n}
    return tuple(s for s in stages if s.name in joined)


def points_of(
    stages: Sequence[AmplifierStage],
    feed_v: Mapping[int, float],
    strains: Mapping[str, Strain] | None = None,
    *,
    avc_ohm: float = AVC_OHM,
) -> dict[str, OperatingPoint]:
    """Where every stage settles, by name, fed by so many volts at each feed's node, with what has
    gone wrong around it: alone in the order of coupling, and together where they hang together
    (those on one AVC line of ``avc_ohm`` as soon as one of them drives current into it)."""
    wrong = strains or {}
    found: dict[str, OperatingPoint] = {}
    group = _solved_as_one(stages, wrong)
    if group:
        found = _together_points(group, feed_v, wrong, avc_ohm)
    for stage in stages:
        if stage.name in found:
            continue
        before = found.get(stage.coupled_from)
        found[stage.name] = operating_point(
            stage,
            feed_v[stage.feed],
            wrong.get(stage.name, HEALTHY),
            before_v=before.plate_v if before else 0.0,
        )
    return found


def _solved_as_one(
    stages: Sequence[AmplifierStage], wrong: Mapping[str, Strain]
) -> tuple[AmplifierStage, ...]:
    names = {s.name for s in hang_together(stages)}
    for stage in stages:
        if wrong.get(stage.name, HEALTHY).gas_a > 0.0 and drives_grid_current(stage):
            names |= {s.name for s in together(stages, stage.name)}
    return tuple(s for s in stages if s.name in names)


def _together_points(
    group: tuple[AmplifierStage, ...],
    feed_v: Mapping[int, float],
    wrong: Mapping[str, Strain],
    avc_ohm: float,
) -> dict[str, OperatingPoint]:
    feeds = {s.feed: feed_v[s.feed] for s in group}
    if min(feeds.values()) <= 0.0:
        return {s.name: operating_point(s, 0.0) for s in group}
    placed = stage_network(group, feeds, avc_ohm=avc_ohm)
    logs = np.zeros((1, len(placed.network.keys)))
    place = {key: n for n, key in enumerate(placed.network.keys)}
    for stage in group:
        for key, log in _logs_of(stage, wrong.get(stage.name, HEALTHY)).items():
            if key in place:
                logs[0, place[key]] = log
    volts = placed.network.solve(logs)[0]
    return {s.name: _point(placed, s, volts, wrong.get(s.name, HEALTHY)) for s in group}


LEAST_STRENGTH = 1e-9


def _logs_of(stage: AmplifierStage, strain: Strain) -> dict[str, float]:
    """What has gone wrong around a stage, as the network's parameters."""
    name = stage.name
    grid = "lower" if stage.device is Device.TRANSISTOR else "grid"
    factors = {
        "device": max(strain.strength, LEAST_STRENGTH),
        "plate": strain.plate_factor,
        "screen": strain.screen_factor,
        "cathode": strain.cathode_factor,
        grid: strain.grid_factor,
    }
    leaks = {
        "coupling": strain.coupling_leak_ohm,
        "screen bypass": strain.screen_leak_ohm,
        "cathode bypass": strain.cathode_leak_ohm,
    }
    found = {f"{name} {key}": math.log(factor) for key, factor in factors.items()}
    if strain.gas_a > 0.0:
        found[f"{name} gas"] = math.log(strain.gas_a / GAS_A)
    for key, ohm in leaks.items():
        if not math.isinf(ohm):
            found[f"{name} {key}"] = math.log(ohm / NO_LEAK_OHM)
    return found


def _point(
    placed: StageNetwork, stage: AmplifierStage, volts: Floats, strain: Strain
) -> OperatingPoint:
    place = placed.network.place
    fed_v = float(volts[place[placed.fed[stage.name]]])
    at = {
        e: float(volts[place[placed.nodes[stage.name, e]]])
        for e in ("plate", "screen", "cathode", "grid")
        if (stage.name, e) in placed.nodes
    }
    cathode_ohm = (stage.cathode_ohm or BARE_OHM) * strain.cathode_factor
    plate_a = (fed_v - at["plate"]) / ((stage.plate_ohm or BARE_OHM) * strain.plate_factor)
    total_a = max(at["cathode"] / cathode_ohm, 0.0)
    data = stage.typical
    if stage.device is Device.TRANSISTOR:
        slope = total_a / THERMAL_V
    else:
        share = total_a / max(data.plate_a + data.screen_a, 1e-12)
        slope = data.transconductance_s * share ** (1.0 / 3.0)
    screen_a = max(total_a - plate_a, 0.0) if "screen" in at else 0.0
    return OperatingPoint(
        at["plate"],
        at.get("screen", 0.0),
        at["cathode"],
        at["grid"],
        max(min(plate_a, total_a), 0.0),
        screen_a,
        slope,
    )
