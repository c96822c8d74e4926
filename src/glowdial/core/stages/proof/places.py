"""Sensitivity anywhere else: of any band, mode and switch position, at any frequency."""

from __future__ import annotations

from collections.abc import Sequence

from glowdial.core.journey.dial_marks import frequency_quantity
from glowdial.core.journey.level_path import level_path
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.sensitivity_figure import Sensitivity, figure_of
from glowdial.core.journey.steps import Ask, Field, Result, result
from glowdial.core.language.quantities import AUDIO_VOLTS, LEVEL, khz
from glowdial.core.model.facts import BandFacts, SensitivityPoint

# a pair of the search, told as one by its name
PLACE = "pair-at"


def place_ask(band: BandFacts, taken: int, *, fm: bool) -> Ask:
    """A pair of readings with where and how it was taken."""
    target = SensitivityPoint(band.key, band.low_mark_hz, None, fm=fm).target_db
    return Ask(
        f"{PLACE}{taken + 1}",
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


def place_results(
    record: JobRecord, band: BandFacts, taken: Sequence[Answer], *, fm: bool, stale: bool
) -> list[Result]:
    """The figure of every place and position of which enough was read."""
    groups: dict[tuple[float, str], list[Answer]] = {}
    for answer in taken:
        if answer.ask.startswith(PLACE):
            mode = " ".join(answer.texts.get("mode", "").split())
            groups.setdefault((answer.values["frequency"], mode.casefold()), []).append(answer)
    found = []
    for (frequency_hz, _), answers in groups.items():
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
