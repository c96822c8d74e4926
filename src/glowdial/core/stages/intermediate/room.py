"""The room of the IF."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.intermediate.report import if_report
from glowdial.core.stages.intermediate.steps import check_if, if_steps
from glowdial.core.stages.intermediate.survey import STAGE

ALIGNMENT = Leg("alignment of the IF", if_steps)
ROOM = Room(STAGE, (ALIGNMENT,), check=check_if, report=if_report)
