"""A set as the shelf shows it: where it stands, what is wrong, what is next, what it waits for."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.dial_marks import printed_scale
from glowdial.core.journey.pictures import PrintedScale
from glowdial.core.journey.registers import open_lines
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.plan.journey import Journey, StageState
from glowdial.core.stages.intake.registers import PHOTOS


@dataclass(frozen=True, slots=True)
class Standing:
    """A set's line on the shelf. ``trouble`` is what stands outside, with its figure where there is
    one; ``waits_for`` what somebody else has to bring; ``photo`` the number of a photo of the set,
    0 where there is none; ``face`` its scales by the sheet; ``thinking`` whether something of it
    is still being worked out."""

    stages: tuple[StageState, ...]
    next_title: str
    next_stage: str
    trouble: str
    waits_for: tuple[str, ...]
    photo: int
    face: tuple[PrintedScale, ...]
    thinking: bool = False


def standing_of(situation: Situation, journey: Journey) -> Standing:
    """The line of a set, as everything stands now."""
    following = journey.standing(journey.next_key) if journey.next_key else None
    photos = situation.record.register(PHOTOS)
    return Standing(
        stages=journey.stages(),
        next_title=following.title if following else "Handed over",
        next_stage=following.stage if following else "handover",
        trouble=next((words for words in map(_trouble, journey.steps) if words), ""),
        waits_for=_waits_for(situation, journey),
        photo=int(photos[0].texts["photo_id"]) if photos else 0,
        face=tuple(printed_scale(band) for band in situation.facts.bands),
        thinking=journey.thinking,
    )


def _trouble(step: Step) -> str:
    """What was found outside in a step that is not closed, in words; "" where nothing was."""
    if step.status.finished:
        return ""
    outside = [r for r in step.results if not r.as_found and r.judgement.verdict.outside]
    if outside:
        last = outside[-1]
        return f"{last.label}: {last.text}, {last.judgement.words}"
    return f"{step.title}: again" if step.results and step.status.shouts else ""


def _waits_for(situation: Situation, journey: Journey) -> tuple[str, ...]:
    brought = [words for step in journey.steps for words in step.waits_for]
    lines = open_lines(situation.record, situation.forms)
    asked = [form.waits_for for form, _ in lines if form.waits_for]
    return tuple(dict.fromkeys([*brought, *asked]))
