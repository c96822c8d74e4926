"""Sensitivity for 10 dB (S+N)/N at the sheet's points: as found, to trace by, and as left, as the
proof."""

from __future__ import annotations

from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.chain import AERIAL, SPEAKER, SetUp, chain_picture
from glowdial.core.journey.dial_marks import (
    band_adjusters,
    dial_leads,
    search_span_hz,
)
from glowdial.core.journey.readings import planned
from glowdial.core.journey.record import CABINET, NOTHING, PART_AREAS, Answer, Basis, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.signal_in import through_words
from glowdial.core.journey.steps import Ask, Field, Result, Step, result, settle
from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import AUDIO_VOLTS, LEVEL, engineering, khz
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts, SensitivityPoint
from glowdial.core.model.measurands import GENERATOR_LEVEL, LOUDSPEAKER
from glowdial.core.physics.noise_ratio import (
    NoiseReading,
    next_level_v,
    sensitivity_v,
    signal_plus_noise_to_noise_db,
)

FIRST_LEVEL_V = 50e-6
MOST_LEVELS = 8
FOUND, LEFT = "found", "left"


@dataclass(frozen=True, slots=True)
class NumberedPoint:
    """A point with its number within its band."""

    number: int
    given: SensitivityPoint

    def key(self, phase: str) -> str:
        """Key of the step that measures it as found or as left."""
        return f"proof.{phase}.{self.given.band}.{self.number}"

    def as_begun(self, record: JobRecord) -> SensitivityPoint:
        """The point where it was measured first, else where it is given today."""
        first = planned(record, self.key(FOUND), planned(record, self.key(LEFT), ()))
        return replace(self.given, frequency_hz=first[0]) if first else self.given


def numbered_points(facts: ReceiverFacts) -> list[NumberedPoint]:
    """The points, numbered within their bands."""
    counted: dict[str, int] = {}
    found = []
    for point in facts.sensitivity:
        counted[point.band] = counted.get(point.band, 0) + 1
        found.append(NumberedPoint(counted[point.band], point))
    return found


def _noise(answer: Answer) -> NoiseReading:
    return NoiseReading(answer.values["level"], answer.values["on"], answer.values["off"])


def measured_v(record: JobRecord, point: NumberedPoint, phase: str) -> float | None:
    """The figure of a point as found or as left, None while there is none."""
    return sensitivity_v(tuple(_noise(a) for a in record.of_step(point.key(phase))))


def _basis(facts: ReceiverFacts, point: SensitivityPoint, phase: str) -> Basis:
    """What a figure as left rests on; as found describes what was there before."""
    if phase == FOUND:
        return NOTHING
    band = facts.band(point.band)
    return Basis(
        adjusters=(*facts.if_adjusters(), *band_adjusters(band), *band.signal_adjusters),
        areas=(CABINET, *PART_AREAS),
    )


def sensitivity_step(situation: Situation, numbered: NumberedPoint, stage: str, phase: str) -> Step:
    """The step of a point as found or as left, under a stage of the scale."""
    facts, record = situation.facts, situation.record
    key, point = numbered.key(phase), numbered.as_begun(record)
    basis = _basis(facts, point, phase)
    answers = record.of_step(key)
    fresh = [a for a in answers if not record.stale(a, basis)]
    rows = tuple(_noise(a) for a in fresh)
    figure = sensitivity_v(rows)
    results = tuple(_row_result(a, stale=record.stale(a, basis)) for a in answers)
    if figure is not None:
        results = (_figure_result(point, fresh[-1], figure, phase), *results)
    ask = _ask(facts, point, rows, len(answers) + 1)
    wanted = figure is None and len(rows) < MOST_LEVELS
    found = phase == FOUND
    step = Step(
        key,
        stage,
        f"Sensitivity at {khz(point.frequency_hz)}, as {phase}",
        "Taken before the first touch: what there is to improve on."
        if found
        else "Through the dummy aerial, uV EMF, tone of 400 Hz at 30 %, carrier on for both.",
        results=results,
        advice=_advice(record, numbered, figure, phase),
        leads=(
            *dial_leads(facts)[:1],
            replace(dial_leads(facts)[1], source="audio voltmeter", to="loudspeaker terminals"),
        ),
        controls=("volume where the noise reads well", "loudspeaker or its load connected"),
        powered=True,
        programme=(point.frequency_hz,),
        cost=_cost(point, figure),
        show_chain=lambda: chain_picture(facts, record, _now(facts, point, rows)),
    )
    return settle(
        step, remaining=ask if wanted else None, retake=ask if figure is not None else None
    )


def _now(facts: ReceiverFacts, point: SensitivityPoint, rows: tuple[NoiseReading, ...]) -> SetUp:
    """Generator through the dummy aerial, voltmeter at the loudspeaker."""
    return SetUp(
        signal_hz=point.frequency_hz,
        generator_at=AERIAL,
        through=through_words(facts),
        level_v=_level_v(point, rows),
        meter_at=SPEAKER,
        meter="audio",
        band=point.band,
    )


def _level_v(point: SensitivityPoint, rows: tuple[NoiseReading, ...]) -> float:
    """What to set the generator to next."""
    return next_level_v(rows[-1]) if rows else point.limit_v or FIRST_LEVEL_V


def _row_result(answer: Answer, *, stale: bool) -> Result:
    row = _noise(answer)
    label, text = f"at {engineering(row.level_v, 'V')}", f"{row.ratio_db:.1f} dB"
    return result(answer, label, text, row.ratio_db, stale=stale)


def _figure_result(point: SensitivityPoint, last: Answer, figure: float, phase: str) -> Result:
    window = Window(None, point.limit_v) if point.limit_v else None
    limit = engineering(point.limit_v, "V") if point.limit_v else ""
    text = f"{engineering(figure, 'V')} EMF"
    return result(last, "for 10 dB", text, figure, window, ("", limit), as_found=phase == FOUND)


def _ask(
    facts: ReceiverFacts, point: SensitivityPoint, rows: tuple[NoiseReading, ...], number: int
) -> Ask:
    level = _level_v(point, rows)
    return Ask(
        f"level{number}",
        f"Dial and generator on {khz(point.frequency_hz)} as it comes in; level "
        f"{engineering(level, 'V')}: level, output with the tone on, and with it off.",
        (
            Field("level", "level", LEVEL, measurand=GENERATOR_LEVEL, sets="generator_emf_v"),
            Field("on", "tone on", AUDIO_VOLTS, measurand=LOUDSPEAKER),
            Field("off", "tone off", AUDIO_VOLTS, measurand=LOUDSPEAKER),
        ),
        f"{level * 1e6:.1f} 0.92 0.29",
        expected_text=(
            f"10 dB at {engineering(point.limit_v, 'V')} or less"
            if point.limit_v
            else "no limit given"
        ),
        recipe=Recipe(
            Doing.TONE_PAIR,
            setting(
                injection="aerial",
                line_v=facts.nominal_line_v,
                band=point.band,
                dial_hz=point.frequency_hz,
                generator_hz=point.frequency_hz,
                generator_emf_v=level,
            ),
            span_hz=search_span_hz(facts, point.frequency_hz),
        ),
    )


def _advice(
    record: JobRecord, numbered: NumberedPoint, figure: float | None, phase: str
) -> tuple[str, ...]:
    lines: list[str] = []
    if phase == FOUND and figure is None and record.moves:
        lines.append(
            "Adjusters were turned already: what is read now is no longer as found. Close the step "
            "with that reason if it was not read before."
        )
    if phase == LEFT and figure is not None:
        before = measured_v(record, numbered, FOUND)
        if before is not None:
            lines.append(
                f"As found {engineering(before, 'V')}: {db_voltage(before / figure):+.1f} dB won."
            )
    if numbered.given.limit_v is None:
        lines.append("The sheet gives no limit here; as left is compared with as found only.")
    return tuple(lines)


def _cost(point: SensitivityPoint, figure: float | None) -> str:
    if figure is None or point.limit_v is None or figure <= point.limit_v:
        return ""
    return f"{db_voltage(figure / point.limit_v):.1f} dB short at {khz(point.frequency_hz)}"


def check_tone_pair(_: Situation, __: Step, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for an output that is nothing, or greater with the tone off."""
    values = kept.values
    if not {"on", "off"} <= values.keys():
        return
    for field in ask.fields:
        if values.get(field.name) == 0.0:
            raise BadInput(field.label, "0", "must be above zero: noise is never nothing", "0.29")
    signal_plus_noise_to_noise_db(values["on"], values["off"])
