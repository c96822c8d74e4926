"""Direct volts of a network of resistors, tubes and transistors: many variants of it at once.

Kirchhoff's current law at every node, solved by Newton's method for a whole batch of parameter
sets. The first parameter of an element is the logarithm of its value (ohm, emission, current) over
the nominal; a tube has two more, the logarithms of its mu and of its screen's share, a transistor
one, how many volts its junction stands higher. Tubes follow the three-halves law through a
data-sheet point, with the soft cut-off of real ones, a pentode's screen taking what a low plate
leaves; transistors a junction whose current rises linearly beyond its corner.
Source: nodal analysis, and the space-charge law of tubes, as in textbooks of radio engineering.
Volts are to the common rail; a transistor's are counted from its own rail.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.operating_point import GRID_OHM, TypicalPoint

Floats = NDArray[np.float64]
RAIL = ""
# keeps a node that hangs on nothing where it is
STRAY_S = 1e-10
ITERATIONS, HALVINGS, SETTLED_V, LEFT_V = 50, 8, 1e-6, 1e-3
START_SHARE = 0.3
CHARGING_STEPS, FIRST_STEP, CHARGING_GROWTH = 120, 30.0, 1.3
STEP_V = 1e-4
GRID_CORNER_V = 0.03
# a tube is not shut off at once: over this share of its drive at the data-sheet point
CUT_OFF_SHARE = 0.3
KNEE_SHARE, KNEE_LEAST_V, DRAWS_FROM_V = 0.06, 4.0, 1.5
JUNCTION_CORNER_V, JUNCTION_OHM, SATURATION_V = 0.03, 900.0, 0.08


@dataclass(frozen=True, slots=True)
class Resistor:
    """Ohm from one node to another; "" is the common rail. An open place or a leak that is not
    there is one of very many ohm."""

    key: str
    one: str
    other: str
    ohm: float


@dataclass(frozen=True, slots=True)
class VoltageFeed:
    """A source of volts behind some ohm."""

    key: str
    node: str
    volts: float
    ohm: float


@dataclass(frozen=True, slots=True)
class GridCurrent:
    """What a device drives out of its grid (or from collector to base), in A."""

    key: str
    into: str
    out_of: str
    amperes: float


@dataclass(frozen=True, slots=True)
class TubeInPlace:
    """A tube between its nodes; ``screen`` is "" for a triode."""

    key: str
    plate: str
    screen: str
    grid: str
    cathode: str
    typical: TypicalPoint


@dataclass(frozen=True, slots=True)
class TransistorInPlace:
    """A transistor between its nodes."""

    key: str
    collector: str
    base: str
    emitter: str
    typical: TypicalPoint


Element = Resistor | VoltageFeed | GridCurrent | TubeInPlace | TransistorInPlace


def _rounded(x: Floats, corner: float) -> Floats:
    """x where it is positive, 0 where not, rounded over a corner."""
    return np.asarray(corner * np.logaddexp(0.0, x / corner))


@dataclass(frozen=True)
class Network:
    """Elements between nodes."""

    elements: tuple[Element, ...]

    @cached_property
    def nodes(self) -> tuple[str, ...]:
        """Every node but the rail, in the order in which they come."""
        found: dict[str, None] = {}
        for e in self.elements:
            for node in _ends(e):
                if node != RAIL:
                    found[node] = None
        return tuple(found)

    @cached_property
    def place(self) -> dict[str, int]:
        """Where each node stands; the rail stands last."""
        return {node: n for n, node in enumerate((*self.nodes, RAIL))}

    @cached_property
    def keys(self) -> tuple[str, ...]:
        """The parameters in their order: an element's key, and what else it has."""
        return tuple(key for e in self.elements for key in _parameters(e))

    def currents(self, volts: Floats, logs: Floats) -> Floats:
        """What flows out of each node, in A; volts (batch, nodes) and parameters (batch, keys),
        result (batch, nodes)."""
        return self._flows(range(len(self.elements)), volts, logs) + STRAY_S * volts

    def _flows(self, wanted: Iterable[int], volts: Floats, logs: Floats) -> Floats:
        """What some elements, by their places, take out of each node."""
        count = len(self.nodes)
        all_volts = np.concatenate([volts, np.zeros((len(volts), 1))], axis=1)
        flows = np.zeros((len(volts), count + 1))
        for n in wanted:
            _add(self.elements[n], self.place, all_volts, logs[:, self._parameters[n]], flows)
        return flows[:, :count]

    @cached_property
    def _parameters(self) -> tuple[slice, ...]:
        """Where each element's parameters stand among the keys."""
        ends = np.cumsum([0, *(len(_parameters(e)) for e in self.elements)])
        return tuple(slice(int(a), int(b)) for a, b in pairwise(ends))

    @cached_property
    def _touching(self) -> tuple[tuple[int, ...], ...]:
        """The elements at each node, by their places: only these feel its volts."""
        return tuple(
            tuple(n for n, e in enumerate(self.elements) if node in _ends(e)) for node in self.nodes
        )

    def solve(self, logs: Floats, meters: Sequence[tuple[str, float]] = ()) -> Floats:
        """Volts at every node, shape (batch, nodes), for parameters (batch, keys).

        ``meters`` are resistances from a node to the rail. Raises BadInput where it does not
        settle.
        """
        logs = np.atleast_2d(logs)
        load = self._load(len(logs), meters)
        return self.settle(logs, load)

    def _load(self, batch: int, meters: Sequence[tuple[str, float]]) -> Floats:
        load = np.zeros((batch, len(self.nodes)))
        for node, ohm in meters:
            load[:, self.place[node]] += 1.0 / ohm
        return load

    def settle(self, logs: Floats, load_s: Floats) -> Floats:
        """The same with the meters as conductances, shape (batch, nodes)."""
        volts = self._newton(logs, load_s)
        rest = np.nonzero(np.max(self._left_v(volts, logs, load_s), axis=1) > LEFT_V)[0]
        if rest.size:
            volts[rest] = self._charged(logs[rest], load_s[rest])
            if float(np.max(self._left_v(volts[rest], logs[rest], load_s[rest]))) > LEFT_V:
                raise BadInput("network", "its volts", "do not settle", "ohm above 0 everywhere")
        return volts

    def _charged(self, logs: Floats, load_s: Floats) -> Floats:
        """The volts as they come when everything is switched on: each node with a capacitor that
        charges in ever longer steps (implicit Euler), where Newton's method goes round in
        circles."""
        volts = np.zeros(load_s.shape)
        stiff_s = np.abs(np.diagonal(self.slopes(volts, logs, load_s), axis1=1, axis2=2))
        places = np.arange(len(self.nodes))
        for n in range(CHARGING_STEPS):
            flows = self.currents(volts, logs) + load_s * volts
            slope = self.slopes(volts, logs, load_s)
            slope[:, places, places] += stiff_s * FIRST_STEP * CHARGING_GROWTH**-n
            volts = volts - np.linalg.solve(slope, flows[..., None])[..., 0]
        return volts

    def _newton(self, logs: Floats, load_s: Floats) -> Floats:
        """Newton's method from a third of the highest volts."""
        highest = max(
            (abs(e.volts) for e in self.elements if isinstance(e, VoltageFeed)), default=1.0
        )
        volts = np.full(load_s.shape, START_SHARE * highest)
        largest = 0.35 * highest + 1.0
        moving = np.arange(len(volts))
        for _ in range(ITERATIONS):
            at, log, load = volts[moving], logs[moving], load_s[moving]
            flows = self.currents(at, log) + load * at
            slope = self.slopes(at, log, load)
            step = np.linalg.solve(slope, flows[..., None])[..., 0]
            own = np.abs(np.diagonal(slope, axis1=1, axis2=2))
            there = np.max(np.abs(step), axis=1) < SETTLED_V
            volts[moving] = at - step
            going = ~there
            moving = moving[going]
            if not moving.size:
                break
            volts[moving] = self._shortened(
                at[going],
                np.clip(step[going], -largest, largest),
                log[going],
                load[going],
                own[going],
            )
        return volts

    def _left_v(self, volts: Floats, logs: Floats, load_s: Floats) -> Floats:
        """What is left of the currents, as the volts that it stands for at each node."""
        flows = self.currents(volts, logs) + load_s * volts
        own = np.abs(np.diagonal(self.slopes(volts, logs, load_s), axis1=1, axis2=2))
        return np.asarray(np.abs(flows) / own)

    def _shortened(
        self, volts: Floats, step: Floats, logs: Floats, load_s: Floats, own: Floats
    ) -> Floats:
        """Each row one step on, halved until what is left falls: corners throw whole steps to and
        fro."""

        def left(at: Floats) -> Floats:
            flows = self.currents(at, logs) + load_s * at
            return np.asarray(np.sum((flows / own) ** 2, axis=1))

        share = np.ones((len(volts), 1))
        before, after = left(volts), volts - step
        for _ in range(HALVINGS):
            worse = left(after) > before
            if not np.any(worse):
                break
            share[worse] *= 0.5
            after = volts - share * step
        return after

    def slopes(self, volts: Floats, logs: Floats, load_s: Floats) -> Floats:
        """How the currents change with each node's volts, shape (batch, nodes, nodes)."""
        count = len(self.nodes)
        slope = np.empty((len(volts), count, count))
        for n, near in enumerate(self._touching):
            moved = volts.copy()
            moved[:, n] += STEP_V
            change = self._flows(near, moved, logs) - self._flows(near, volts, logs)
            slope[:, :, n] = change / STEP_V
            slope[:, n, n] += STRAY_S + load_s[:, n]
        return slope

    def sensitivities(self, volts: Floats, logs: Floats, load_s: Floats) -> Floats:
        """How each node's volts change with each parameter, shape (batch, nodes, keys)."""
        moved = np.empty((len(volts), len(self.nodes), len(self.keys)))
        for place, has in enumerate(self._parameters):
            flows = self._flows((place,), volts, logs)
            for n in range(has.start, has.stop):
                other = logs.copy()
                other[:, n] += STEP_V
                moved[:, :, n] = (self._flows((place,), volts, other) - flows) / STEP_V
        slope = self.slopes(volts, logs, load_s)
        return np.asarray(-np.linalg.solve(slope, moved))


def _ends(element: Element) -> tuple[str, ...]:
    match element:
        case Resistor():
            return element.one, element.other
        case VoltageFeed():
            return (element.node,)
        case GridCurrent():
            return element.into, element.out_of
        case TubeInPlace():
            ends = (element.plate, element.screen, element.grid, element.cathode)
            return tuple(e for e in ends if e)
        case TransistorInPlace():
            return element.collector, element.base, element.emitter


def _parameters(element: Element) -> tuple[str, ...]:
    match element:
        case TubeInPlace():
            return element.key, f"{element.key} mu", f"{element.key} screen share"
        case TransistorInPlace():
            return element.key, f"{element.key} junction"
    return (element.key,)


def _add(
    element: Element, place: dict[str, int], volts: Floats, logs: Floats, flows: Floats
) -> None:
    """Add what an element takes out of its nodes."""
    scale = np.exp(logs[:, 0])
    match element:
        case Resistor():
            a, b = place[element.one], place[element.other]
            current = (volts[:, a] - volts[:, b]) / (element.ohm * scale)
            flows[:, a] += current
            flows[:, b] -= current
        case VoltageFeed():
            n = place[element.node]
            flows[:, n] += (volts[:, n] - element.volts * scale) / element.ohm
        case GridCurrent():
            flows[:, place[element.into]] -= element.amperes * scale
            flows[:, place[element.out_of]] += element.amperes * scale
        case TubeInPlace():
            _add_tube(element, place, volts, logs, flows)
        case TransistorInPlace():
            _add_transistor(element, place, volts, logs, flows)


def _add_tube(
    tube: TubeInPlace, place: dict[str, int], volts: Floats, logs: Floats, flows: Floats
) -> None:
    data = tube.typical
    p, g, k = place[tube.plate], place[tube.grid], place[tube.cathode]
    drive = 1.5 * data.plate_a / data.transconductance_s
    second_v = data.screen_v if tube.screen else data.plate_v
    mu = second_v / max(drive - data.control_v, 1e-3)
    total_a = data.plate_a + (data.screen_a if tube.screen else 0.0)
    second = volts[:, place[tube.screen]] if tube.screen else volts[:, p]
    grid_v = volts[:, g] - volts[:, k]
    # a positive grid is held where its own current leaves it
    effort = grid_v + (second - volts[:, k]) / (mu * np.exp(logs[:, 1]))
    corner = CUT_OFF_SHARE * drive
    unit = _rounded(np.full(1, drive), corner)
    current = np.exp(logs[:, 0]) * total_a * (_rounded(effort, corner) / unit) ** 1.5
    knee_v = KNEE_SHARE * data.plate_v + KNEE_LEAST_V
    over = volts[:, p] - volts[:, k]
    reached = 1.0 - np.exp(-_rounded(over, 0.5) / knee_v)
    typical = 1.0 - np.exp(-data.plate_v / knee_v)
    # nothing flows to an electrode that does not stand above the cathode
    above = 1.0 - np.exp(-_rounded(second - volts[:, k], 0.3) / DRAWS_FROM_V)
    if tube.screen:
        share = np.minimum(data.screen_a / total_a * np.exp(logs[:, 2]), 0.8)
        plate_a = current * (1.0 - share) * np.minimum(reached / typical, 1.05)
        screen_a = (current - plate_a) * above
        current = plate_a + screen_a
        flows[:, place[tube.screen]] += screen_a
        flows[:, p] += plate_a
    else:
        current = current * above
        flows[:, p] += current
    grid_a = _rounded(grid_v, GRID_CORNER_V) / GRID_OHM
    flows[:, g] += grid_a
    flows[:, k] -= current + grid_a


def _add_transistor(
    one: TransistorInPlace, place: dict[str, int], volts: Floats, logs: Floats, flows: Floats
) -> None:
    data = one.typical
    c, b, e = place[one.collector], place[one.base], place[one.emitter]
    nominal_a = data.plate_a / data.current_gain
    # the junction reaches its corner so much below its volts at the typical current
    corner_v = data.control_v - nominal_a * JUNCTION_OHM
    beyond_v = volts[:, b] - volts[:, e] - corner_v - logs[:, 1]
    base_a = _rounded(beyond_v, JUNCTION_CORNER_V) / JUNCTION_OHM
    over = volts[:, c] - volts[:, e]
    reached = 1.0 - np.exp(-_rounded(over, 0.02) / SATURATION_V)
    collector_a = np.exp(logs[:, 0]) * data.current_gain * base_a * reached
    flows[:, c] += collector_a
    flows[:, b] += base_a
    flows[:, e] -= collector_a + base_a
