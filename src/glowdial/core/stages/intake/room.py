"""The room of the intake."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.intake.function_matrix import MATRIX_FORM
from glowdial.core.stages.intake.registers import FORMS
from glowdial.core.stages.intake.steps import STAGE, as_seen, intake_report, intake_steps

AT_THE_DOOR = Leg("what came through the door", intake_steps)
ROOM = Room(
    STAGE,
    (AT_THE_DOOR,),
    derive=as_seen,
    registers=(*FORMS, MATRIX_FORM),
    report=intake_report,
)
