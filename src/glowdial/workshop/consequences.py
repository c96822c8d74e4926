"""Carrying out what the rules say that follows from an entry."""

from __future__ import annotations

from glowdial.core.journey.consequences import (
    Changed,
    ClipOn,
    Consequence,
    FromStock,
    HandedOver,
    Mended,
    RaiseAlarm,
    RecallHistory,
    RecallRates,
    RecallTurns,
    Renewed,
    SwitchOff,
    Undo,
    of_step,
)
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.plan.order import ROOMS, room_of
from glowdial.workshop.base.alarms import raise_alarm
from glowdial.workshop.base.writing import OpenedJob
from glowdial.workshop.stages.faults import mend_in_simulation, recall_history
from glowdial.workshop.stages.intermediate import recall_rates
from glowdial.workshop.stages.parts import move_stock, renew_in_simulation
from glowdial.workshop.stages.tracking import recall_turns


def carry_out_all(opened: OpenedJob, step: Step, ask: Ask, kept: Entering) -> None:
    """What an answer does besides: as its step says, and as its stage says."""
    follows = room_of(step.stage).follows(opened.situation, step, ask, kept)
    for consequence in (*of_step(step, ask), *follows):
        _carry_out(opened, step.key, consequence)


def taken_back(opened: OpenedJob, answer: Answer, before: JobRecord) -> None:
    """What taking an answer back does besides; ``before`` is the record in which it counted."""
    for room in ROOMS:
        for consequence in room.withdrawn(answer, before):
            _carry_out(opened, answer.step, consequence)


def _carry_out(opened: OpenedJob, step: str, consequence: Consequence) -> None:
    scribe = opened.scribe
    match consequence:
        case ClipOn():
            wanted = consequence.wanted_under_power
            scribe.clip_on(step, consequence.what, consequence.where, wanted=wanted)
        case SwitchOff():
            scribe.switch_off(step, consequence.what)
        case Undo():
            _undo(opened, consequence.step)
        case Changed():
            scribe.change(consequence.what, consequence.note)
        case HandedOver():
            opened.hand_over = True
        case FromStock():
            move_stock(opened.session, consequence.texts, +1 if consequence.back else -1)
        case Renewed():
            renew_in_simulation(opened, consequence.ref)
        case Mended():
            mend_in_simulation(opened, consequence.block)
        case RecallHistory():
            recall_history(opened, step)
        case RecallRates():
            recall_rates(opened, step)
        case RecallTurns():
            recall_turns(opened, step)
        case RaiseAlarm():
            raise_alarm(opened, step, consequence.words)


def _undo(opened: OpenedJob, made_by: str) -> None:
    record = opened.record
    for connection in record.temporaries:
        if connection.step == made_by and connection.on:
            opened.scribe.take_off(connection.key)
    for switch in record.switched_off:
        if switch.step == made_by and switch.off:
            opened.scribe.restore(switch.key)
