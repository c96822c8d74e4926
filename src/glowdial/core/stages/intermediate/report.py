"""What the printed page tells of the IF."""

from __future__ import annotations

from glowdial.core.alignment.curve import CurveFigures
from glowdial.core.journey.room import (
    ReportPart,
    ReportRow,
    Situation,
    pictured,
    report_row,
)
from glowdial.core.journey.steps import Step
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.stages.intermediate.gain import (
    gain_by_substitution_db,
)
from glowdial.core.stages.intermediate.indicators import (
    REFERENCE,
    IndicatorKind,
    indicator,
)
from glowdial.core.stages.intermediate.survey import (
    SURVEY,
    SURVEY_LEFT,
    centre_window,
    survey_curve,
)
from glowdial.core.stages.intermediate.sweep_steps import (
    SWEEP,
    sweeps_of,
)
from glowdial.core.stages.intermediate.work import Work, answered, last_gain


def if_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """Where the IF peaks, and what aligning it won."""
    facts, record = situation.facts, situation.record
    work = Work(situation, indicator(situation))
    if work.by.kind is IndicatorKind.SWEEP:
        return _swept_report(work, steps)
    curve = survey_curve(record)
    reference = answered(work, SURVEY, f"{REFERENCE}{work.by.suffix}")
    if curve is None or reference is None:
        return ReportPart()
    gain = last_gain(work)
    left_v = gain.values["level"] if gain else reference.values["level"]
    won = gain_by_substitution_db(reference.values["level"], left_v)
    left = survey_curve(record, left=True) if gain else curve
    surveys = [s for s in steps if s.key in (SURVEY, SURVEY_LEFT) and s.results]
    shown = pictured("IF", surveys[-1], plot=True) if surveys else ()
    return ReportPart(
        pictures=shown,
        rows=(
            report_row(
                "IF, peak",
                khz(facts.intermediate_frequency_hz),
                khz(curve.peak_hz),
                khz(left.peak_hz) if left else "",
                left.peak_hz if left else None,
                centre_window(facts),
            ),
            ReportRow(
                f"IF, generator for the same {work.by.shown.label}",
                "no figure",
                engineering(reference.values["level"], "V"),
                engineering(left_v, "V"),
                "not known",
                f"{won:+.1f} dB won",
            ),
        ),
    )


def _swept_report(work: Work, steps: tuple[Step, ...]) -> ReportPart:
    """The first and the last sweep: where the IF stands, and how wide it is."""
    swept = sweeps_of(work.record)
    if not swept:
        return ReportPart()
    drawn = [s for s in steps if s.key.startswith(SWEEP) and s.results]
    found, left = swept[0].figures, swept[-1].figures
    (found_hz, found_wide), (left_hz, left_wide) = (_stands(f) for f in (found, left))
    return ReportPart(
        pictures=pictured("IF", drawn[-1], plot=True) if drawn else (),
        rows=(
            report_row(
                "IF, centre",
                khz(work.facts.intermediate_frequency_hz),
                khz(found_hz),
                khz(left_hz),
                left_hz,
                centre_window(work.facts),
            ),
            ReportRow("IF, wide at -6 dB", "no figure", found_wide, left_wide, "not known", ""),
        ),
    )


def _stands(figures: CurveFigures) -> tuple[float, str]:
    """Where a curve stands, and how wide it is in words."""
    six = figures.width(6.0)
    return (six.centre_hz, khz(six.width_hz)) if six else (figures.peak_hz, "not seen")
