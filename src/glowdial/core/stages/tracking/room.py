"""The room of oscillator and aerial."""

from __future__ import annotations

from functools import partial

from glowdial.core.journey.consequences import Consequence, RecallTurns
from glowdial.core.journey.dial_marks import check_pointed
from glowdial.core.journey.room import Entering, Leg, Room, Situation
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.tracking.moved import as_moved, check_move
from glowdial.core.stages.tracking.nudges import check_nudge
from glowdial.core.stages.tracking.oscillator import LEARNED_FORM
from glowdial.core.stages.tracking.plan import band_order
from glowdial.core.stages.tracking.stage import STAGE
from glowdial.core.stages.tracking.steps import band_steps, tracking_steps, whole_dial_steps


def _follows(_: Situation, step: Step, ask: Ask, __: Entering) -> tuple[Consequence, ...]:
    """Once a band is set up, what earlier visits learned of its adjusters is recalled."""
    set_up = step.key.endswith(".set-up") and ask.key == "ready"
    return (RecallTurns(),) if set_up else ()


def check_reading(situation: Situation, step: Step, ask: Ask, entering: Entering) -> None:
    """Raises BadInput for a reading too far from its mark to tell of it, for more than a nudge of
    an unknown adjuster, and for a move of a band that cannot be."""
    check_move(situation.facts, situation.record, step, ask, entering)
    check_pointed(ask, entering.values)
    check_nudge(ask, entering.values.get("turns", 0.0))


def band_by_band(leg: Leg, facts: ReceiverFacts) -> tuple[Leg, ...]:
    """The whole dial, then each band for itself."""
    bands = (
        Leg(f"{leg.name}: {band.key}", partial(band_steps, key=band.key))
        for band in band_order(facts)
    )
    return (Leg(f"{leg.name}: the dial", whole_dial_steps), *bands)


BANDS = Leg("oscillator and aerial, band by band", tracking_steps, parts=band_by_band)
ROOM = Room(
    STAGE,
    (BANDS,),
    derive=as_moved,
    check=check_reading,
    follows=_follows,
    registers=(LEARNED_FORM,),
)
