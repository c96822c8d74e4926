"""Sensitivity anywhere else: of any band, mode and switch position, at any frequency."""

from __future__ import annotations

import math
from collections.abc import Sequence

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.dial_marks import frequency_quantity, is_fm, search_span_hz, signal_at
from glowdial.core.journey.level_path import level_path
from glowdial.core.journey.readings import asked_at
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.sensitivity_figure import (
    FIRST_LEVEL_V,
    PAIR_FIELDS,
    RUN_READINGS,
    figure_of,
    generator_level_v,
    pairs_at_the_set,
)
from glowdial.core.journey.steps import Ask, Field, Result, result
from glowdial.core.language.quantities import AUDIO_VOLTS, LEVEL, engineering, khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts, SensitivityPoint
from glowdial.core.physics.level_search import next_search_level_v
from glowdial.core.stages.proof.figure import Counting

# a pair of the search, told as one by its name
PLACE = "pair-at"
ANYWHERE = f"{PLACE}-any"


def place_ask(band: BandFacts, taken: int, *, fm: bool) -> Ask:
    """A pair of readings with where and how it was taken."""
    target = SensitivityPoint(band.key, band.low_mark_hz, None, fm=fm).target_db
    return Ask(
        f"{ANYWHERE}{taken + 1}",
        f"Elsewhere: frequency, level, output with the tone on, with it off (or, of CW and single "
        "sideband, with the carrier and without), and mode with switch position in words. Several "
        f"levels of one place become its figure for {target:.0f} dB.",
        (
            Field("frequency", "frequency", frequency_quantity(band.low_mark_hz)),
            Field("level", "level", LEVEL),
            Field("on", "tone on", AUDIO_VOLTS, swings=True),
            Field("off", "tone off", AUDIO_VOLTS, swings=True),
            Field("mode", "mode and switch position", required=False),
        ),
        f"{khz(band.low_mark_hz).split()[0]} 5 0.82-0.95 0.27-0.31 CW narrow",
        called="sensitivity elsewhere",
        series=True,
    )


def planned_asks(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, taken: Sequence[Answer], number: int
) -> list[Ask]:
    """A pair low, in the middle and high on the band, in the position that the set stands in; each
    at the level that its own last ones lead to."""
    fm, middle_hz = is_fm(facts), round(math.sqrt(band.low_mark_hz * band.high_mark_hz), -4)
    asks = []
    for at_hz in (band.low_mark_hz, middle_hz, band.high_mark_hz):
        own = pairs_at_the_set(record, at_hz, _groups(taken).get((at_hz, ""), []))
        target_db = SensitivityPoint(band.key, at_hz, None, fm=fm).target_db
        wanted_v = next_search_level_v(own, target_db) or FIRST_LEVEL_V
        level_v = generator_level_v(level_path(record, at_hz), wanted_v)
        ask = Ask(
            f"{PLACE}{number + 1}",
            f"{khz(at_hz)} at {engineering(level_v, 'V')}: level, output with the tone on, and "
            f"with it off; levels of one place become its figure for {target_db:.0f} dB.",
            PAIR_FIELDS,
            f"{level_v * 1e6:.1f} 0.92 0.27-0.31",
            called=f"sensitivity at {khz(at_hz)}",
            recipe=None
            if band.mode or fm
            else Recipe(
                Doing.TONE_PAIR,
                signal_at(facts, band.key, at_hz, level_v),
                span_hz=search_span_hz(facts, at_hz),
                readings=RUN_READINGS,
            ),
        )
        asks.append(asked_at(ask, at_hz=at_hz))
    return asks


def place_of(answer: Answer) -> tuple[float, str] | None:
    """Where a pair was read, and in which mode and position; None for another answer."""
    if not answer.ask.startswith(PLACE):
        return None
    at_hz = answer.values.get("frequency") or answer.asked_at("at_hz")
    return at_hz, _mode(answer).casefold()


def _mode(answer: Answer) -> str:
    return " ".join(answer.texts.get("mode", "").split())


def _groups(taken: Sequence[Answer]) -> dict[tuple[float, str], list[Answer]]:
    """The pairs of one place and position, in their order."""
    found: dict[tuple[float, str], list[Answer]] = {}
    for answer in taken:
        place = place_of(answer)
        if place is not None:
            found.setdefault(place, []).append(answer)
    return found


def place_results(
    record: JobRecord, band: BandFacts, counted: Counting, *, fm: bool
) -> list[Result]:
    """The figure of every place and position of which enough was read."""
    found = []
    for (frequency_hz, _), answers in _groups(counted.answers).items():
        last, label = answers[-1], f"{khz(frequency_hz)} {_mode(answers[-1])}".strip()
        point = SensitivityPoint(band.key, frequency_hz, None, fm=fm)
        figure = figure_of(record, point, answers)
        words = figure.text if figure else f"{len(answers)} read, another level needed"
        value, stale = figure.level_v if figure else frequency_hz, counted.is_stale(last)
        found.append(result(last, label, words, value, stale=stale, as_found=True))
    return found
