"""The room of the cold checks."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.cold.filament_step import filament_steps
from glowdial.core.stages.cold.steps import STAGE, cold_steps

FILAMENTS = Leg("filaments on the ohmmeter", filament_steps)
CHECKS = Leg("tubes, windings, B+, signal path", cold_steps)
ROOM = Room(STAGE, (FILAMENTS, CHECKS))
