"""The room of fault tracing. It fills no leg of the journey yet."""

from __future__ import annotations

from glowdial.core.journey.room import Room

STAGE = "faults"
ROOM = Room(STAGE)
