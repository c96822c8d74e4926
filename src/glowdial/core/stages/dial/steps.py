"""Dial calibration: the final pass in the cabinet, five marks a band, curve and worst error."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from glowdial.core.journey.dial_marks import (
    as_found_key,
    as_read,
    band_adjusters,
    brought_in_hz,
    dial_leads,
    dial_scale,
    mark_ask,
    mark_cost,
    mark_result,
    scale_picture,
    scale_place,
)
from glowdial.core.journey.pictures import ScaleCorrection
from glowdial.core.journey.readings import (
    Reading,
    asked_at,
    conclude,
    confirmed,
    planned,
    reading,
    readings,
    waiting,
)
from glowdial.core.journey.record import CABINET, Answer, Basis, JobRecord
from glowdial.core.journey.room import (
    ReportPart,
    ReportPicture,
    ReportRow,
    Situation,
    pictured,
    report_row,
)
from glowdial.core.journey.steps import Ask, Plot, PlotLine, Result, Step, result
from glowdial.core.language.quantities import khz
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.air import air_test
from glowdial.core.stages.dial.calibrator import (
    CALIBRATOR,
    calibrator_ask,
    harmonic_ask,
    harmonics,
)
from glowdial.core.stages.dial.card import card_table
from glowdial.core.stages.dial.causes import cause_words
from glowdial.core.stages.dial.curve import DialCurve
from glowdial.core.stages.dial.drift import drift_step
from glowdial.core.stages.dial.points import (
    MARK,
    dial_curve,
    dial_key,
    marks_read,
    points_ask,
)
from glowdial.core.stages.dial.spreads import spread_steps
from glowdial.core.stages.dial.stage import STAGE

CABINET_STEP = "dial.cabinet"
CURVE_POINTS = 41


def dial_steps(situation: Situation) -> list[Step]:
    """Back into the cabinet, then the marks of every band and its bandspreads; where somebody wants
    them, drift runs and a test on the air."""
    steps = cabinet_steps(situation)
    for band in situation.facts.bands:
        steps += marks_steps(situation, band.key)
    return steps + afterwards_steps(situation)


def cabinet_steps(situation: Situation) -> list[Step]:
    """Back into the cabinet."""
    return [_cabinet(situation.facts, situation.record)]


def marks_steps(situation: Situation, key: str) -> list[Step]:
    """The marks of one band, and its bandspreads."""
    record, band = situation.record, situation.facts.band(key)
    seen = situation.facts.seen_by(band)
    return [_marks(seen, record, band), *spread_steps(seen, record, band)]


def afterwards_steps(situation: Situation) -> list[Step]:
    """Drift runs and the test on the air, once the set is in its cabinet."""
    facts, record = situation.facts, situation.record
    if not record.of_step(CABINET_STEP):
        return []
    return [*(drift_step(facts, record, band) for band in facts.bands), air_test(facts, record)]


def _cabinet(facts: ReceiverFacts, record: JobRecord) -> Step:
    step = Step(
        CABINET_STEP,
        STAGE,
        "Put the chassis back into its cabinet, leads through",
        "Out of the cabinet a knock or the missing screen undoes the work; this pass is the last.",
        leads=dial_leads(facts),
        powered=True,
        change=(CABINET, "in"),
    )
    return confirmed(step, record, "in", "In the cabinet, screws in, pointer free.")


def _mark_ask(facts: ReceiverFacts, band: BandFacts, mark_hz: float) -> Ask:
    ask = mark_ask(facts, band, mark_hz, MARK)
    return asked_at(replace(ask, called=khz(mark_hz)), dial_hz=mark_hz)


def _marks(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    key = dial_key(band)
    chosen = record.latest(key, CALIBRATOR)
    wanted = harmonics(band, chosen.values["spacing"]) if chosen else band.dial_marks_hz
    marks_hz = planned(record, key, wanted, chosen)
    basis = Basis(
        adjusters=(*band_adjusters(band), *facts.if_adjusters()),
        areas=(CABINET, "oscillator", "if"),
    )
    asks = [
        harmonic_ask(record, band, mark, chosen) if chosen else _mark_ask(facts, band, mark)
        for mark in marks_hz
    ]
    found = readings(record, key, asks, basis)
    results = tuple(
        mark_result(band, mark, as_read(r.answer), label=khz(mark), stale=r.stale, as_found=False)
        for mark, r in zip(marks_hz, found, strict=True)
        if r.answer is not None
    )
    curve = dial_curve(record, band)
    listed = reading(record, key, points_ask(), basis)
    covered = _covered(listed, curve, marks_hz, found)
    results += tuple(
        _listed_result(band, curve, mark, listed.answer)
        for mark in covered
        if curve and listed.answer
    )
    wanted_still = [r for mark, r in zip(marks_hz, found, strict=True) if mark not in covered]
    complete = waiting(wanted_still) is None and curve is not None
    step = Step(
        key,
        STAGE,
        f"{band.name}: read {len(marks_hz)} marks of the dial",
        "The curve between the marks is drawn, and any reading can be corrected by it.",
        results=results,
        advice=_advice(facts, band, curve) if complete and curve else (),
        leads=dial_leads(facts),
        powered=True,
        programme=marks_hz,
        others=(calibrator_ask(), points_ask()),
        draw=lambda: _plot(band, curve),
        scale=replace(
            scale_picture(
                facts,
                band,
                [
                    (mark, [*_as_found(record, band, mark), *_as_left(r)])
                    for mark, r in zip(marks_hz, found, strict=True)
                ],
                next((m for m, r in zip(marks_hz, found, strict=True) if r.fresh is None), 0.0),
            ),
            corrected=_corrected(band, curve) if curve else (),
        ),
        cost=_cost(band, curve) if curve else "",
    )
    return conclude(step, wanted_still, retake=points_ask() if covered else None)


def _covered(
    listed: Reading, curve: DialCurve | None, marks: Sequence[float], found: Sequence[Reading]
) -> tuple[float, ...]:
    """Marks that a list of points tells of: none of them was read here, and they lie within it."""
    if listed.fresh is None or curve is None or any(r.answer is not None for r in found):
        return ()
    low, high = curve.marks[0].dial_hz, curve.marks[-1].dial_hz
    return tuple(m for m in marks if low <= m <= high)


def _listed_result(band: BandFacts, curve: DialCurve, mark_hz: float, listed: Answer) -> Result:
    """What comes in at a mark by the curve through a list's points."""
    value, tolerance = curve.true_hz(mark_hz), band.tolerance_hz(mark_hz)
    return result(
        listed,
        khz(mark_hz),
        f"{khz(round(value, -1))} ({(value - mark_hz) / 1e3:+.1f} kHz), from the list",
        value,
        symmetric(mark_hz, tolerance),
        (khz(mark_hz - tolerance), khz(mark_hz + tolerance)),
    )


def _as_found(record: JobRecord, band: BandFacts, mark_hz: float) -> list[tuple[Answer, str]]:
    """What came in at an end of the scale before anything was turned."""
    answer = as_found_answers(record, band).get(mark_hz)
    return [(answer, "as found")] if answer is not None else []


def _corrected(band: BandFacts, curve: DialCurve) -> tuple[ScaleCorrection, ...]:
    """The curve read at places between the outer marks, in steps that a pointer can be set to."""
    low, high = curve.marks[0].dial_hz, curve.marks[-1].dial_hz
    grid = np.linspace(low, high, CURVE_POINTS)
    return tuple(
        ScaleCorrection(
            scale_place(band, hz),
            khz(round(band.pointer_hz(hz), -3)),
            khz(round(curve.true_hz(hz), -2)),
        )
        for hz in (round(float(hz), -3) for hz in grid)
        if low <= hz <= high
    )


def _as_left(found: Reading) -> list[tuple[Answer, str]]:
    return [(as_read(found.answer), "as left")] if found.answer is not None else []


def as_found_answers(record: JobRecord, band: BandFacts) -> dict[float, Answer]:
    """What was read before anything was turned, at both ends."""
    return {
        mark: answer
        for mark, name in ((band.high_mark_hz, "high"), (band.low_mark_hz, "low"))
        if (answer := record.latest(as_found_key(band), name)) is not None
    }


def _advice(facts: ReceiverFacts, band: BandFacts, curve: DialCurve) -> tuple[str, ...]:
    worst = curve.worst()
    words = (
        f"Worst error {worst.error_hz / 1e3:+.1f} kHz at {khz(worst.dial_hz)} "
        f"({worst.error_hz / worst.dial_hz * 100:+.2f} %). Where the dial says "
        f"{khz(band.pointer_hz(worst.dial_hz))}, {khz(worst.true_hz)} comes in."
    )
    if abs(worst.error_hz) > band.tolerance_hz(worst.dial_hz):
        return (
            words,
            *cause_words(facts, band, curve),
            "Outside: go back to the oscillator, or close it with the reason.",
        )
    return (words,)


def _cost(band: BandFacts, curve: DialCurve) -> str:
    off = [m for m in curve.marks if abs(m.error_hz) > band.tolerance_hz(m.dial_hz)]
    return "; ".join(mark_cost(band, m.dial_hz, m.true_hz) for m in off)


def _plot(band: BandFacts, curve: DialCurve | None) -> Plot | None:
    if curve is None:
        return None
    scale, unit = dial_scale(band)
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


def dial_report(situation: Situation, steps: tuple[Step, ...]) -> ReportPart:
    """Dial errors of every band, as found and as left."""
    rows: list[ReportRow] = []
    pictures: list[ReportPicture] = []
    for band in situation.facts.bands:
        rows += _rows(situation.record, band)
        step = next((s for s in steps if s.key == f"dial.{band.key}"), None)
        pictures += pictured(f"{band.name} scale", step)
        card = card_table(situation.record, band)
        if card is not None:
            title = f"{band.name}: where the dial says, what comes in ({dial_scale(band)[1]})"
            pictures.append(ReportPicture(title, table=card))
    return ReportPart(rows=tuple(rows), pictures=tuple(pictures))


def _rows(record: JobRecord, band: BandFacts) -> list[ReportRow]:
    left_hz = {m: brought_in_hz(band, a, m) for m, a in marks_read(record, band).items()}
    found_hz = {
        mark: brought_in_hz(band, answer, mark)
        for mark, answer in as_found_answers(record, band).items()
    }
    rows = []
    chosen = record.latest(dial_key(band), CALIBRATOR)
    wanted = harmonics(band, chosen.values["spacing"]) if chosen else band.dial_marks_hz
    for mark in planned(record, dial_key(band), wanted, chosen):
        left, found, tolerance = left_hz.get(mark), found_hz.get(mark), band.tolerance_hz(mark)
        rows.append(
            report_row(
                f"{band.name} dial at {khz(mark)}",
                f"within {khz(tolerance)}",
                f"{(found - mark) / 1e3:+.1f} kHz" if found is not None else "",
                f"{(left - mark) / 1e3:+.1f} kHz" if left is not None else "",
                left,
                symmetric(mark, tolerance),
            )
        )
    return rows
