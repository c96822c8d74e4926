"""The stages' rooms, and the order in which the journey goes through their legs."""

from __future__ import annotations

from glowdial.core.journey.registers import RegisterForm
from glowdial.core.journey.room import Leg, Room
from glowdial.core.language.errors import NotFound
from glowdial.core.stages.bring_up import room as bring_up
from glowdial.core.stages.cold import room as cold
from glowdial.core.stages.dial import room as dial
from glowdial.core.stages.faults import room as faults
from glowdial.core.stages.handover import room as handover
from glowdial.core.stages.intake import room as intake
from glowdial.core.stages.intermediate import room as intermediate
from glowdial.core.stages.parts import room as parts
from glowdial.core.stages.proof import room as proof
from glowdial.core.stages.tracking import room as tracking

ROOMS: tuple[Room, ...] = (
    intake.ROOM,
    cold.ROOM,
    parts.ROOM,
    bring_up.ROOM,
    faults.ROOM,
    intermediate.ROOM,
    tracking.ROOM,
    dial.ROOM,
    proof.ROOM,
    handover.ROOM,
)
LEGS: tuple[Leg, ...] = (
    intake.AT_THE_DOOR,
    cold.FILAMENTS,
    cold.CHECKS,
    parts.BEFORE_POWER,
    bring_up.BEFORE_POWER,
    bring_up.UNDER_POWER,
    parts.UNDER_TEST,
    faults.TRACED,
    proof.PATH,
    faults.AS_FOUND,
    proof.AS_FOUND,
    intermediate.ALIGNMENT,
    tracking.BANDS,
    dial.CALIBRATION,
    proof.AS_LEFT,
)
# after everything else, and knowing how that stands
LAST: Leg = handover.LAST
FORMS: tuple[RegisterForm, ...] = tuple(form for room in ROOMS for form in room.registers)


def room_of(stage: str) -> Room:
    """The room of a stage; raises NotFound."""
    for room in ROOMS:
        if room.stage == stage:
            return room
    raise NotFound("stage", stage)
