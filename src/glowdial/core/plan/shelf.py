"""A set as the shelf shows it: where it stands, what is wrong, what is next, what it waits for."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.dial_marks import scale_place
from glowdial.core.journey.registers import open_lines
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.plan.journey import Journey, StageState
from glowdial.core.stages.intake.registers import PHOTOS

# above it a scale is printed in MHz
SHORT_WAVE_HZ = 3e6


@dataclass(frozen=True, slots=True)
class FaceMark:
    """What is printed on a scale: its place along it, 0 to 1, and its figure."""

    place: float
    figure: str


@dataclass(frozen=True, slots=True)
class FaceBand:
    """One scale on a set's face: the band's name, its unit, and its marks."""

    name: str
    unit: str
    marks: tuple[FaceMark, ...]


@dataclass(frozen=True, slots=True)
class Standing:
    """A set's line on the shelf. ``trouble`` is what stands outside, with its figure where there is
    one; ``waits_for`` what somebody else has to bring; ``photo`` the number of a photo of the set,
    0 where there is none; ``face`` its scales by the sheet."""

    stages: tuple[StageState, ...]
    next_title: str
    next_stage: str
    trouble: str
    waits_for: tuple[str, ...]
    photo: int
    face: tuple[FaceBand, ...]


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
        face=_face(situation.facts),
    )


def _trouble(step: Step) -> str:
    """What was found outside in a step that is not closed, in words; "" where nothing was."""
    if step.status.finished:
        return ""
    outside = [r for r in step.results if not r.as_found and r.judgement.verdict.outside]
    if outside:
        worst = outside[-1]
        return f"{worst.label}: {worst.text}, {worst.judgement.words}"
    return f"{step.title}: again" if step.results and step.status.shouts else ""


def _waits_for(situation: Situation, journey: Journey) -> tuple[str, ...]:
    brought = [words for step in journey.steps for words in step.waits_for]
    lines = open_lines(situation.record, situation.forms)
    asked = [form.waits_for for form, _ in lines if form.waits_for]
    return tuple(dict.fromkeys([*brought, *asked]))


def _face(facts: ReceiverFacts) -> tuple[FaceBand, ...]:
    return tuple(_face_band(band) for band in facts.bands)


def _face_band(band: BandFacts) -> FaceBand:
    unit, step_hz = ("MHz", 1e6) if band.high_hz >= SHORT_WAVE_HZ else ("kHz", 1e3)
    marks = tuple(
        FaceMark(round(scale_place(band, hz), 3), f"{hz / step_hz:g}")
        for hz in sorted(band.dial_marks_hz)
    )
    return FaceBand(band.name, unit, marks)
