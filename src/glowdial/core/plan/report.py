"""The report that goes with the set: as found and as left against the service data."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.registers import (
    Register,
    form_of,
    line_details,
    line_title,
    open_lines,
)
from glowdial.core.journey.steps import Status
from glowdial.core.language.quantities import engineering, khz, turns
from glowdial.core.language.verdicts import Window, judge, symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.plan.journey import Journey
from glowdial.core.safety.cautions import Activity, caution, dangers_for
from glowdial.core.stages.bring_up.ramp_step import RAMP
from glowdial.core.stages.dial.steps import dial_curve
from glowdial.core.stages.intake.steps import as_seen
from glowdial.core.stages.intermediate.gain import gain_by_substitution_db
from glowdial.core.stages.intermediate.steps import SURVEY, centre_window, survey_curve
from glowdial.core.stages.proof.steps import FOUND, LEFT, measured_sensitivity_v

STORY_STEPS = ("intake.story", "intake.label")
RENEWED = " renewed: "


@dataclass(frozen=True, slots=True)
class ReportRow:
    """One figure: what the service data says, as found, as left, and the verdict on as left."""

    what: str
    specified: str
    found: str
    left: str
    verdict: str
    words: str


@dataclass(frozen=True, slots=True)
class LedgerRow:
    """An adjuster with its net turns from as found."""

    adjuster: str
    turns: str


@dataclass(frozen=True, slots=True)
class Report:
    """Everything on the printable page; empty lists say so in words on the page."""

    title: str
    rows: tuple[ReportRow, ...]
    story: tuple[str, ...]
    ledger: tuple[LedgerRow, ...]
    decisions: tuple[str, ...]
    changes: tuple[str, ...]
    still_on: tuple[str, ...]
    not_settled: tuple[str, ...]
    gaps: tuple[str, ...]
    cautions: tuple[str, ...]
    next_check: str
    modifications: tuple[str, ...]
    waiting: tuple[str, ...]


def build_report(facts: ReceiverFacts, record: JobRecord, journey: Journey) -> Report:
    """Gather the report from the record as it stands; it can be read before the job is done."""
    rows = [*_supply_rows(facts, record, journey), *_if_rows(facts, record)]
    for band in facts.bands:
        rows += _dial_rows(record, band)
    rows += _sensitivity_rows(facts, record)
    unsettled = [
        f"{s.title}: {s.status.value}"
        for s in journey.steps
        if s.status in (Status.TROUBLE, Status.RECHECK)
    ]
    return Report(
        title=facts.title,
        rows=tuple(rows),
        story=tuple(n for s in journey.steps if s.key in STORY_STEPS for n in s.notes),
        ledger=_ledger(facts, record),
        decisions=_decisions(journey),
        changes=_changes(record),
        still_on=(
            *(f"{t.what}, {t.where}" for t in record.temporaries if t.on),
            *(s.what for s in record.switched_off if s.off),
        ),
        not_settled=tuple(unsettled),
        gaps=tuple(f"{g.what}: {g.instead}" for g in facts.gaps),
        cautions=_cautions(as_seen(facts, record)),
        next_check=_next_check(journey),
        modifications=tuple(
            f"{line_title(m)}; {line_details(m)}" for m in record.register(Register.MODIFICATION)
        ),
        waiting=tuple(f"{form_of(e.register).title}: {line_title(e)}" for e in open_lines(record)),
    )


def _changes(record: JobRecord) -> tuple[str, ...]:
    """Renewed parts in one line, everything else that changed in a line each."""
    renewed = [c.note.split(RENEWED) for c in record.changes if RENEWED in c.note]
    lines = [f"{c.what}: {c.note}" for c in record.changes if c.note and RENEWED not in c.note]
    if renewed:
        named = "; ".join(f"{ref} ({fitted})" for ref, fitted in renewed)
        lines.insert(0, f"Renewed: {named}.")
    return tuple(lines)


def _cautions(facts: ReceiverFacts) -> tuple[str, ...]:
    dangers = dangers_for(facts, Activity.POWER)
    return tuple(s for d in dangers for s in caution(d, facts).sentences[:-1])


def _row(
    what: str, specified: str, found: str, left: str, value: float | None, window: Window | None
) -> ReportRow:
    if value is None:
        return ReportRow(what, specified, found, left, "not known", "not read")
    verdict = judge(value, window)
    return ReportRow(what, specified, found, left, verdict.verdict.value, verdict.words)


def _supply_rows(facts: ReceiverFacts, record: JobRecord, journey: Journey) -> list[ReportRow]:
    ramp = record.of_step(RAMP)
    if not ramp:
        return []
    answer = max(ramp, key=lambda a: (a.values["ac"], a.seq))
    first = record.first(RAMP, answer.ask) or answer
    shown = next((r for r in journey.step(RAMP).results if r.ask == answer.ask), None)
    window = shown.window if shown else None
    specified = f"{window.nominal:.0f} V" if window and window.nominal else "no figure"
    b_plus = answer.values["b_plus"]
    what = f"B+ at {answer.values['ac']:.0f} V line"
    found = f"{first.values['b_plus']:.0f} V"
    return [_row(what, specified, found, f"{b_plus:.0f} V", b_plus, window)]


def _if_rows(facts: ReceiverFacts, record: JobRecord) -> list[ReportRow]:
    curve = survey_curve(facts, record)
    reference = record.latest(SURVEY, "reference")
    if curve is None or reference is None:
        return []
    gains = [a for a in record.answers if a.step.endswith(".gain") and not a.withdrawn]
    left_v = gains[-1].values["level"] if gains else reference.values["level"]
    won = gain_by_substitution_db(reference.values["level"], left_v)
    left = survey_curve(facts, record, left=True) if gains else curve
    rows = [
        _row(
            "IF, peak",
            khz(facts.intermediate_frequency_hz),
            khz(curve.peak_hz),
            khz(left.peak_hz) if left else "",
            left.peak_hz if left else None,
            centre_window(facts),
        )
    ]
    rows.append(
        ReportRow(
            "IF, generator for the same AVC",
            "no figure",
            engineering(reference.values["level"], "V"),
            engineering(left_v, "V"),
            "not known",
            f"{won:+.1f} dB won",
        )
    )
    return rows


def _dial_rows(record: JobRecord, band: BandFacts) -> list[ReportRow]:
    curve = dial_curve(record, band)
    survey = {
        mark: answer.values["frequency"]
        for mark, name in ((band.high_mark_hz, "high"), (band.low_mark_hz, "low"))
        if (answer := record.latest(f"osc.{band.key}.survey", name)) is not None
    }
    rows = []
    for mark in band.dial_marks_hz:
        left = next((m.true_hz for m in curve.marks if m.dial_hz == mark), None) if curve else None
        found = survey.get(mark)
        tolerance = band.tolerance_hz(mark)
        rows.append(
            _row(
                f"{band.name} dial at {khz(mark)}",
                f"within {khz(tolerance)}",
                f"{(found - mark) / 1e3:+.1f} kHz" if found is not None else "",
                f"{(left - mark) / 1e3:+.1f} kHz" if left is not None else "",
                left,
                symmetric(mark, tolerance),
            )
        )
    return rows


def _sensitivity_rows(facts: ReceiverFacts, record: JobRecord) -> list[ReportRow]:
    rows = []
    for point in facts.sensitivity:
        found = measured_sensitivity_v(record, point, FOUND)
        left = measured_sensitivity_v(record, point, LEFT)
        rows.append(
            _row(
                f"Sensitivity at {khz(point.frequency_hz)} (uV EMF, 10 dB (S+N)/N)",
                f"{engineering(point.limit_v, 'V')}" if point.limit_v else "no figure",
                engineering(found, "V") if found else "",
                engineering(left, "V") if left else "",
                left,
                Window(None, point.limit_v) if point.limit_v else None,
            )
        )
    return rows


def _ledger(facts: ReceiverFacts, record: JobRecord) -> tuple[LedgerRow, ...]:
    rows = []
    for adjuster in facts.adjusters:
        net = record.turns_of(adjuster.key)
        touched = any(m.adjuster == adjuster.key for m in record.moves)
        if touched:
            rows.append(LedgerRow(adjuster.name, turns(net)))
    return tuple(rows)


def _decisions(journey: Journey) -> tuple[str, ...]:
    lines = []
    for step in journey.steps:
        if step.closed_because:
            lines.append(f"{step.title}: {step.closed_because}")
        elif step.key.endswith("decide") and step.notes:
            lines.append(f"{step.title}: {step.notes[0].removeprefix('Decided: ')}")
    return tuple(lines)


def _next_check(journey: Journey) -> str:
    ramp = next((s for s in journey.steps if s.key == RAMP), None)
    if ramp and any("tired" in line for line in ramp.advice):
        return "Read B+ again in half a year: the rectifier is tired and its emission falls first."
    return "Read B+ and the dial marks again in a year."
