"""The room of the intake."""

from __future__ import annotations

from glowdial.core.journey.function_matrix import MATRIX_FORM
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Leg, Room
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intake.places import as_placed
from glowdial.core.stages.intake.registers import FORMS
from glowdial.core.stages.intake.steps import STAGE, as_seen, intake_report, intake_steps


def as_found(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """What was seen on the set, and where things are on it."""
    return as_placed(as_seen(facts, record), record)


AT_THE_DOOR = Leg("what came through the door", intake_steps)
ROOM = Room(
    STAGE,
    (AT_THE_DOOR,),
    derive=as_found,
    registers=(*FORMS, MATRIX_FORM),
    report=intake_report,
)
