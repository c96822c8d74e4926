"""Proof of performance: the figures after the last touch, against the sheet and as found."""

from __future__ import annotations

from glowdial.core.journey.room import ReportPart, Situation, report_row
from glowdial.core.journey.sensitivity import (
    FOUND,
    LEFT,
    measured_v,
    numbered_points,
    sensitivity_step,
)
from glowdial.core.journey.steps import Step
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.language.verdicts import Window

STAGE = "proof"


def as_left_steps(situation: Situation) -> list[Step]:
    """The proof: the same figures as found, after the last touch."""
    points = numbered_points(situation.facts)
    return [sensitivity_step(situation, p, STAGE, LEFT) for p in points]


def proof_report(situation: Situation, _: tuple[Step, ...]) -> ReportPart:
    """Sensitivity of every point, as found and as left."""
    rows = []
    for numbered in numbered_points(situation.facts):
        point = numbered.as_begun(situation.record)
        found = measured_v(situation.record, numbered, FOUND)
        left = measured_v(situation.record, numbered, LEFT)
        rows.append(
            report_row(
                f"Sensitivity at {khz(point.frequency_hz)} (uV EMF, 10 dB (S+N)/N)",
                f"{engineering(point.limit_v, 'V')}" if point.limit_v else "no figure",
                engineering(found, "V") if found else "",
                engineering(left, "V") if left else "",
                left,
                Window(None, point.limit_v) if point.limit_v else None,
            )
        )
    return ReportPart(rows=tuple(rows))
