"""Dial calibration: the final pass in the cabinet, five marks a band, curve and worst error."""

from __future__ import annotations

import numpy as np

from glowdial.core.journey.record import CABINET, JobRecord
from glowdial.core.journey.steps import (
    Lead,
    Plot,
    PlotLine,
    Result,
    Stage,
    Step,
    confirm,
    settle,
)
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.curve import DialCurve, DialMark
from glowdial.core.stages.tracking.steps import (
    band_adjusters,
    dial_leads,
    mark_ask,
    mark_cost,
    mark_result,
)

CABINET_STEP = "dial.cabinet"
CURVE_POINTS = 41


def dial_steps(facts: ReceiverFacts, record: JobRecord) -> list[Step]:
    """Back into the cabinet, then the marks of every band."""
    return [_cabinet(facts, record), *(_marks(facts, record, band) for band in facts.bands)]


def _cabinet(facts: ReceiverFacts, record: JobRecord) -> Step:
    step = Step(
        CABINET_STEP,
        Stage.DIAL,
        "Put the chassis back into its cabinet, leads through",
        "Out of the cabinet a knock or the missing screen undoes the work; this pass is the last.",
        leads=tuple(Lead(lead.source, lead.through, lead.to) for lead in dial_leads(facts)),
        powered=True,
        change=(CABINET, "in"),
    )
    ask = confirm("in", "In the cabinet, screws in, pointer free.")
    return settle(step, remaining=None if record.latest(CABINET_STEP, "in") else ask)


def _marks(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = f"dial.{band.key}"
    spoiled = record.last_touch(
        (*band_adjusters(band), *facts.if_adjusters()), (CABINET, "oscillator", "if")
    )
    remaining = None
    results: list[Result] = []
    last = None
    for mark in band.dial_marks_hz:
        ask = mark_ask(facts, band, mark, f"{mark:.0f}")
        answer = record.latest(key, ask.key)
        if answer is not None:
            stale = answer.seq < spoiled
            results.append(
                mark_result(band, mark, answer, label=khz(mark), stale=stale, as_found=False)
            )
            if results[-1].judgement.verdict.outside:
                last = ask
        if remaining is None and (answer is None or answer.seq < spoiled):
            remaining = ask
    curve = dial_curve(record, band)
    complete = remaining is None and curve is not None
    step = Step(
        key,
        Stage.DIAL,
        f"{band.name}: read {len(band.dial_marks_hz)} marks of the dial",
        "The curve between the marks is drawn, and any reading can be corrected by it.",
        results=tuple(results),
        advice=_advice(band, curve) if complete and curve else (),
        leads=dial_leads(facts),
        powered=True,
        plot=_plot(band, curve),
        cost=_cost(band, curve) if curve else "",
    )
    return settle(step, remaining=remaining, retake=last)


def dial_curve(record: JobRecord, band: BandFacts) -> DialCurve | None:
    """The dial's error curve from the marks read so far; None below two."""
    marks = tuple(
        DialMark(mark, answer.values["frequency"])
        for mark in band.dial_marks_hz
        if (answer := record.latest(f"dial.{band.key}", f"{mark:.0f}")) is not None
    )
    return DialCurve(marks) if len(marks) >= 2 else None


def _advice(band: BandFacts, curve: DialCurve) -> tuple[str, ...]:
    worst = curve.worst()
    words = (
        f"Worst error {worst.error_hz / 1e3:+.1f} kHz at {khz(worst.dial_hz)} "
        f"({worst.error_hz / worst.dial_hz * 100:+.2f} %). Where the dial says "
        f"{khz(worst.dial_hz)}, {khz(worst.true_hz)} comes in."
    )
    if abs(worst.error_hz) > band.tolerance_hz(worst.dial_hz):
        return (words, "Outside: go back to the oscillator, or close it with the reason.")
    return (words,)


def _cost(band: BandFacts, curve: DialCurve) -> str:
    off = [m for m in curve.marks if abs(m.error_hz) > band.tolerance_hz(m.dial_hz)]
    return "; ".join(mark_cost(band, m.dial_hz, m.true_hz) for m in off)


def _plot(band: BandFacts, curve: DialCurve | None) -> Plot | None:
    if curve is None:
        return None
    scale, unit = (1e6, "MHz") if band.high_hz >= 3e6 else (1e3, "kHz")
    grid = np.linspace(curve.marks[0].dial_hz, curve.marks[-1].dial_hz, CURVE_POINTS)
    correction = curve.correction_hz(grid)
    read = PlotLine(
        "read",
        "measured",
        tuple(m.dial_hz / scale for m in curve.marks),
        tuple(m.error_hz / 1e3 for m in curve.marks),
    )
    line = PlotLine(
        "curve",
        "left",
        tuple(float(f) / scale for f in grid),
        tuple(float(c) / 1e3 for c in correction),
    )
    limits = tuple(
        PlotLine(
            name,
            name,
            tuple(float(f) / scale for f in grid),
            tuple(sign * band.tolerance * float(f) / 1e3 for f in grid),
        )
        for name, sign in (("low", -1.0), ("high", 1.0))
    )
    return Plot(f"Dial error, {band.name}", f"dial ({unit})", "error (kHz)", (*limits, line, read))
