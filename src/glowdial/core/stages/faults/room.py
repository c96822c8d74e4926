"""The room of fault tracing: what works as found, which a fault is traced by."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.journey.sensitivity import check_tone_pair
from glowdial.core.stages.faults.steps import STAGE, as_found_steps

AS_FOUND = Leg("what it does as found", as_found_steps)
ROOM = Room(STAGE, (AS_FOUND,), check=check_tone_pair)
