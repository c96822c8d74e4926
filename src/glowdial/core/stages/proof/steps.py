"""Sensitivity for 10 dB (S+N)/N, before the first touch and after the last."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.record import CABINET, PART_AREAS, JobRecord
from glowdial.core.journey.steps import (
    Ask,
    Doing,
    Field,
    Recipe,
    Result,
    Stage,
    Step,
    result,
    settle,
)
from glowdial.core.language.levels import db_voltage
from glowdial.core.language.quantities import AUDIO_VOLTS, LEVEL, engineering, khz
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts, SensitivityPoint
from glowdial.core.stages.proof.noise_ratio import NoiseReading, next_level_v, sensitivity_v
from glowdial.core.stages.tracking.steps import band_adjusters, dial_leads, search_span_hz

FIRST_LEVEL_V = 50e-6
MOST_LEVELS = 8
FOUND, LEFT = "found", "left"


def as_found_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """What works as found: the sensitivity before anything is turned."""
    return [_step(facts, record, p, FOUND) for p in facts.sensitivity]


def as_left_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """The proof: the same figures after the last touch, against the sheet."""
    return [_step(facts, record, p, LEFT) for p in facts.sensitivity]


def step_key(point: SensitivityPoint, phase: str) -> str:
    """Key of the step that measures a point as found or as left."""
    return f"proof.{phase}.{point.band}.{point.frequency_hz:.0f}"


def noise_readings(
    record: JobRecord, key: str, *, since: int = 0
) -> list[tuple[int, NoiseReading]]:
    """The rows of a step that are newer than ``since``, with their seq."""
    return [
        (a.seq, NoiseReading(a.values["level"], a.values["on"], a.values["off"]))
        for a in record.of_step(key)
        if a.seq > since
    ]


def measured_sensitivity_v(record: JobRecord, point: SensitivityPoint, phase: str) -> float | None:
    """The figure of a point as found or as left, None while there is none."""
    rows = noise_readings(record, step_key(point, phase))
    return sensitivity_v(tuple(r for _, r in rows))


def _spoiled(facts: ReceiverFacts, record: JobRecord, point: SensitivityPoint) -> int:
    band = facts.band(point.band)
    aerial = (band.aerial_adjuster,) if band.aerial_adjuster else ()
    return record.last_touch(
        (*facts.if_adjusters(), *band_adjusters(band), *aerial), (CABINET, *PART_AREAS)
    )


def _step(facts: ReceiverFacts, record: JobRecord, point: SensitivityPoint, phase: str) -> Step:
    key = step_key(point, phase)
    spoiled = _spoiled(facts, record, point) if phase == LEFT else 0
    everything = noise_readings(record, key)
    rows = [row for row in everything if row[0] > spoiled]
    figure = sensitivity_v(tuple(r for _, r in rows))
    results = tuple(_row_result(seq, r, spoiled) for seq, r in everything)
    if figure is not None:
        results = (_figure_result(point, rows[-1][0], figure, phase), *results)
    remaining = None
    if figure is None and len(rows) < MOST_LEVELS:
        remaining = _ask(facts, point, tuple(r for _, r in rows), len(everything) + 1)
    found = phase == FOUND
    step = Step(
        key,
        Stage.FAULTS if found else Stage.PROOF,
        f"Sensitivity at {khz(point.frequency_hz)}, as {phase}",
        "Taken before the first touch: what there is to improve on."
        if found
        else "Through the dummy aerial, uV EMF, tone of 400 Hz at 30 %, carrier on for both.",
        results=results,
        advice=_advice(facts, record, point, figure, phase),
        leads=(
            *dial_leads(facts)[:1],
            replace(dial_leads(facts)[1], source="audio voltmeter", to="loudspeaker terminals"),
        ),
        controls=("volume where the noise reads well", "loudspeaker or its load connected"),
        powered=True,
        cost=_cost(point, figure),
    )
    retake = None
    if figure is not None:
        retake = _ask(facts, point, tuple(r for _, r in rows), len(everything) + 1)
    return settle(step, remaining=remaining, retake=retake)


def _row_result(seq: int, row: NoiseReading, spoiled: int) -> Result:
    text = f"{row.ratio_db:.1f} dB"
    label = f"at {engineering(row.level_v, 'V')}"
    return result(
        label,
        text,
        row.ratio_db,
        None,
        ("", ""),
        seq=seq,
        ask="level",
        stale=seq <= spoiled,
    )


def _figure_result(point: SensitivityPoint, seq: int, figure: float, phase: str) -> Result:
    window = Window(None, point.limit_v) if point.limit_v else None
    limit = engineering(point.limit_v, "V") if point.limit_v else ""
    return result(
        "for 10 dB",
        f"{engineering(figure, 'V')} EMF",
        figure,
        window,
        ("", limit),
        seq=seq,
        ask="figure",
        as_found=phase == FOUND,
    )


def _ask(
    facts: ReceiverFacts, point: SensitivityPoint, rows: tuple[NoiseReading, ...], number: int
) -> Ask:
    level = point.limit_v or FIRST_LEVEL_V
    if rows:
        level = next_level_v(rows[-1])
    return Ask(
        f"level{number}",
        f"Dial and generator on {khz(point.frequency_hz)} as it comes in; level "
        f"{engineering(level, 'V')}: level, output with the tone on, and with it off.",
        (
            Field("level", "level", LEVEL),
            Field("on", "tone on", AUDIO_VOLTS),
            Field("off", "tone off", AUDIO_VOLTS),
        ),
        f"{level * 1e6:.1f} 0.92 0.29",
        expected_text=(
            f"10 dB at {engineering(point.limit_v, 'V')} or less"
            if point.limit_v
            else "no limit given"
        ),
        recipe=Recipe(
            Doing.TONE_PAIR,
            injection="aerial",
            line_v=facts.line_v or 230.0,
            band=point.band,
            dial_hz=point.frequency_hz,
            generator_hz=point.frequency_hz,
            generator_emf_v=level,
            span_hz=search_span_hz(facts, point.frequency_hz),
        ),
    )


def _advice(
    facts: ReceiverFacts,
    record: JobRecord,
    point: SensitivityPoint,
    figure: float | None,
    phase: str,
) -> tuple[str, ...]:
    lines: list[str] = []
    if phase == FOUND and figure is None and record.moves:
        lines.append(
            "Adjusters were turned already: what is read now is no longer as found. Close the step "
            "with that reason if it was not read before."
        )
    if phase == LEFT and figure is not None:
        before = measured_sensitivity_v(record, point, FOUND)
        if before is not None:
            lines.append(
                f"As found {engineering(before, 'V')}: {db_voltage(before / figure):+.1f} dB won."
            )
    if point.limit_v is None:
        lines.append("The sheet gives no limit here; as left is compared with as found only.")
    return tuple(lines)


def _cost(point: SensitivityPoint, figure: float | None) -> str:
    if figure is None or point.limit_v is None or figure <= point.limit_v:
        return ""
    return f"{db_voltage(figure / point.limit_v):.1f} dB short at {khz(point.frequency_hz)}"
