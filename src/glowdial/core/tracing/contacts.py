"""Contacts: a survey of one path by band or relay position, and a wetting current through it.

A position is bad where the mean of its readings, leads taken off, lies above the expected path by
more than max(3 x 1.4826 x MAD, 10 %, the meter's resolution), MAD being that of the relative
excesses of all positions that are not bad: contacts only ever add resistance, so the bad ones are
taken out and the scale is estimated anew until nothing changes. A position whose readings scatter
far beyond the others' is unstable. The plain rule of three MADs on twelve positions cries wolf in
one survey of nine.
Source: robust outlier rules of statistics (median absolute deviation), and Ohm's law.
"""

from __future__ import annotations

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import engineering
from glowdial.core.model.blocks import BlockDiagram, PartFamily

MADS, NORMAL = 3.0, 1.4826
LEAST_SHARE = 0.10
READINGS = 3
# a scatter so many times the usual one, and so much of the path at least, is no needle's unrest
SCATTERS, LEAST_SCATTER = 4.0, 0.15
# with more than a third bad, the rest is no measure of them any more
MOST_BAD_SHARE = 1.0 / 3.0
LEAST_POSITIONS = 5
MOST_WETTING_A = 0.5


class ContactVerdict(StrEnum):
    """What a position's readings say."""

    GOOD = "good"
    HIGH = "high"
    UNSTABLE = "unstable"


@dataclass(frozen=True, slots=True)
class PositionReadings:
    """The readings of a position in ohm, as read, and the path that is expected there (coils and
    good contacts), None where nobody knows it."""

    position: str
    ohm: tuple[float, ...]
    expected_ohm: float | None = None


@dataclass(frozen=True, slots=True)
class PositionFound:
    """A position judged: its mean with the leads taken off, what it may be at most, the verdict."""

    position: str
    mean_ohm: float
    expected_ohm: float
    most_ohm: float
    verdict: ContactVerdict


@dataclass(frozen=True, slots=True)
class Survey:
    """All positions; ``repeat`` is why the verdicts want another look, "" where they stand."""

    positions: tuple[PositionFound, ...]
    repeat: str = ""

    @property
    def bad(self) -> tuple[str, ...]:
        """The positions that are high or unstable."""
        return tuple(p.position for p in self.positions if p.verdict is not ContactVerdict.GOOD)


def survey(
    readings: Sequence[PositionReadings], *, leads_ohm: float, resolution_ohm: float = 0.1
) -> Survey:
    """Judge a path by its positions.

    Where no path is expected, the least mean of all positions stands in, and it is said that such a
    verdict wants a repeat on another band or after working the contact. Raises BadInput for a
    position without readings, or readings below the leads'.
    """
    means = [_mean(r, leads_ohm, resolution_ohm) for r in readings]
    if not means:
        raise BadInput("positions", "none", "are surveyed", "three readings on each band")
    known = [r.expected_ohm for r in readings if r.expected_ohm is not None]
    least = max(min(means), resolution_ohm)
    expected = [r.expected_ohm if r.expected_ohm is not None else least for r in readings]
    unstable = _unstable(readings, expected, resolution_ohm)
    excess = [m / e - 1.0 for m, e in zip(means, expected, strict=True)]
    bound = _bound(excess, unstable)
    found = []
    for n, one in enumerate(readings):
        most = expected[n] + max(bound * expected[n], resolution_ohm)
        verdict = ContactVerdict.HIGH if means[n] > most else ContactVerdict.GOOD
        if unstable[n]:
            verdict = ContactVerdict.UNSTABLE
        found.append(PositionFound(one.position, means[n], expected[n], most, verdict))
    return Survey(tuple(found), _why_repeat(found, len(known) == len(readings)))


def _mean(one: PositionReadings, leads_ohm: float, resolution_ohm: float) -> float:
    if not one.ohm:
        raise BadInput(one.position, "no reading", "wants three", "4.3 4.3 4.4")
    mean = statistics.fmean(one.ohm) - leads_ohm
    if mean < -resolution_ohm:
        raise BadInput(
            one.position,
            f"{statistics.fmean(one.ohm):.3g} ohm",
            f"is below the leads' own {leads_ohm:.3g} ohm",
            "leads read again, tips together",
        )
    return max(mean, 0.0)


def _unstable(
    readings: Sequence[PositionReadings], expected: Sequence[float], resolution_ohm: float
) -> list[bool]:
    spans = [
        (max(r.ohm) - min(r.ohm)) / max(e, resolution_ohm)
        for r, e in zip(readings, expected, strict=True)
    ]
    usual = statistics.median(spans)
    floors = [3.0 * resolution_ohm / max(e, resolution_ohm) for e in expected]
    return [
        span > max(SCATTERS * usual, LEAST_SCATTER, floor)
        for span, floor in zip(spans, floors, strict=True)
    ]


def _bound(excess: Sequence[float], unstable: Sequence[bool]) -> float:
    """The relative excess that a good position may show."""
    left = [e for e, bad in zip(excess, unstable, strict=True) if not bad]
    bound = LEAST_SHARE
    while len(left) > 2:
        middle = statistics.median(left)
        mad = statistics.median(abs(e - middle) for e in left)
        bound = max(MADS * NORMAL * mad, LEAST_SHARE)
        kept = [e for e in left if e <= bound]
        if len(kept) == len(left) or not kept:
            break
        left = kept
    return bound


def _why_repeat(found: Sequence[PositionFound], known: bool) -> str:
    bad = sum(p.verdict is not ContactVerdict.GOOD for p in found)
    if bad == 0 and known:
        return ""
    if not known:
        return (
            "What the path should measure is not known on every band: work the bad contact, or "
            "read the same path on another band, and see whether it moves."
        )
    if len(found) < LEAST_POSITIONS or bad > MOST_BAD_SHARE * len(found):
        return (
            "Too few good positions to measure the others by: work the contacts and read again; "
            "what falls was a contact."
        )
    return ""


@dataclass(frozen=True, slots=True)
class Wetting:
    """A current through the contacts: how much, the heat of the resistor in W, and what it is
    limited by."""

    current_a: float
    resistor_w: float
    limit_a: float


# what may lie in the way of a wetting current
HARMLESS = (PartFamily.CONTACT, PartFamily.CONNECTOR, PartFamily.RELAY, PartFamily.COIL)


def check_path(diagram: BlockDiagram, first: str, last: str, position: str) -> tuple[str, ...]:
    """The blocks that a wetting current runs through, from one to another.

    Raises BadInput where the path holds anything but contacts and coils, naming it, or where no
    path is.
    """
    through = diagram.between(first, last, position)
    if not through:
        raise BadInput("path", f"{first} to {last}", f"is no path on {position}", "two ends of it")
    for key in through:
        for part, _ in diagram.block(key).parts:
            if part not in HARMLESS:
                raise BadInput(
                    "path",
                    diagram.block(key).name,
                    f"holds a {part}: only contacts and coils may lie in the way of the current",
                    "two ends with nothing else between",
                )
    return through


def wetting(
    *,
    volts: float,
    resistor_ohm: float,
    path_ohm: float,
    burden_ohm: float,
    resistor_w: float,
    contact_a: float,
    wire_a: float = MOST_WETTING_A,
) -> Wetting:
    """The current that a source drives through a resistor, the ammeter and the path.

    Raises BadInput where it exceeds what contact or thinnest wire may carry, or the resistor's
    rating.
    """
    for name, value in (("volts", volts), ("resistor", resistor_ohm)):
        if value <= 0.0:
            raise BadInput(name, f"{value:g}", "must be above 0", "12 V, 47 ohm")
    # at its worst the contact is a good one: the path's share is then the least
    current = volts / (resistor_ohm + burden_ohm + path_ohm)
    worst = volts / (resistor_ohm + burden_ohm)
    limit = min(contact_a, wire_a)
    if worst > limit:
        least = volts / limit - burden_ohm
        raise BadInput(
            "resistor",
            engineering(resistor_ohm, "ohm"),
            f"lets {engineering(worst, 'A', 3)} through, over the {engineering(limit, 'A', 2)} "
            "that the weakest in its way may carry",
            f"{engineering(least, 'ohm', 3)} or more",
        )
    heat = worst**2 * resistor_ohm
    if heat > resistor_w:
        raise BadInput(
            "resistor's rating",
            f"{resistor_w:g} W",
            f"is below the {heat:.2g} W that it takes",
            f"{2.0 * heat:.2g} W",
        )
    return Wetting(current, heat, limit)


def path_ohm(volts: float, current_a: float, resistor_ohm: float, burden_ohm: float) -> float:
    """What the path measures by its current: V/I less the resistor and the ammeter.

    Raises BadInput for no current at all: the path is open.
    """
    if current_a <= 0.0:
        raise BadInput("current", f"{current_a:g} A", "is none: the path is open", "180 mA")
    return volts / current_a - resistor_ohm - burden_ohm


def contacts_of(diagram: BlockDiagram, position: str) -> tuple[str, ...]:
    """The blocks that hold contacts and are used in a position."""
    return tuple(
        b.key
        for b in diagram.blocks
        if (not b.used_in or position in b.used_in)
        and any(part in (PartFamily.CONTACT, PartFamily.RELAY) for part, _ in b.parts)
    )


def before_and_after(before: Survey, after: Survey) -> Mapping[str, tuple[float, float]]:
    """The mean of each position before and after it was worked on, in ohm."""
    then = {p.position: p.mean_ohm for p in before.positions}
    return {
        p.position: (then[p.position], p.mean_ohm) for p in after.positions if p.position in then
    }
