"""The stages of a simulated set with what has gone wrong around them: volts, currents, gain."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.operating_point import (
    HEALTHY,
    OPEN_OHM,
    AmplifierStage,
    Device,
    OperatingPoint,
    Role,
    Strain,
)
from glowdial.core.tracing.stage_network import on_the_line, points_of
from glowdial.sim.condition import CapacitorFault, Condition, DeviceFault, ResistorFault

SCREEN_UNBYPASSED_GAIN = 0.35
# below a tenth of a per cent of a stage's design slope nothing gets through
LEAST_GAIN = 1e-3
# a clip lead over the AVC line
CLAMP_OHM = 1.0


def strain_of(stage: AmplifierStage, condition: Condition, warm: float = 1.0) -> Strain:
    """All faults around a stage together; a cold tube is a weak one."""
    strain = replace(HEALTHY, strength=1.0 if stage.device is Device.TRANSISTOR else warm)
    for fault in condition.faults:
        if isinstance(fault, DeviceFault) and fault.stage == stage.name:
            gas_a = max(strain.gas_a, fault.gas_a * warm)
            strain = replace(strain, strength=strain.strength * fault.strength, gas_a=gas_a)
        elif isinstance(fault, ResistorFault) and fault.stage == stage.name:
            strain = _with_resistor(strain, fault)
        elif isinstance(fault, CapacitorFault) and fault.stage == stage.name:
            strain = _with_leak(strain, fault)
    return strain


def _with_resistor(strain: Strain, fault: ResistorFault) -> Strain:
    match fault.part:
        case "plate":
            return replace(strain, plate_factor=strain.plate_factor * fault.factor)
        case "screen":
            return replace(strain, screen_factor=strain.screen_factor * fault.factor)
        case "cathode":
            return replace(strain, cathode_factor=strain.cathode_factor * fault.factor)
        case "grid":
            return replace(strain, grid_factor=strain.grid_factor * fault.factor)


def _with_leak(strain: Strain, fault: CapacitorFault) -> Strain:
    if fault.leak_ohm is None:
        return strain
    match fault.part:
        case "coupling":
            return replace(strain, coupling_leak_ohm=fault.leak_ohm)
        case "screen bypass":
            return replace(strain, screen_leak_ohm=fault.leak_ohm)
        case "cathode bypass":
            return replace(strain, cathode_leak_ohm=fault.leak_ohm)


def operating_points(
    facts: ReceiverFacts,
    condition: Condition,
    node_v: tuple[float, ...],
    warm: float,
    *,
    clamped: bool = False,
) -> dict[str, OperatingPoint]:
    """Every stage's point by name, each fed from its node, in the order of coupling; those on one
    AVC line together, unless it is ``clamped``."""
    stages = facts.circuit.stages
    feeds = {s.feed: node_v[min(s.feed, len(node_v) - 1)] for s in stages}
    strains = {s.name: strain_of(s, condition, warm) for s in stages}
    avc_ohm = CLAMP_OHM if clamped else facts.circuit.avc.source_ohm
    return points_of(stages, feeds, strains, avc_ohm=avc_ohm)


def line_lift_v(
    facts: ReceiverFacts, condition: Condition, points: dict[str, OperatingPoint]
) -> float:
    """How far grid current lifts the AVC line above what the detector puts there, in V."""
    lifts = []
    for stage in facts.circuit.stages:
        if on_the_line(stage) and stage.name in points:
            own_v = strain_of(stage, condition).gas_a * max(stage.grid_leak_ohm, 0.0)
            lifts.append(points[stage.name].grid_v - own_v)
    return max(min(lifts, default=0.0), 0.0)


def drawn_share(facts: ReceiverFacts, condition: Condition, node_v: tuple[float, ...]) -> float:
    """What the faults make of the load: its current over what it would be without them."""
    if not any(
        isinstance(f, DeviceFault | CapacitorFault | ResistorFault) for f in condition.faults
    ):
        return 1.0
    bare = replace(condition, faults=())
    sick = operating_points(facts, condition, node_v, 1.0)
    well = operating_points(facts, bare, node_v, 1.0)
    drawn = sum(p.total_a for p in sick.values()) - sum(p.total_a for p in well.values())
    supply = facts.supply
    if supply is None:
        return 1.0
    nominal = supply.load.total_a(node_v[-1])
    return max((nominal + drawn) / nominal, 0.0) if nominal > 0.0 else 1.0


def gain_share(
    facts: ReceiverFacts, condition: Condition, points: dict[str, OperatingPoint], *roles: Role
) -> float:
    """Gain of all stages of some roles over their design, from slope and bypass capacitors.

    Stages that have no point in ``points`` are left out.
    """
    share = 1.0
    for stage in facts.circuit.stages:
        if stage.role in roles and stage.name in points:
            share *= one_share(stage, condition, points[stage.name])
    return share


def one_share(stage: AmplifierStage, condition: Condition, point: OperatingPoint) -> float:
    """Gain of one stage over its design."""
    design_s = stage.typical.transconductance_s
    if stage.device is Device.TRANSISTOR:
        design_s = stage.typical.plate_a / 0.0257
    share = point.transconductance_s / design_s
    for fault in condition.faults:
        if isinstance(fault, CapacitorFault) and fault.stage == stage.name and fault.open:
            if fault.part == "screen bypass":
                share *= SCREEN_UNBYPASSED_GAIN
            elif fault.part == "cathode bypass":
                share /= 1.0 + point.transconductance_s * min(stage.cathode_ohm, OPEN_OHM)
            else:
                share = 0.0
    return share if share > LEAST_GAIN else 0.0
