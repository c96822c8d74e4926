"""A stage that squeals or skews while its cores are peaked: regeneration, or an input capacity that
moves with the control volts. Seen by the person at the bench, and said for the whole IF."""

from __future__ import annotations

from enum import StrEnum

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.model.facts import Adjuster
from glowdial.core.stages.intermediate.indicators import LOW_SHARE, Indicator

UNREST = "unrest"


class Unrest(StrEnum):
    """What a stage does as it comes to its peak."""

    SQUEALS = "squeals or jumps near the peak"
    SKEWS = "its peak moves with the level"
    CALM = "calm"


def unrest_ask(adjuster: Adjuster) -> Ask:
    """Whether the stage stays calm as this core is peaked."""
    return Ask(
        UNREST,
        f"As the {adjuster.name} comes to its peak: does the stage squeal, or does the peak stand "
        "elsewhere at another level?",
        (Field(UNREST, "it", options=tuple(Unrest)),),
        Unrest.SQUEALS.value,
        called="it squeals or skews",
    )


def unrest_words(record: JobRecord, shown_by: Indicator) -> tuple[str, ...]:
    """What to do about it, at every core that follows."""
    said = [a for a in record.asked(UNREST) if UNREST in a.texts]
    if not said or said[-1].texts[UNREST] == Unrest.CALM:
        return ()
    low = shown_by.words(LOW_SHARE * shown_by.reference)
    if said[-1].texts[UNREST] == Unrest.SKEWS:
        return (
            "The peak moves with the level: the stage's input capacity follows the control volts. "
            f"Align at the level at which the set is used, or at {low}, and by nothing higher.",
        )
    return (
        "The stage regenerates: its own output reaches its input. Screens and cans on, leads "
        f"apart, bypass capacitors tried with a good one; peak at {low}, and leave the last core a "
        "little to the side where it is calm. What is neutralised is neutralised first.",
    )
