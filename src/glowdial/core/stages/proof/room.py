"""The room of the proof of performance."""

from __future__ import annotations

from glowdial.core.journey.room import Leg, Room
from glowdial.core.journey.sensitivity import check_tone_pair
from glowdial.core.stages.proof.steps import STAGE, as_found_steps, as_left_steps, proof_report

AS_FOUND = Leg("figures as found", as_found_steps)
AS_LEFT = Leg("proof as left", as_left_steps)
ROOM = Room(STAGE, (AS_FOUND, AS_LEFT), check=check_tone_pair, report=proof_report)
