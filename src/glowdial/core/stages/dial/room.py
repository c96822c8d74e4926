"""The room of the dial."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.dial.steps import STAGE, dial_report, dial_steps

CALIBRATION = Leg("calibration of the dial", dial_steps)
ROOM = Room(STAGE, (CALIBRATION,), report=dial_report)
