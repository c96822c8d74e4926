"""The room of the dial."""

from __future__ import annotations

from functools import partial

from glowdial.core.journey.dial_marks import check_pointed
from glowdial.core.journey.room import Entering, Leg, Room, Situation
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.stations import read_stations
from glowdial.core.stages.dial.air import STATIONS
from glowdial.core.stages.dial.calibrator import CALIBRATOR, check_spacing
from glowdial.core.stages.dial.points import POINTS, read_points
from glowdial.core.stages.dial.stage import STAGE
from glowdial.core.stages.dial.steps import (
    afterwards_steps,
    cabinet_steps,
    dial_report,
    dial_steps,
    marks_steps,
)


def check_reading(situation: Situation, step: Step, ask: Ask, entering: Entering) -> None:
    """Raises BadInput for a reading too far from its mark to tell of it, a calibrator that says too
    little, and lists that are not understood."""
    check_pointed(ask, entering.values)
    if ask.key == STATIONS:
        read_stations(entering.texts["stations"])
    if ask.key not in (CALIBRATOR, POINTS):
        return
    band = situation.facts.band(step.key.removeprefix("dial."))
    if ask.key == CALIBRATOR:
        check_spacing(band, entering.values["spacing"])
    else:
        read_points(entering.texts["points"], band)


def band_by_band(leg: Leg, facts: ReceiverFacts) -> tuple[Leg, ...]:
    """The cabinet, the marks of each band for itself, and what comes afterwards."""
    bands = (
        Leg(f"{leg.name}: {band.key}", partial(marks_steps, key=band.key)) for band in facts.bands
    )
    return (
        Leg(f"{leg.name}: cabinet", cabinet_steps),
        *bands,
        Leg(f"{leg.name}: afterwards", afterwards_steps),
    )


CALIBRATION = Leg("calibration of the dial", dial_steps, parts=band_by_band)
ROOM = Room(STAGE, (CALIBRATION,), check=check_reading, report=dial_report)
