"""What works as found: the sensitivity before anything is turned."""

from __future__ import annotations

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.sensitivity import sensitivity_step
from glowdial.core.journey.sensitivity_figure import FOUND, numbered_points
from glowdial.core.journey.steps import Step

AVC_STEP, RESTORE = "faults.avc", "faults.restore"
STAGE = "faults"


def as_found_steps(situation: Situation) -> list[Step]:
    """The sensitivity of every point of the sheet, before the first touch."""
    points = numbered_points(situation.facts)
    return [sensitivity_step(situation, p, STAGE, FOUND) for p in points]


def line_clamped(record: JobRecord) -> bool:
    """Whether the control line is held by a lead: it was clamped, and not put back since."""
    said = record.latest(AVC_STEP, "clamped")
    back = record.latest(RESTORE, "restored")
    return said is not None and back is None
