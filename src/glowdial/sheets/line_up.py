"""A line-up as people write it: one tube, transistor or lamp a line.

``V1 12X8 converter 12.6 V 0.15 A``: place, type, what it does, and its heater's volts and current
where it has one; ``direct`` for a directly heated filament; ``38 mA from first`` for what it draws
of B+ and at which filter capacitor, first or last.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import AC_VOLTS, CURRENT, parse
from glowdial.sheets.receiver import Tube

LINE_EXAMPLE = "V1 12X8 converter 12.6 V 0.15 A"
MOST_LINES = 60
PLACE = re.compile(r"[A-Za-z0-9]{1,12}")
HEATER_VOLTS = re.compile(r"(?<![\w.,])\d+(?:[.,]\d+)?\s*V(?!\w)", re.IGNORECASE)
HEATER_CURRENT = re.compile(r"(?<![\w.,])\d*[.,]?\d+\s*m?A(?!\w)", re.IGNORECASE)
FEED = re.compile(
    r"(?P<drawn>\d*[.,]?\d+\s*m?A)\s+from\s+(?:the\s+)?(?P<node>first|last)(?:\s+filter)?\b",
    re.IGNORECASE,
)
DIRECT = re.compile(r"\bdirect(?:ly heated)?\b", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class LineUp:
    """The tubes of a line-up, the places of those that are directly heated, and what is drawn of B+
    at the first filter capacitor, in A, as far as the lines say where they are fed from."""

    tubes: tuple[Tube, ...] = ()
    direct: frozenset[str] = frozenset()
    first_a: float = 0.0


def read_line_up(text: str) -> LineUp:
    """Raises BadInput naming the line that is not understood, or a place that stands twice."""
    lines = [line.strip() for line in re.split(r"[\n;]", text) if line.strip()]
    if len(lines) > MOST_LINES:
        raise BadInput("tubes", f"{len(lines)} lines", f"are over {MOST_LINES}", LINE_EXAMPLE)
    tubes: list[Tube] = []
    direct: set[str] = set()
    first_a = 0.0
    for number, line in enumerate(lines, start=1):
        fed = FEED.search(line)
        if fed is not None:
            drawn_a = parse(fed["drawn"], CURRENT, f"tubes, line {number}, drawn")
            first_a += drawn_a if fed["node"].lower() == "first" else 0.0
            line = line.replace(fed.group(), " ", 1)
        tube = _tube(line, f"tubes, line {number}")
        if any(t.position == tube.position for t in tubes):
            raise BadInput(
                f"tubes, line {number}", tube.position, "stands twice; each place once", "V2"
            )
        tubes.append(tube)
        if DIRECT.search(line):
            direct.add(tube.position)
    return LineUp(tuple(tubes), frozenset(direct), first_a)


def _tube(line: str, label: str) -> Tube:
    volts, current = HEATER_VOLTS.search(line), HEATER_CURRENT.search(line)
    if (volts is None) != (current is None):
        raise BadInput(
            label, line[:60], "must give both of a heater, volts and current", LINE_EXAMPLE
        )
    words = line
    for found in (volts, current, DIRECT.search(line)):
        words = words.replace(found.group(), " ", 1) if found else words
    place, kind, *does = words.replace(",", " ").split() + [""] * 2
    if not PLACE.fullmatch(place) or not kind:
        raise BadInput(label, line[:60], "must begin with its place and its type", LINE_EXAMPLE)
    return Tube(
        position=place,
        type=kind,
        function=" ".join(does).strip(),
        heater_v=parse(volts.group(), AC_VOLTS, f"{label}, heater") if volts else None,
        heater_a=parse(current.group(), CURRENT, f"{label}, heater") if current else None,
    )
