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
    LEAST_LEVEL_V,
    MOST_LEVEL_V,
    PAIR_FIELDS,
    RUN_READINGS,
    Sensitivity,
    figure_of,
    pair_of,
)
from glowdial.core.journey.steps import Ask, Field, Result, result
from glowdial.core.language.quantities import AUDIO_VOLTS, LEVEL, engineering, khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts, SensitivityPoint
from glowdial.core.physics.level_search import next_search_level_v

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
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, taken: Sequence[Answer]
) -> list[Ask]:
    """A pair low, in the middle and high on the band, in the position that the set stands in; each
    at the level that its own last ones lead to."""
    fm, middle_hz = is_fm(facts), round(math.sqrt(band.low_mark_hz * band.high_mark_hz), -4)
    asks = []
    for at_hz in (band.low_mark_hz, middle_hz, band.high_mark_hz):
        own = _groups(taken).get((at_hz, ""), [])
        target_db = SensitivityPoint(band.key, at_hz, None, fm=fm).target_db
        level_v = next_search_level_v([pair_of(a) for a in own], target_db) or FIRST_LEVEL_V
        level_v = min(max(level_v, LEAST_LEVEL_V), MOST_LEVEL_V)
        ask = Ask(
            f"{PLACE}{len(taken) + 1}",
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


def _groups(taken: Sequence[Answer]) -> dict[tuple[float, str], list[Answer]]:
    """The pairs of one place and position, in their order."""
    found: dict[tuple[float, str], list[Answer]] = {}
    for answer in taken:
        if answer.ask.startswith(PLACE):
            mode = " ".join(answer.texts.get("mode", "").split()).casefold()
            at_hz = answer.values.get("frequency") or answer.asked_at("at_hz")
            found.setdefault((at_hz, mode), []).append(answer)
    return found


def place_results(
    record: JobRecord, band: BandFacts, taken: Sequence[Answer], *, fm: bool, stale: bool
) -> list[Result]:
    """The figure of every place and position of which enough was read."""
    found = []
    for (frequency_hz, _), answers in _groups(taken).items():
        mode = " ".join(answers[-1].texts.get("mode", "").split())
        figure = _figure(record, band, frequency_hz, answers, fm=fm)
        label = f"{khz(frequency_hz)} {mode}".strip()
        if figure is None:
            words = f"{len(answers)} read, another level needed"
            found.append(result(answers[-1], label, words, frequency_hz, as_found=True))
        else:
            found.append(
                result(answers[-1], label, figure.text, figure.level_v, stale=stale, as_found=True)
            )
    return found


def _figure(
    record: JobRecord, band: BandFacts, frequency_hz: float, answers: list[Answer], *, fm: bool
) -> Sensitivity | None:
    point = SensitivityPoint(band.key, frequency_hz, None, fm=fm)
    return figure_of(point, answers, level_path(record, frequency_hz))
