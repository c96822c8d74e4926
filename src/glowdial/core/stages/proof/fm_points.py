"""The points of an FM receiver's list of measurements as the record holds them: the list that was
taken, and what was read, point by point or from a file."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from glowdial.core.journey.record import NOTHING, Answer, Basis, JobRecord
from glowdial.core.journey.room import Entering
from glowdial.core.journey.sensitivity_figure import FOUND, LEFT
from glowdial.core.journey.steps import Ask
from glowdial.core.language.comma_rows import comma_rows
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    DEGREES,
    DEVIATION,
    FREQUENCY_MHZ,
    HERTZ,
    LEVEL,
    LEVEL_OVER,
    OFFSET,
    PER_CENT,
    PER_CENT_OF_TONE,
    Quantity,
    bare_scale,
    parse,
)
from glowdial.core.tuner.drive import AudioMeter
from glowdial.core.tuner.listing import read_list
from glowdial.core.tuner.measurement import Measurement, MeasurementList, TunerReadings

LIST_STEP, LIST_ASK, LIST_FIELD = "proof.fm-list", "list", "list"
POINT, FILE = "point", "file"
X = "x"
OF_SETTING: Mapping[str, Quantity] = {
    "carrier_hz": FREQUENCY_MHZ,
    "level_v": LEVEL,
    "deviation_hz": DEVIATION,
    "audio_hz": HERTZ,
    "pilot_phase_deg": DEGREES,
    "am_depth": PER_CENT,
    "other_offset_hz": OFFSET,
    "other_level_v": LEVEL,
}
OF_METER: Mapping[AudioMeter, Quantity] = {
    AudioMeter.VOLTS: AUDIO_VOLTS,
    AudioMeter.TONE: AUDIO_VOLTS,
    AudioMeter.DISTORTION: PER_CENT_OF_TONE,
    AudioMeter.UNWANTED: LEVEL_OVER,
}
# what is typed in another unit than it is kept in
TYPED_OVER_SI = {"am_depth": 100.0}
MOST_ROWS, SAME = 200, 1e-6


def fm_list(record: JobRecord) -> MeasurementList | None:
    """The list that this job takes its measurements from; None until one was taken."""
    answer = record.latest(LIST_STEP, LIST_ASK)
    return read_list(answer.texts[LIST_FIELD]) if answer else None


def fm_key(phase: str, measured: Measurement) -> str:
    """Key of the step of a measurement, as found or as left."""
    return f"{told_key(phase)}.{measured.key}"


def told_key(phase: str) -> str:
    """Key of the step that tells what the curves of a phase say."""
    return f"proof.fm-{phase}"


def typed_of(measured: Measurement, x: float) -> float:
    """A point in what its quantity counts in."""
    return x * TYPED_OVER_SI.get(measured.varies, 1.0)


def field_name(number: int) -> str:
    """What a reading's field is called: readings may be named anything."""
    return f"r{number + 1}"


def taken_of(answers: Sequence[Answer], measured: Measurement) -> dict[float, tuple[float, ...]]:
    """What a measurement's step holds, by point: the last of two readings of a point counts."""
    found: dict[float, tuple[float, ...]] = {}
    for answer in answers:
        if answer.ask == FILE:
            found.update(read_points(answer.texts[FILE], measured))
        elif answer.ask == POINT:
            values = [answer.values[field_name(n)] for n in range(len(measured.readings))]
            found[answer.asked_at(X)] = _si(values, measured)
    return dict(sorted(found.items()))


def taken(
    record: JobRecord, listed: MeasurementList, phase: str, basis: Basis = NOTHING
) -> TunerReadings:
    """Everything that was read in a phase and is not stale by what it rests on."""
    return TunerReadings(
        {
            m.key: taken_of(
                [a for a in record.of_step(fm_key(phase, m)) if not record.stale(a, basis)], m
            )
            for m in listed.measurements
        }
    )


def check_fm(record: JobRecord, step: str, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for a list, or points of a file, that are not understood."""
    if step == LIST_STEP and ask.key == LIST_ASK:
        read_list(kept.texts[LIST_FIELD])
        return
    if ask.key != FILE:
        return
    listed = fm_list(record)
    for phase in (FOUND, LEFT):
        for measured in listed.measurements if listed else ():
            if step == fm_key(phase, measured):
                read_points(kept.texts[FILE], measured)


def _point(typed: float, measured: Measurement) -> float:
    """A typed point: one of the list's where it is that but for its last figures."""
    x = typed / TYPED_OVER_SI.get(measured.varies, 1.0)
    same = (p for p in measured.points if math.isclose(p, x, rel_tol=SAME))
    return next(same, x)


def _si(values: list[float], measured: Measurement) -> tuple[float, ...]:
    """Shares, of what is kept in per cent."""
    return tuple(
        v / 100.0 if r.look.meter is AudioMeter.DISTORTION else v
        for v, r in zip(values, measured.readings, strict=True)
    )


def read_points(text: str, measured: Measurement) -> dict[float, tuple[float, ...]]:
    """Points as CSV, one a line: the point, then each reading, in the units that they are typed in;
    a first line of names is passed over. Raises BadInput with the line."""
    quantity, count = OF_SETTING[measured.varies], len(measured.readings)
    example = ", ".join([quantity.example, *(["0.5"] * count)])
    found: dict[float, tuple[float, ...]] = {}
    for number, cells in enumerate(comma_rows(text, "points", example), start=1):
        if not cells or (number == 1 and not any(c.isdigit() for c in cells[0])):
            continue
        where = f"points, line {number}"
        if len(cells) != 1 + count:
            names = ", ".join(["point", *(r.name for r in measured.readings)])
            raise BadInput(where, ",".join(cells)[:60], f"must hold {names}", example)
        x = _point(parse(cells[0], quantity, where), measured)
        values = [
            parse(c, OF_METER[r.look.meter], f"{where}, {r.name}")
            for c, r in zip(cells[1:], measured.readings, strict=True)
        ]
        found[x] = _si(values, measured)
    if not 0 < len(found) <= MOST_ROWS:
        raise BadInput("points", f"{len(found)} lines", f"must be 1 to {MOST_ROWS}", example)
    return found


def points_csv(measured: Measurement, rows: Mapping[float, tuple[float, ...]]) -> str:
    """Points as the file that ``read_points`` reads: bare numbers in the units that are typed."""
    quantity = OF_SETTING[measured.varies]
    lines = [",".join([f"{quantity.name} ({quantity.bare})", *(r.name for r in measured.readings)])]
    for x, row in rows.items():
        first = f"{typed_of(measured, x) / bare_scale(quantity):.10g}"
        values = [
            f"{v * (100.0 if r.look.meter is AudioMeter.DISTORTION else 1.0):.6g}"
            for v, r in zip(row, measured.readings, strict=True)
        ]
        lines.append(",".join([first, *values]))
    return "\n".join(lines) + "\n"
