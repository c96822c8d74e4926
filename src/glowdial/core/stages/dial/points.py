"""The points of a dial: what the dial says and what comes in there, however each was found."""

from __future__ import annotations

from glowdial.core.journey.dial_marks import HARMONIC, as_read, pointed_hz
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.comma_rows import comma_rows
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import FREQUENCY, HERTZ, khz, parse
from glowdial.core.model.facts import BandFacts
from glowdial.core.stages.dial.curve import DialCurve, DialMark

# a mark that was asked for, a list of points
MARK, POINTS = "mark", "points"
EXAMPLE = "1404, 1400"
MOST_POINTS = 200


def dial_key(band: BandFacts) -> str:
    """The step in which a band's dial is read."""
    return f"dial.{band.key}"


def mark_of(answer: Answer) -> float:
    """The mark that a reading of the dial tells of: its own, or the harmonic's."""
    return answer.asked_at("true_hz" if answer.ask == HARMONIC else "dial_hz")


def marks_read(record: JobRecord, band: BandFacts) -> dict[float, Answer]:
    """The readings of a band's dial by their marks."""
    return {
        mark_of(a): as_read(a) for a in record.of_step(dial_key(band)) if a.ask in (MARK, HARMONIC)
    }


def dial_points(record: JobRecord, band: BandFacts) -> tuple[DialMark, ...]:
    """Every point of a band's dial in rising order: of two at one place the last counts."""
    found: dict[float, float] = {}
    listed = record.latest(dial_key(band), POINTS)
    if listed is not None:
        found.update({p.dial_hz: p.true_hz for p in read_points(listed.texts["points"], band)})
    for mark_hz, answer in marks_read(record, band).items():
        found[pointed_hz(band, answer, mark_hz)] = answer.values["frequency"]
    return tuple(DialMark(dial, found[dial]) for dial in sorted(found))


def dial_curve(record: JobRecord, band: BandFacts) -> DialCurve | None:
    """The dial's error curve from the marks read so far; None below two."""
    marks = dial_points(record, band)
    return DialCurve(marks) if len(marks) >= 2 else None


def points_ask() -> Ask:
    """Points from a list or a card, of this set or of a session on paper."""
    return Ask(
        POINTS,
        "Points of this dial as CSV, one a line: dial reading, true frequency (kHz); or a "
        "correction card as it was saved here.",
        (Field("points", "points as CSV", multiline=True, table=True),),
        EXAMPLE,
        called="points from a list",
    )


def read_points(text: str, band: BandFacts) -> tuple[DialMark, ...]:
    """Points as CSV, one a line: dial reading and true frequency, bare numbers in kHz; or a saved
    correction card, of which the lines of this band that were read count. The dial's figures are
    those on its scale, also where the band was moved. Raises BadInput with the line."""
    rows = comma_rows(text, "points", EXAMPLE)
    head = [c.lower() for c in rows[0]] if rows else []
    card = {"dial_hz", "true_hz"} <= set(head)
    found: dict[float, DialMark] = {}
    for number, cells in enumerate(rows, start=1):
        if not cells or (number == 1 and (card or cells[0].lower().startswith("dial"))):
            continue
        point = _card_point(head, cells, number, band) if card else _point(cells, number)
        if point is None:
            continue
        _check(point, number, band)
        at_hz = band.at_pointer_hz(point.dial_hz)
        found[at_hz] = DialMark(at_hz, point.true_hz)
    if len(found) > MOST_POINTS:
        raise BadInput("points", f"{len(found)} lines", f"are over {MOST_POINTS}", EXAMPLE)
    if not found:
        raise BadInput("points", text[:40], f"hold no point of {band.name}", EXAMPLE)
    return tuple(found[dial] for dial in sorted(found))


def _point(cells: list[str], number: int) -> DialMark:
    if len(cells) != 2:
        raise BadInput(f"points, line {number}", ",".join(cells), "is dial, true", EXAMPLE)
    dial, true = (parse(c, FREQUENCY, f"points, line {number}") for c in cells)
    return DialMark(dial, true)


def _card_point(head: list[str], cells: list[str], number: int, band: BandFacts) -> DialMark | None:
    if len(cells) != len(head):
        raise BadInput(f"points, line {number}", ",".join(cells), "is cut short", ",".join(head))
    row = dict(zip(head, cells, strict=True))
    if row.get("band", band.name) != band.name or row.get("read", "yes") != "yes":
        return None
    try:
        return DialMark(float(row["dial_hz"]), float(row["true_hz"]))
    except ValueError:
        raise BadInput(
            f"points, line {number}", ",".join(cells), "needs frequencies in Hz", "1404000,1400000"
        ) from None


def _check(point: DialMark, number: int, band: BandFacts) -> None:
    shown = band.printed or band
    if not shown.low_hz <= point.dial_hz <= shown.high_hz:
        raise BadInput(
            f"points, line {number}",
            khz(point.dial_hz),
            f"is not on this scale, {khz(shown.low_hz)} to {khz(shown.high_hz)}",
            EXAMPLE,
        )
    if not HERTZ.minimum < point.true_hz or not 0.5 < point.true_hz / point.dial_hz < 2.0:
        raise BadInput(
            f"points, line {number}",
            f"{khz(point.dial_hz)} and {khz(point.true_hz)}",
            "cannot be one place of a dial",
            EXAMPLE,
        )
