"""The whole alignment as one plan: after the IF's cores each band's oscillator, RF and aerial, with
where generator and dial stand and why it comes there.

What holds: oscillator before RF before aerial (a signal that is not brought in cannot be peaked),
the high end before the low, and both again (each moves the other); what bands share is set once and
looked at again; sealed ones are left alone.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.record import JobRecord
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.intermediate.adjusters import standing
from glowdial.core.stages.intermediate.order import (
    PLAN_COLUMNS,
    by_sheet,
    order_of,
    plan_table,
    posture,
    stands_words,
)


@dataclass(frozen=True, slots=True)
class PlanPlace:
    """A place in the order of a band: the adjuster, where generator and dial stand, why here."""

    band: str
    adjuster: str
    at_hz: float
    stage: str
    why: str


def band_places(facts: ReceiverFacts) -> tuple[PlanPlace, ...]:
    """Every adjuster of every band in the order that holds."""
    known = {a.key for a in facts.adjusters}
    return tuple(p for band in facts.bands for p in _of_band(band) if p.adjuster in known)


def _of_band(band: BandFacts) -> list[PlanPlace]:
    high, low = band.high_mark_hz, band.low_mark_hz
    wanted = [
        (band.high_adjuster, high, "oscillator", "high end first"),
        (band.low_adjuster, low, "oscillator", "then low; repeat both, each moves the other"),
        (band.rf_low_adjuster, low, "RF", "its core; the trimmer follows"),
        (band.aerial_low_adjuster, low, "aerial", "its core; the trimmer follows"),
        (band.rf_adjuster, high, "RF", "once the oscillator brings the signal in"),
        (band.aerial_adjuster, high, "aerial", "last: what follows loads it"),
    ]
    return [PlanPlace(band.name, key, hz, stage, why) for key, hz, stage, why in wanted if key]


def whole_plan(facts: ReceiverFacts, record: JobRecord, order: tuple[str, ...]) -> ReadingTable:
    """The IF's rows, then the bands', numbered on."""
    table = plan_table(facts, record, order)
    used = [p.adjuster for p in band_places(facts)]
    rows = []
    for n, place in enumerate(band_places(facts), start=len(order) + 1):
        adjuster, now = facts.adjuster(place.adjuster), standing(facts, record, place.adjuster)
        shared = used.count(place.adjuster) > 1
        words = "left alone" if now.left_alone else place.why
        does = ", ".join(
            t for t in (place.stage, "shared between bands" if shared else "", words) if t
        )
        lies = posture(facts, place.adjuster)
        at = ", ".join(w for w in (lies, f"{place.band}, {khz(place.at_hz)}") if w)
        cells = (
            TableCell("it is", "", "", "", stands_words(facts, record, place.adjuster)),
            TableCell("set and generator", "", "", "", at),
            TableCell("damped", "", "", "", ""),
            TableCell("a turn does", "", "", "", ""),
        )
        rows.append(TableRow("", f"{n}. {adjuster.name}", does, cells))
    return ReadingTable(PLAN_COLUMNS, (*table.rows, *rows))


def table_warnings(facts: ReceiverFacts) -> tuple[str, ...]:
    """Where the maker's table goes another way than what holds: it is followed, and said."""
    tabled = [key for row in facts.alignment for key in row.adjusters]
    found = []
    for band in facts.bands:
        wanted = [p.adjuster for p in _of_band(band) if p.adjuster in tabled]
        for before, after in itertools.combinations(wanted, 2):
            if tabled.index(after) < tabled.index(before):
                first, then = facts.adjuster(after).name, facts.adjuster(before).name
                found.append(
                    f"The sheet's table takes the {first} before the {then} ({band.name}): usual "
                    "is oscillator, RF, aerial, each high before low; go over them again at the "
                    "end."
                )
                break
    cores = set(by_sheet(facts))
    places = [n for n, key in enumerate(tabled) if key in cores]
    others = [n for n, key in enumerate(tabled) if key not in cores]
    if places and others and min(others) < max(places):
        found.append(
            "The sheet's table sets bands before the IF is done: what they are peaked by moves "
            "with the IF, so they come after it here."
        )
    return tuple(found)


def reordered_warnings(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    """Sealed ones that a hand's order still names: they are passed over."""
    left = [k for k in order_of(facts, record) if standing(facts, record, k).left_alone]
    if not left:
        return ()
    names = ", ".join(facts.adjuster(k).name for k in left)
    return (f"Left alone, wherever they stand in the order: {names}.",)
