"""A simulated set's condition as troubles of its blocks: what fault tracing finds."""

from __future__ import annotations

import math

from glowdial.core.model.blocks import Block, BlockDiagram, BlockKind, PartFamily
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.operating_point import AmplifierStage, Device
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.tracing.derived import diagram_of
from glowdial.sim.block_set import BadSeat, BlockSet, PartTrouble, Trouble
from glowdial.sim.condition import (
    CapacitorFault,
    Condition,
    DeviceFault,
    Fault,
    PartFault,
    ResistorFault,
    SeatFault,
    SwitchFault,
)
from glowdial.sim.stage_strains import one_share, operating_points

# what gets through where nothing does, and what a dead contact leaves
DEAD_DB = 70.0
LEAST_SHARE = 1e-4
OHM_OF_A_GOOD_PATH = 50.0


def block_set_of(facts: ReceiverFacts, condition: Condition) -> BlockSet:
    """The set as its diagram, with what has failed in it."""
    diagram = diagram_of(facts)
    troubles = [
        *_named(condition),
        *_of_stages(facts, condition, diagram),
        *_of_switches(condition, diagram),
    ]
    seats = tuple(BadSeat(f.board) for f in condition.faults if isinstance(f, SeatFault))
    return BlockSet(diagram, tuple(troubles), condition.seed, seats=seats)


def _named(condition: Condition) -> list[PartTrouble]:
    return [
        PartTrouble(f.block, f.part, f.trouble, f.loss_db)
        for f in condition.faults
        if isinstance(f, PartFault)
    ]


def _of_stages(
    facts: ReceiverFacts, condition: Condition, diagram: BlockDiagram
) -> list[PartTrouble]:
    """What a stage's parts do to its gain, by its operating point."""
    supply = facts.supply
    if supply is None:
        return []
    node_v = steady_state(supply, supply.line_v).node_v
    points = operating_points(facts, condition, node_v, 1.0)
    troubles = []
    for block in diagram.blocks:
        for name in block.stages:
            stage = facts.circuit.stage(name)
            fault = next((f for f in condition.faults if _of_stage(f, name)), None)
            if stage is None or fault is None:
                continue
            share = max(one_share(stage, condition, points[name]), LEAST_SHARE)
            lost = -20.0 * math.log10(min(share, 1.0))
            part, how = _part_of(fault, stage)
            troubles.append(PartTrouble(block.key, part, how, min(lost, DEAD_DB)))
    return troubles


def _of_stage(fault: Fault, name: str) -> bool:
    if not isinstance(fault, DeviceFault | CapacitorFault | ResistorFault):
        return False
    return fault.stage == name


def _part_of(fault: Fault, stage: AmplifierStage) -> tuple[PartFamily, Trouble]:
    solid = stage.device is Device.TRANSISTOR
    if isinstance(fault, DeviceFault):
        how = Trouble.OPEN if fault.strength <= 0.0 else Trouble.WORN
        return (PartFamily.SEMICONDUCTOR if solid else PartFamily.TUBE), how
    if isinstance(fault, CapacitorFault):
        how = Trouble.OPEN if fault.open else Trouble.LEAKY
        return (PartFamily.ELECTROLYTIC if solid else PartFamily.PAPER), how
    return PartFamily.RESISTOR, Trouble.DRIFTED


def _of_switches(condition: Condition, diagram: BlockDiagram) -> list[PartTrouble]:
    """A band's contacts: in the block that only this band uses, ahead of the mixer."""
    troubles = []
    for fault in condition.faults:
        if not isinstance(fault, SwitchFault):
            continue
        block = next((b for b in diagram.blocks if _contact_of(b, fault.band)), None)
        if block is None:
            continue
        how = Trouble.COMES_AND_GOES if fault.open_share > 0.0 else Trouble.RESISTIVE
        lost = DEAD_DB
        if fault.open_share == 0.0:
            lost = 20.0 * math.log10(1.0 + fault.contact_ohm / OHM_OF_A_GOOD_PATH)
        troubles.append(PartTrouble(block.key, PartFamily.CONTACT, how, min(lost, DEAD_DB)))
    return troubles


def _contact_of(block: Block, band: str) -> bool:
    held = {part for part, _ in block.parts}
    mine = bool(block.used_in) and all(k.startswith(f"{band} ") for k in block.used_in)
    return mine and PartFamily.CONTACT in held and block.kind is BlockKind.TUNED
