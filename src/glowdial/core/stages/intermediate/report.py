"""What the printed page tells of the IF."""

from __future__ import annotations

from calendar import month_name as MONTH_NAMES
from dataclasses import replace

from glowdial.core.alignment.curve import CurveFigures
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import (
    ReportPart,
    ReportRow,
    Situation,
    pictured,
    report_row,
)
from glowdial.core.journey.steps import Step
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.stages.intermediate.gain import (
    gain_by_substitution_db,
)
from glowdial.core.stages.intermediate.indicators import (
    REFERENCE,
    IndicatorKind,
    indicator,
)
from glowdial.core.stages.intermediate.own_if import settled_hz
from glowdial.core.stages.intermediate.survey import (
    SURVEY,
    SURVEY_LEFT,
    centre_window,
    survey_curve,
)
from glowdial.core.stages.intermediate.sweep_traces import SWEEP, sweeps_of
from glowdial.core.stages.intermediate.work import Work, answered, last_gain

DRIFT_MONTHS = 3


def if_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """Where the IF peaks, and what aligning it won."""
    record = situation.record
    at_hz = settled_hz(situation.facts, record)
    facts = replace(situation.facts, intermediate_frequency_hz=at_hz)
    again = _looked_at_again(facts, record)
    work = Work(replace(situation, facts=facts), indicator(situation))
    if work.by.kind is IndicatorKind.SWEEP:
        return replace(_swept_report(work, steps), next_check=again)
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
        next_check=again,
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


def _looked_at_again(facts: ReceiverFacts, record: JobRecord) -> str:
    """When an IF of compression trimmers is looked at again: mica and spring creep, most in the
    first months."""
    drifting = [k for k in facts.if_adjusters() if facts.adjuster(k).kind is AdjusterKind.TRIMMER]
    if not drifting:
        return ""
    moved = [a.at for a in record.answers if a.step.startswith("if.") and a.at]
    when = f"in {_months_on(moved[-1])}" if moved else f"in {DRIFT_MONTHS} months"
    return (
        f"Look at the IF again {when}: its {len(drifting)} compression trimmers creep after they "
        "were turned."
    )


def _months_on(at: str) -> str:
    """The month of the next look, counted from the last work on the IF: "February 2027"."""
    year, month = (int(part) for part in at.split("-")[:2])
    years, month = divmod(month - 1 + DRIFT_MONTHS, 12)
    return f"{MONTH_NAMES[month + 1]} {year + years}"


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
