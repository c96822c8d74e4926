"""The room of the handover."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.handover.steps import STAGE, handover_steps

LAST = Leg("handing over", handover_steps, looks_back=True)
ROOM = Room(STAGE, (LAST,))
