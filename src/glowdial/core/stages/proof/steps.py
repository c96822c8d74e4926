"""Proof of performance: the figures after the last touch, against the sheet and as found."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import ReportPart, Situation, report_row
from glowdial.core.journey.sensitivity import sensitivity_step
from glowdial.core.journey.sensitivity_figure import (
    FOUND,
    LEFT,
    NumberedPoint,
    Sensitivity,
    as_stated,
    compares,
    judged,
    measured,
    numbered_points,
)
from glowdial.core.journey.steps import Step
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.language.verdicts import Window
from glowdial.core.stages.proof.answers import answers_step
from glowdial.core.stages.proof.conditions_step import conditions_step
from glowdial.core.stages.proof.figure import Phase
from glowdial.core.stages.proof.fm import fm_rows, fm_steps, list_steps
from glowdial.core.stages.proof.noise import noise_step
from glowdial.core.stages.proof.output import output_step

STAGE = "proof"


def as_left_steps(situation: Situation) -> list[Step]:
    """The proof: the same figures as found, after the last touch."""
    points = numbered_points(situation.facts)
    steps = [sensitivity_step(situation, p, STAGE, LEFT) for p in points]
    return [*steps, *figure_steps(situation, LEFT), *fm_steps(situation, LEFT)]


def as_found_steps(situation: Situation) -> list[Step]:
    """What else is worth taking before the first touch."""
    return [
        *figure_steps(situation, FOUND),
        *list_steps(situation),
        *fm_steps(situation, FOUND),
    ]


def figure_steps(situation: Situation, phase: str) -> list[Step]:
    """The conditions, unwanted answers of every band, and output over level, once the first
    sensitivity of the phase was taken. Nobody has to take them."""
    points = numbered_points(situation.facts)
    if not any(situation.record.of_step(p.key(phase)) for p in points):
        return []
    at = Phase(phase, STAGE, situation)
    steps = [conditions_step(at)]
    steps += [answers_step(at, band) for band in situation.facts.bands]
    steps += [output_step(at), noise_step(at)]
    return steps


def _found_words(found: Sensitivity, point: NumberedPoint, record: JobRecord) -> str:
    return found.short if compares(record, point) else f"{found.short}, stated elsewhere"


def proof_report(situation: Situation, _: tuple[Step, ...]) -> ReportPart:
    """Sensitivity of every point, as found and as left."""
    rows = []
    for numbered in numbered_points(situation.facts):
        taken = situation.record.of_step(numbered.key(LEFT))
        point = as_stated(
            situation.record, numbered.as_begun(situation.record), taken[-1] if taken else None
        )
        found = measured(situation.record, numbered, FOUND)
        left = measured(situation.record, numbered, LEFT)
        row = report_row(
            f"Sensitivity at {khz(point.frequency_hz)} (uV EMF, {point.target_db:.0f} dB (S+N)/N)",
            f"{engineering(point.limit_v, 'V')}" if point.limit_v else "no figure",
            _found_words(found, numbered, situation.record) if found else "",
            left.short if left else "",
            left.level_v if left else None,
            Window(None, point.limit_v) if point.limit_v else None,
        )
        if left is not None and left.found is not None:
            verdict = judged(point, left)
            row = replace(row, verdict=verdict.verdict.value, words=verdict.words)
        rows.append(row)
    return ReportPart(rows=(*rows, *fm_rows(situation)))
