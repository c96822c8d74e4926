"""The parts between generator and set as people type them, one a line."""

from __future__ import annotations

import re

from glowdial.core.language.comma_rows import comma_rows
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    DECIBELS,
    LEVEL_OVER,
    PER_CENT,
    RESISTANCE,
    SOURCE_OHM,
    parse,
)
from glowdial.core.physics.level_path import (
    UNKNOWN_DOUBT_DB,
    UNKNOWN_LOSS_DB,
    LeadKind,
    PathPart,
    resistor_part,
)
from glowdial.core.physics.pads import Arm, BuiltPad

EXAMPLE = "cable RG-1, 0.4, 0.1"
RESISTORS_EXAMPLE = "pad, series 43 across 33 series 43, 1 %, 50 to 50"
UNKNOWN = "?"
MOST_PARTS, MOST_ARMS = 20, 12
# what resistors of no stated tolerance are taken for
TOLERANCE_PER_CENT = 5.0
ARM = re.compile(r"(series|across)\s+(\S+(?:\s*(?:ohms?|k))?)", re.IGNORECASE)
BETWEEN = re.compile(r"^(?:from\s+)?(.+?)(?:\s+to\s+(.+))?$", re.IGNORECASE)
NAMED = (
    (re.compile(r"pad|attenuator", re.IGNORECASE), LeadKind.PAD),
    (re.compile(r"balun|transformer|match", re.IGNORECASE), LeadKind.MATCHING),
    (re.compile(r"cable|coax|lead|line", re.IGNORECASE), LeadKind.CABLE),
)


def read_parts(text: str) -> list[PathPart]:
    """Parts as CSV, one a line: name, loss in dB (a ``?`` for one that nobody knows), what it may
    be off, and from which ohm to which it leads; or for the loss its resistors, and for the doubt
    their tolerance. Raises BadInput with the line."""
    found = []
    for number, cells in enumerate(comma_rows(text, "parts", EXAMPLE), start=1):
        if cells:
            found.append(_part(cells, f"parts, line {number}"))
    if not 0 < len(found) <= MOST_PARTS:
        raise BadInput("parts", f"{len(found)} lines", f"must be 1 to {MOST_PARTS}", EXAMPLE)
    return found


def _part(cells: list[str], where: str) -> PathPart:
    if not 2 <= len(cells) <= 4 or not cells[0] or not cells[1]:
        raise BadInput(where, ",".join(cells)[:60], "is name, loss, doubt, from to", EXAMPLE)
    name, loss, doubt, ohms = (*cells, "", "")[:4]
    if ARM.search(loss):
        return _resistors(name, loss, doubt, ohms, where)
    from_ohm, to_ohm = _between(ohms, where) if ohms else (0.0, 0.0)
    kind = next((k for words, k in NAMED if words.search(name)), LeadKind.PART)
    kind = LeadKind.MATCHING if from_ohm != to_ohm else kind
    if loss == UNKNOWN:
        doubt_db = parse(doubt, DECIBELS, where) if doubt else UNKNOWN_DOUBT_DB
        return PathPart(
            name, UNKNOWN_LOSS_DB, doubt_db, LeadKind.MATCHING, from_ohm, to_ohm, known=False
        )
    doubt_db = parse(doubt, DECIBELS, where) if doubt else 0.0
    return PathPart(name, parse(loss, LEVEL_OVER, where), doubt_db, kind, from_ohm, to_ohm)


def _resistors(name: str, arms: str, tolerance: str, ohms: str, where: str) -> PathPart:
    left = ARM.sub("", arms).strip(" ;")
    pairs = ARM.findall(arms)
    if left or len(pairs) > MOST_ARMS or not ohms:
        wrong = left or ("no source resistance" if not ohms else f"{len(pairs)} resistors")
        raise BadInput(
            where, wrong[:60], "is series and across with ohm each, and from to", RESISTORS_EXAMPLE
        )
    from_ohm, to_ohm = _between(ohms, where)
    made = tuple(
        Arm(kind.lower() == "series", _positive_ohm(value, where)) for kind, value in pairs
    )
    share = parse(tolerance, PER_CENT, where) if tolerance else TOLERANCE_PER_CENT
    return resistor_part(name, BuiltPad(made, from_ohm, to_ohm), share / 100.0)


def _positive_ohm(text: str, where: str) -> float:
    ohm = parse(text, RESISTANCE, where)
    if ohm <= 0.0:
        raise BadInput(where, text, "must be above 0 ohm: leave a wire out", RESISTORS_EXAMPLE)
    return ohm


def _between(text: str, where: str) -> tuple[float, float]:
    """From which to which ohm; one number is both."""
    match = BETWEEN.match(text)
    if match is None:
        raise BadInput(where, text, "is from which ohm to which", "75 to 300")
    first = parse(match[1], SOURCE_OHM, where)
    return first, parse(match[2], SOURCE_OHM, where) if match[2] else first
