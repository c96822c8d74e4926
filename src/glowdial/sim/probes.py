"""Where a probe may be put on a simulated set, and what a meter with its own resistance reads.

A node has open-circuit volts, DC and AC, behind a resistance; the meter's resistance divides them.
A point may lie behind one resistor more than its node: the wrong side of it reads less.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from glowdial.core.language.errors import BadInput
from glowdial.core.model.circuit import ConnectionPoint
from glowdial.core.physics.ohmmeter import OhmRange, filament_on_ohmmeter
from glowdial.core.physics.operating_point import OPEN_OHM
from glowdial.sim.audio import fm_volts
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.stage_strains import line_lift_v
from glowdial.sim.state import BenchState

DETECTOR_OHM, B_PLUS_OHM, AUDIO_OHM = 120e3, 150.0, 4.0
# peak to peak over RMS of a filter's ripple, which is nearly a triangle
TRIANGLE = 2.0 * math.sqrt(3.0)
BURNS_ABOVE = 1.5


@dataclass(frozen=True, slots=True)
class Node:
    """Open-circuit volts and what is behind them."""

    dc_v: float
    ac_v: float
    source_ohm: float

    def seen_by(self, meter_ohm: float) -> Node:
        """What stands across a meter of that resistance."""
        share = meter_ohm / (meter_ohm + self.source_ohm)
        return Node(self.dc_v * share, self.ac_v * share, self.source_ohm)


def point(receiver: SimulatedReceiver, key: str) -> ConnectionPoint:
    """The connection point of that key; raises BadInput with the first of those there are."""
    points = receiver.facts.circuit.points
    for candidate in points:
        if candidate.key == key:
            return candidate
    names = ", ".join(p.key for p in points[:12])
    raise BadInput("point", key, f"is no connection point of this set: {names}, ...", points[0].key)


def node(receiver: SimulatedReceiver, state: BenchState, key: str) -> Node:
    """What stands at a connection point with nothing clipped to it."""
    where = point(receiver, key)
    found = _node(receiver, state, where.node)
    return replace(found, source_ohm=found.source_ohm + where.series_ohm)


def _node(receiver: SimulatedReceiver, state: BenchState, name: str) -> Node:
    power = receiver.power.at(state)
    avc = receiver.facts.circuit.avc
    match name:
        case "avc":
            lift_v = line_lift_v(receiver.facts, receiver.condition, power.points)
            return Node(lift_v - receiver.avc_v(state), 0.0, avc.source_ohm)
        case "detector":
            audio = receiver.detected(state).carrier_v * receiver.held_gain(state) * 0.3 / 2**0.5
            level = receiver.avc_v(state) + (avc.delay_v if receiver.avc_v(state) > 0.0 else 0.0)
            return Node(-level, audio if state.tone_on else 0.0, DETECTOR_OHM)
        case "discriminator" | "fm level":
            output_v, level_v = fm_volts(receiver, state)
            return Node(output_v if name == "discriminator" else level_v, 0.0, DETECTOR_OHM)
        case "b-plus":
            return Node(power.b_plus_v, power.ripple_v[-1] / TRIANGLE, B_PLUS_OHM)
        case "reservoir":
            return Node(power.node_v[0], power.ripple_v[0] / TRIANGLE, B_PLUS_OHM)
        case "line":
            return Node(0.0, power.set_v, 0.5)
        case "audio":
            return Node(0.0, receiver.audio(state).rms_v, AUDIO_OHM)
        case "aerial" | "mixer grid":
            at_clip = state.generator_emf_v if state.injection == name else 0.0
            return Node(0.0, at_clip, 50.0)
    return _electrode(receiver, state, name)


def _electrode(receiver: SimulatedReceiver, state: BenchState, name: str) -> Node:
    stage_name, _, electrode = name.partition(" ")
    stage = receiver.facts.circuit.stage(stage_name)
    if stage is None:
        raise BadInput("node", name, "is no node of this set", "b-plus")
    power = receiver.power.at(state)
    at = power.points[stage_name]
    ripple = power.ripple_v[-1] / TRIANGLE
    match electrode:
        case "plate":
            return Node(at.plate_v, ripple, max(stage.plate_ohm, 1.0))
        case "screen":
            return Node(at.screen_v, 0.0, max(stage.screen_ohm, 1.0))
        case "cathode":
            return Node(at.cathode_v, 0.0, max(stage.cathode_ohm, 1.0))
        case _:
            held = receiver.avc_v(state) if stage.on_avc else 0.0
            behind = receiver.facts.circuit.avc.source_ohm if stage.on_avc else 0.0
            return Node(at.grid_v - held, 0.0, max(stage.grid_leak_ohm, 1.0) + behind)


def resistance_ohm(receiver: SimulatedReceiver, state: BenchState, key: str) -> float:
    """Resistance from a point to the chassis of a cold set, its capacitors charged."""
    where = point(receiver, key)
    b_plus = receiver.cold_resistance_ohm()
    if where.node in ("b-plus", "reservoir"):
        return b_plus + where.series_ohm
    stage_name, _, electrode = where.node.partition(" ")
    stage = receiver.facts.circuit.stage(stage_name)
    if stage is None:
        return OPEN_OHM
    strain = receiver.strain(stage_name)
    ohm = {
        "plate": stage.plate_ohm * strain.plate_factor + b_plus,
        "screen": stage.screen_ohm * strain.screen_factor + b_plus,
        "cathode": stage.cathode_ohm * strain.cathode_factor,
        "grid": stage.grid_leak_ohm * strain.grid_factor,
    }[electrode]
    return min(ohm, OPEN_OHM) + where.series_ohm


def filament_reading(
    receiver: SimulatedReceiver, state: BenchState, tube: str, ohm_range: OhmRange
) -> tuple[float, BenchState]:
    """What a range reads on a tube's heater once it has settled, and the state after.

    A directly heated filament driven to half again its rated current burns out.
    """
    heater = next((h for h in receiver.power.heaters if h.tube == tube), None)
    if heater is None:
        raise BadInput("heater", tube, "is no heater of this set", receiver.power.heaters[0].tube)
    if tube in receiver.power.open_tubes(state):
        return OPEN_OHM, state
    met = filament_on_ohmmeter(ohm_range, heater.volts, heater.amperes)
    if heater.direct and met.settled_share > BURNS_ABOVE:
        return OPEN_OHM, replace(state, burnt=(*state.burnt, tube))
    volts, amperes = met.settled_v_share * heater.volts, met.settled_share * heater.amperes
    return volts / max(amperes, 1e-12), state
