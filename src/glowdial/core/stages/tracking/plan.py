"""The order of the bands and of the work on each, by the school that was chosen, with the reason of
every place; and one sheet that shows how far each band is."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.journey.dial_marks import brought_in_hz
from glowdial.core.journey.peaking import PEAK
from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.verdicts import judge, symmetric
from glowdial.core.model.facts import Adjuster, BandFacts, ReceiverFacts
from glowdial.core.stages.tracking.mechanics import MECHANICS
from glowdial.core.stages.tracking.oscillator import band_reads

SCHOOL = "school"
COLUMNS = ("high end", "low end", "RF", "aerial", "dial")


class WorkOrder(StrEnum):
    """Which circuits of a band come first."""

    OSCILLATOR_FIRST = "oscillator first"
    SIGNAL_FIRST = "RF and aerial first"


class Peaking(StrEnum):
    """Whether what is right is left: signal circuits of a band whose dial is left, and an
    oscillator that is inside but not in the middle; one that has to be turned is in either case
    turned until what is between its ends stands about as near as it can."""

    LEAVE = "leave what is right"
    ALL = "peak all"


WHY_ORDER = {
    WorkOrder.OSCILLATOR_FIRST: "oscillator, RF, aerial, two points each: what is not brought in "
    "cannot be peaked",
    WorkOrder.SIGNAL_FIRST: "aerial and RF first, one point a band, the oscillator last: it is "
    "then brought to where the signal circuits are, and they are peaked once more",
}
WHY_PEAKING = {
    Peaking.LEAVE: "a band that is left has its signal circuits left too",
    Peaking.ALL: "the signal circuits of every band are peaked, also where its dial is left, and "
    "every oscillator is brought to the middle of its tolerances, not only inside",
}


@dataclass(frozen=True, slots=True)
class WorkSchool:
    """How the bands are worked."""

    order: WorkOrder = WorkOrder.OSCILLATOR_FIRST
    peaking: Peaking = Peaking.LEAVE


def school_ask() -> Ask:
    """Which way the bands are worked."""
    return Ask(
        SCHOOL,
        "Which circuits first; and is what is right left, or are signal circuits peaked where the "
        "dial is left, and every oscillator brought to the middle?",
        (
            Field("order", "order", options=tuple(WorkOrder)),
            Field("peaking", "what is right", options=tuple(Peaking)),
        ),
        f"{WorkOrder.OSCILLATOR_FIRST} {Peaking.LEAVE}",
        called="order of the work",
    )


def school_of(record: JobRecord) -> WorkSchool:
    """The school that was chosen; the commonest where nobody chose."""
    answer = record.latest(MECHANICS, SCHOOL)
    if answer is None:
        return WorkSchool()
    return WorkSchool(WorkOrder(answer.texts["order"]), Peaking(answer.texts["peaking"]))


def band_order(facts: ReceiverFacts) -> tuple[BandFacts, ...]:
    """The bands as the sheet has them, but the band of the far core of a can before that of the
    near one: drawing the tool out past the near one then spoils nothing."""
    left = list(facts.bands)
    ordered: list[BandFacts] = []
    while left:
        free = [b for b in left if not any(_goes_before(facts, o, b) for o in left if o is not b)]
        chosen = (free or left)[0]
        ordered.append(chosen)
        left.remove(chosen)
    return tuple(ordered)


def _adjusters(facts: ReceiverFacts, band: BandFacts) -> list[Adjuster]:
    keys = (band.high_adjuster, band.low_adjuster, *band.signal_adjusters)
    known = {a.key: a for a in facts.adjusters}
    return [known[k] for k in dict.fromkeys(keys) if k in known]


def _goes_before(facts: ReceiverFacts, first: BandFacts, then: BandFacts) -> bool:
    far = {a.can for a in _adjusters(facts, first) if a.can and a.far}
    near = {a.can for a in _adjusters(facts, then) if a.can and not a.far}
    return bool(far & near)


def _reason(facts: ReceiverFacts, band: BandFacts) -> str:
    """Why a band comes where it does."""
    bands = facts.bands
    later = [b.name for b in bands if b is not band and _goes_before(facts, band, b)]
    if later:
        return f"its core is the far one of a can: before {', '.join(later)}"
    earlier = [b.name for b in bands if b is not band and _goes_before(facts, b, band)]
    if earlier:
        return f"its core is the near one of a can: after {', '.join(earlier)}"
    shared = _shared(facts, band)
    return f"shares the {', '.join(shared)}: read the other band again" if shared else ""


def _shared(facts: ReceiverFacts, band: BandFacts) -> list[str]:
    others = {a.key for b in facts.bands if b is not band for a in _adjusters(facts, b)}
    return [a.name for a in _adjusters(facts, band) if a.key in others]


def is_sealed(facts: ReceiverFacts, key: str) -> bool:
    """Whether an adjuster is sealed by its place on the chassis: it sets a circuit's ratio of L to
    C, and is left."""
    placed = facts.layout.placed if facts.layout else ()
    return any(p.what == key and p.sealed for p in placed)


def plan_words(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    """The order in words."""
    school = school_of(record)
    words = [f"{school.order.value.capitalize()}: {WHY_ORDER[school.order]}."]
    if school.peaking is Peaking.ALL:
        words.append(f"Peak all: {WHY_PEAKING[school.peaking]}.")
    sealed = [a.name for a in facts.adjusters if is_sealed(facts, a.key)]
    if sealed:
        words.append(f"Sealed, and left: {', '.join(sealed)}.")
    return tuple(words)


def progress_table(facts: ReceiverFacts, record: JobRecord) -> ReadingTable:
    """Every band in the order of work: where its ends stand now, what is peaked, how much of its
    dial is read."""
    rows = []
    for n, band in enumerate(band_order(facts), start=1):
        reads = dict(band_reads(record, band))
        cells = (
            _end_cell(COLUMNS[0], band, band.high_mark_hz, reads),
            _end_cell(COLUMNS[1], band, band.low_mark_hz, reads),
            _peak_cell(facts, record, band, COLUMNS[2], ("rf-low", "rf")),
            _peak_cell(facts, record, band, COLUMNS[3], ("aerial-low", "aerial")),
            _dial_cell(record, band),
        )
        rows.append(TableRow("", f"{n}. {band.name}", _reason(facts, band), cells))
    return ReadingTable(COLUMNS, tuple(rows))


def _end_cell(
    column: str, band: BandFacts, mark_hz: float, reads: dict[float, Answer]
) -> TableCell:
    answer = reads.get(mark_hz)
    if answer is None:
        return TableCell(column, "", "", "")
    found = brought_in_hz(band, answer, mark_hz)
    judged = judge(found, symmetric(mark_hz, band.tolerance_hz(mark_hz)))
    text = f"{(found - mark_hz) / 1e3:+.1f} kHz"
    return TableCell(column, "", "", "", text, judged.verdict.value, judged.brief)


def _peak_cell(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, column: str, ends: tuple[str, str]
) -> TableCell:
    """Peaked, to be peaked, or nothing that turns."""
    low, high = (
        (band.rf_low_adjuster, band.rf_adjuster)
        if column == "RF"
        else (band.aerial_low_adjuster, band.aerial_adjuster)
    )
    wanted = [
        e
        for e, key in zip(ends, (low, high), strict=True)
        if key is not None and not is_sealed(facts, key)
    ]
    if not wanted:
        return TableCell(column, "", "", "", "nothing turns")
    done = sum(record.latest(f"osc.{band.key}.{e}", PEAK) is not None for e in wanted)
    return TableCell(column, "", "", "", f"{done} of {len(wanted)} peaked" if done else "")


def _dial_cell(record: JobRecord, band: BandFacts) -> TableCell:
    read = len(record.of_step(f"dial.{band.key}"))
    return TableCell("dial", "", "", "", f"{read} read" if read else "")
