"""The room of the proof of performance."""

from __future__ import annotations

from glowdial.core.journey.level_path import check_path, path_steps
from glowdial.core.journey.room import Entering, Leg, Room, Situation
from glowdial.core.journey.sensitivity import check_tone_pair
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.stages.proof.fm_points import check_fm
from glowdial.core.stages.proof.noise import check_noise
from glowdial.core.stages.proof.steps import STAGE, as_found_steps, as_left_steps, proof_report

PATH = Leg("signal path", path_steps, looks_back=True)
AS_FOUND = Leg("figures as found", as_found_steps)
AS_LEFT = Leg("proof as left", as_left_steps)


def check(situation: Situation, step: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for a pair of levels that cannot be, a list or points that are not
    understood."""
    check_path(step.key, ask, kept)
    check_fm(situation.record, step.key, ask, kept)
    check_noise(step.key, ask, kept.values)
    check_tone_pair(situation, step, ask, kept)


ROOM = Room(STAGE, (PATH, AS_FOUND, AS_LEFT), check=check, report=proof_report)
