"""The room of oscillator and aerial."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.stages.tracking.stage import STAGE
from glowdial.core.stages.tracking.steps import tracking_steps

BANDS = Leg("oscillator and aerial, band by band", tracking_steps)
ROOM = Room(STAGE, (BANDS,))
