"""FM receivers: every measurement of the list as a step, before and after; what its curves tell.

Nobody has to take them; each may be read by instruments, typed point by point, or come from a file.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from glowdial.core.bench.recipe import Doing, Hearing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.journey.dial_marks import band_adjusters
from glowdial.core.journey.level_path import level_path
from glowdial.core.journey.readings import asked_at
from glowdial.core.journey.record import (
    CABINET,
    NOTHING,
    PART_AREAS,
    Answer,
    Basis,
    JobRecord,
    question_name,
)
from glowdial.core.journey.room import ReportRow, Situation, report_row
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.signal_in import signal_lead
from glowdial.core.journey.steps import (
    Ask,
    Field,
    Lead,
    Result,
    Status,
    Step,
    result,
)
from glowdial.core.language.quantities import engineering
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.proof.figure import Counting, counting, offered
from glowdial.core.stages.proof.fm_points import (
    FILE,
    LIST_ASK,
    LIST_FIELD,
    LIST_STEP,
    OF_METER,
    OF_SETTING,
    POINT,
    X,
    field_name,
    fm_key,
    fm_list,
    taken,
    taken_of,
    told_key,
)
from glowdial.core.stages.proof.fm_words import (
    curve_plot,
    curve_words,
    figure_words,
    limit_words,
    point_words,
    position_words,
    set_words,
    unit_of,
    window_at,
)
from glowdial.core.tuner.causes import told
from glowdial.core.tuner.drive import Drive
from glowdial.core.tuner.measurement import Measurement, MeasurementList

STAGE = "proof"


TAKE_LIST = Ask(
    LIST_ASK,
    "The list as a document: take it as it is, or edit it.",
    (Field(LIST_FIELD, "measurements", multiline=True, table=True),),
    '{"format": "glowdial-measurements", ...}',
    called="take the list",
)


def fm_facts(facts: ReceiverFacts) -> ReceiverFacts | None:
    """The set as its FM sees it; None where it has none."""
    if facts.circuit.fm is not None:
        return facts
    modes = [c.mode for c in facts.chains if c.fm is not None]
    return facts.on_chain(modes[0]) if modes else None


def list_steps(situation: Situation) -> list[Step]:
    """Where the list is taken, for a set with FM."""
    if fm_facts(situation.facts) is None:
        return []
    return [_list_step(situation.record)]


def fm_steps(situation: Situation, phase: str) -> list[Step]:
    """The measurements of the list that was taken, and what they tell.

    As found they are offered until an adjuster is turned, and stay where something was read; as
    left once something was read or done.
    """
    facts, record = fm_facts(situation.facts), situation.record
    listed = fm_list(record) if facts is not None else None
    if facts is None or listed is None or not _offered(record, listed, phase):
        return []
    steps = [_measurement_step(facts, record, listed, m, phase) for m in listed.measurements]
    if phase == FOUND and record.turned:
        steps = [s for s in steps if s.results]
    return [*steps, _told_step(facts, record, listed, phase)]


def _offered(record: JobRecord, listed: MeasurementList, phase: str) -> bool:
    begun = any(record.of_step(fm_key(FOUND, m)) for m in listed.measurements)
    if phase == FOUND:
        return begun or not record.turned
    return begun or bool(record.turned or record.changed)


@dataclass(frozen=True, slots=True)
class WaitingPoint:
    """A point that a run has still to read: its step, its question, the point in words, and the
    position of the set's own switch that it wants ("" for wherever it stands)."""

    step: str
    ask: str
    words: str
    position: str


def fm_waiting(situation: Situation, phase: str) -> list[WaitingPoint]:
    """What a run of the list has still to read, or to read again, one position of a switch after
    the other. Nothing where the phase is not open: adjusters were turned, or nothing was done."""
    facts, record = fm_facts(situation.facts), situation.record
    listed = fm_list(record) if facts is not None else None
    if facts is None or listed is None or not _offered(record, listed, phase):
        return []
    found, basis = [], _basis(facts, phase)
    positions = listed.positions()
    for measured in listed.measurements:
        key = fm_key(phase, measured)
        fresh = [a for a in record.of_step(key) if not record.stale(a, basis)]
        if phase == FOUND and record.turned and not fresh:
            continue
        rows = taken_of(fresh, measured)
        for x in measured.points:
            if x not in rows:
                name = question_name(POINT, ((X, x),))
                words = f"{measured.title}: {point_words(measured, x)}"
                found.append(WaitingPoint(key, name, words, measured.set.position))
    return sorted(found, key=lambda w: positions.index(w.position))


def _list_step(record: JobRecord) -> Step:
    listed = fm_list(record)
    notes: tuple[str, ...] = ()
    if listed is not None:
        readings = sum(len(m.points) * len(m.readings) for m in listed.measurements)
        notes = (f"{len(listed.measurements)} measurements, {readings} readings.",)
    return Step(
        LIST_STEP,
        STAGE,
        "FM: the list of measurements",
        "What is measured of an FM receiver, by the methods of IEC 60315-4: as it comes with the "
        "application, or as this bench edits it. The job keeps the list that it was measured by. "
        'An entry with "positions": ["wide", "narrow"] is taken at each of them.',
        status=Status.DONE,
        # its panel asks it: the document is there to be taken or edited
        more_asks=lambda name: TAKE_LIST if name == LIST_ASK else None,
        notes=notes,
        panels=("fm-list",),
    )


def _basis(facts: ReceiverFacts, phase: str) -> Basis:
    if phase == FOUND:
        return NOTHING
    fm = facts.circuit.fm
    keys = [k for b in facts.bands for k in (*band_adjusters(b), *b.signal_adjusters)]
    detector = (fm.primary, fm.secondary) if fm else ()
    adjusters = (*facts.if_adjusters(), *keys, *(k for k in detector if k))
    return Basis(adjusters=adjusters, areas=(CABINET, *PART_AREAS))


def _measurement_step(
    facts: ReceiverFacts,
    record: JobRecord,
    listed: MeasurementList,
    measured: Measurement,
    phase: str,
) -> Step:
    key = fm_key(phase, measured)
    counted = counting(record, key, _basis(facts, phase), lambda a: a.question)
    fresh = [a for a in counted.answers if not counted.is_stale(a)]
    rows = taken_of(fresh, measured)
    asks = [_point_ask(facts, record, measured, x) for x in measured.points]
    waiting = [a for x, a in zip(measured.points, asks, strict=True) if x not in rows]
    step = Step(
        key,
        STAGE,
        f"FM {measured.title}, as {phase}",
        f"{measured.method}. {set_words(measured)}",
        results=tuple(_results(counted, measured, phase)),
        advise=lambda: (
            *_advice(measured, rows, waiting),
            *_position_advice(record, listed, measured, phase, rows),
        ),
        leads=(
            signal_lead(facts),
            Lead("audio analyser", "its leads", "both outputs, at the recorder or loudspeakers"),
        ),
        powered=True,
        draw=lambda: curve_plot(record, measured, phase),
    )
    rest = [a for a in asks if a not in waiting]
    # a point that a file gave since is not asked for again
    given = _given_by(counted, measured).values()
    worn = tuple(dict.fromkeys(a.question for a in given if counted.is_stale(a)))
    return offered(step, [*waiting, *rest, _file_ask(measured)], worn)


def _point_ask(facts: ReceiverFacts, record: JobRecord, measured: Measurement, x: float) -> Ask:
    """One point: all of its readings in one line."""
    fields = tuple(
        Field(field_name(n), r.name, OF_METER[r.look.meter])
        for n, r in enumerate(measured.readings)
    )
    hearings = tuple(
        Hearing(f.name, _through(record, measured.drive(x, r)), measured.look(x, r))
        for f, r in zip(fields, measured.readings, strict=True)
    )
    where = point_words(measured, x)
    at = measured.drive(x, measured.readings[0])
    set_v = _through(record, at).level_v
    level = f" (generator at {engineering(set_v, 'V')})" if set_v != at.level_v else ""
    names = " and ".join(_reading_words(measured, n) for n in range(len(fields)))
    ask = Ask(
        POINT,
        f"{where}{level}: {names}.",
        fields,
        " ".join(["0.52", "0.011", "0.1", "0.1"][: len(fields)]),
        called=where,
        recipe=Recipe(Doing.HEAR, setting(line_v=facts.nominal_line_v), heard=hearings),
    )
    return asked_at(ask, **{X: x})


def _through(record: JobRecord, drive: Drive) -> Drive:
    """What the generator is set to for a level at the set, by the way between them."""
    path = level_path(record, drive.carrier_hz)
    return replace(drive, level_v=path.at_the_generator_v(drive.level_v)) if path else drive


def _reading_words(measured: Measurement, number: int) -> str:
    reading = measured.readings[number]
    programme = dict(reading.settings).get("programme", measured.set.programme)
    side = f" of the {reading.look.channel.value} output"
    return f"{reading.name} ({reading.look.meter.value}{side}, {programme.value})"


def _file_ask(measured: Measurement) -> Ask:
    names = ", ".join(r.name for r in measured.readings)
    quantity = OF_SETTING[measured.varies]
    return Ask(
        FILE,
        f"Points from a file (CSV), one a line: {quantity.name} ({quantity.bare}), {names}.",
        (Field(FILE, "points as CSV", multiline=True, table=True),),
        ", ".join([quantity.example, *(["0.5"] * len(measured.readings))]),
        called="points from a file",
    )


def _results(counted: Counting, measured: Measurement, phase: str) -> list[Result]:
    """The figure at every point, told of the answer that gave it; what is stale stands as such, and
    so does what is relative to it."""
    given_by = _given_by(counted, measured)
    reference = given_by.get(measured.reference) if measured.reference is not None else None
    adrift = reference is not None and counted.is_stale(reference)
    found = []
    for x, value in measured.reduced(taken_of(counted.answers, measured)).items():
        window, limit = window_at(measured, x)
        edges = tuple(
            "" if edge is None else f"{edge:g} {unit_of(measured)}, {limit.whose}" if limit else ""
            for edge in ((limit.low, limit.high) if limit else (None, None))
        )
        found.append(
            result(
                given_by[x],
                point_words(measured, x),
                figure_words(measured, value),
                value,
                window,
                (edges[0], edges[1]),
                stale=adrift or counted.is_stale(given_by[x]),
                as_found=phase == FOUND,
            )
        )
    return found


def _given_by(counted: Counting, measured: Measurement) -> dict[float, Answer]:
    """The answer that each point is told of: the last that holds it."""
    return {x: answer for answer in counted.answers for x in taken_of([answer], measured)}


def _advice(
    measured: Measurement, rows: Mapping[float, tuple[float, ...]], waiting: list[Ask]
) -> tuple[str, ...]:
    words = []
    if rows and waiting:
        words.append(f"{len(waiting)} of {len(measured.points)} points are not read yet.")
    curve = measured.reduced(rows)
    words += curve_words(measured, curve)
    bounded = [point_words(measured, x) for x, value in curve.items() if measured.bounded(value)]
    if bounded and measured.residual is not None:
        words.append(
            f"At {', '.join(bounded)} the figure is near what the generator gives by itself "
            f"({figure_words(measured, measured.residual)}): the set may be better than that."
        )
    return tuple(words)


def _position_advice(
    record: JobRecord,
    listed: MeasurementList,
    measured: Measurement,
    phase: str,
    rows: Mapping[float, tuple[float, ...]],
) -> list[str]:
    """What the switch changes against each of its other positions that was read."""
    curve = measured.reduced(rows)
    words = []
    for other in listed.beside(measured):
        beside = other.reduced(taken_of(record.of_step(fm_key(phase, other)), other))
        words.append(position_words(measured, curve, other, beside))
    return [w for w in words if w]


def _told_step(
    facts: ReceiverFacts, record: JobRecord, listed: MeasurementList, phase: str
) -> Step:
    return Step(
        told_key(phase),
        STAGE,
        f"FM: what the curves tell, as {phase}",
        "The IF is proved first: a narrow one costs separation as a decoder does. Then limiter, "
        "de-emphasis, decoder and the line.",
        status=Status.DONE,
        advise=lambda: _told_words(facts, record, listed, phase),
        panels=(f"fm-run-{phase}",),
    )


def _told_words(
    facts: ReceiverFacts, record: JobRecord, listed: MeasurementList, phase: str
) -> tuple[str, ...]:
    """What is to blame, the first first; what is sound; what cannot be told, and what it takes."""
    found = told(listed, taken(record, listed, phase, _basis(facts, phase)))
    words = [
        f"{'First' if n == 0 else 'Then'}: {e.part.value}. {e.words[0].upper()}{e.words[1:]}. "
        f"Remedy: {e.remedy}."
        for n, e in enumerate(found.named)
    ]
    if found.estimates and not found.named:
        words.append("Nothing stands out: all is within what sound receivers are.")
    others = [e.words for e in found.estimates if not e.named]
    if others:
        words.append(f"Within what sound ones are: {'; '.join(others)}.")
    return (*words, *(f"Cannot be told yet: {w}" for w in found.untold))


def fm_rows(situation: Situation) -> list[ReportRow]:
    """Every figure that has a limit, as found and as left."""
    listed = fm_list(situation.record)
    if listed is None:
        return []
    curves = {p: taken(situation.record, listed, p) for p in (FOUND, LEFT)}
    rows = []
    for measured in listed.measurements:
        found, left = (curves[p].curve(measured) for p in (FOUND, LEFT))
        for x in measured.points:
            window, limit = window_at(measured, x)
            if limit is None or (x not in found and x not in left):
                continue
            value = left.get(x)
            rows.append(
                report_row(
                    f"FM {measured.title} at {point_words(measured, x)}",
                    limit_words(measured, limit),
                    figure_words(measured, found[x]) if x in found else "",
                    figure_words(measured, value) if value is not None else "",
                    value,
                    window,
                )
            )
    return rows
