"""What a job's record says of a band's oscillator, and what the circuit makes of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from glowdial.core.alignment.band_marks import Mark
from glowdial.core.alignment.fitted_oscillator import fit_oscillator
from glowdial.core.alignment.oscillator_state import (
    Event,
    FittedOscillator,
    Housed,
    MarkRead,
    PointerSlid,
    Turned,
    Turner,
)
from glowdial.core.journey.dial_marks import (
    POINTED,
    answer_doubt_hz,
    as_read,
    band_adjusters,
    is_beside,
    mark_doubt_hz,
    marks_read,
    middle_mark_hz,
    pointed_hz,
)
from glowdial.core.journey.memory import Memory
from glowdial.core.journey.record import CABINET, Answer, Change, JobRecord, Move
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind, TankRole, TrackedBand, role_of
from glowdial.core.stages.tracking.rock import rock_key

# what a turn does where the sheet is silent, as a share of the whole part: the commonest adjusters
NORM_CHANGE = {TankRole.SCALE: -0.014, TankRole.SHUNT: 0.18, TankRole.SERIES: 0.06}
# a sheet's figure is right to a third, or wrong by up to two and a half; a norm is worth less
SHEET_DOUBT, NORM_DOUBT = 0.45, 0.55
# a turn that the ledger has already is not counted twice
SAME_TURN = 1e-3
SLID = "slid"
TURNS_LEARNED = "turns of the oscillator"
LEARNED_FORM = RegisterForm(
    TURNS_LEARNED,
    "What a turn does here",
    "What an earlier visit of this set learned of its oscillator's adjusters.",
    called="turns of the oscillator",
    title_of=lambda line: f"{line.key}, good to {100.0 * line.values.get('doubt', 0.0):.0f} %",
)
# an adjuster stands elsewhere on its thread when the set comes back
SINCE_THEN = 0.1
# what makes readings of before tell nothing any more
OTHER_SET = ("oscillator", "if")


def turner_of(key: str, kind: AdjusterKind, change: float | None, band: TrackedBand) -> Turner:
    """An adjuster as it is believed before it was turned: by its sheet, or by its kind."""
    role = role_of(kind, inductive=band.inductive)
    if change:
        return Turner(key, role, change, SHEET_DOUBT)
    norm = NORM_CHANGE[role]
    if band.inductive:
        # L and C change places, and the usual directions with them
        norm = abs(norm)
    return Turner(key, role, norm, NORM_DOUBT, way_known=False)


@dataclass(frozen=True, slots=True)
class OscillatorRead:
    """All that a band's fit is made from: its design, its stops in Hz, what its adjusters are
    believed to do, and what was read and turned."""

    tracked: TrackedBand
    stops_hz: tuple[float, float]
    turners: tuple[Turner, ...]
    events: tuple[Event, ...]


def fitted(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> FittedOscillator:
    """The band's oscillator by everything that was read and turned so far."""
    return fitted_to(read_of(facts, record, band))


def fitted_beside(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, memory: Memory
) -> FittedOscillator | None:
    """The same, worked out beside the write; None until then. What is foretold of the second mark
    from the first alone is a small matter, and the next question wants it: that is done at once."""
    read = read_of(facts, record, band)
    if len(read.events) > 1 and not worked_out(
        memory, ("oscillator", read), lambda: fitted_to(read)
    ):
        return None
    return fitted_to(read)


def worked_out(memory: Memory, key: Hashable, work: Callable[[], object]) -> bool:
    """Whether something was worked out that is kept by what it was made from: a memory that works
    beside the write begins it, and remembers only that it is known."""

    def known() -> bool:
        work()
        return True

    return memory.recall(key, known) is True


def read_of(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> OscillatorRead:
    """What the record says of a band's oscillator."""
    turners = tuple(
        _believed(facts, record, band, key) for key in dict.fromkeys(band_adjusters(band))
    )
    events = tuple(events_of(facts, record, band))
    return OscillatorRead(band.tracked, (band.low_hz, band.high_hz), turners, events)


def _believed(facts: ReceiverFacts, record: JobRecord, band: BandFacts, key: str) -> Turner:
    """An adjuster before this job turned it: as an earlier visit learned it, else by the sheet."""
    adjuster = facts.adjuster(key)
    found = turner_of(key, adjuster.kind, adjuster.change_per_turn, band.tracked)
    line = record.line(TURNS_LEARNED, rate_key(band, key))
    if line is None:
        return found
    doubt = math.hypot(line.values["doubt"], SINCE_THEN)
    return Turner(key, found.role, line.values["change"], doubt)


def rate_key(band: BandFacts, adjuster: str) -> str:
    """What is learned of an adjuster is learned on a band: a shared one is part of two circuits."""
    return f"{band.key} {adjuster}"


def learned(facts: ReceiverFacts, record: JobRecord) -> dict[str, Turner]:
    """What this job's moves taught of every oscillator adjuster, by its key in the register."""
    found = {}
    for band in facts.bands:
        fit = fitted(facts, record, band)
        for key in band_adjusters(band):
            turner = fit.learned(key)
            if fit.moves_of(key) and turner.way_known:
                found[rate_key(band, key)] = turner
    return found


@lru_cache(maxsize=512)
def fitted_to(read: OscillatorRead) -> FittedOscillator:
    """The oscillator that was read so."""
    return fit_oscillator(read.tracked, read.stops_hz, read.turners, read.events)


def band_reads(record: JobRecord, band: BandFacts) -> list[tuple[float, Answer]]:
    """Every reading of a mark of the band that was not typed anew since, with the mark."""
    found = marks_read(record, band)
    found += [(band.high_mark_hz, a) for a in record.of_step(pulled_key(band))]
    found += _rocked(record, band)
    for answer in map(as_read, record.of_step(f"dial.{band.key}")):
        point = dict(answer.point)
        if "frequency" in answer.values and point:
            found.append((point.get("dial_hz", point.get("true_hz", 0.0)), answer))
    return found


def pulled_key(band: BandFacts) -> str:
    """The step in which the high mark is read once more after its signal circuits were peaked."""
    return f"osc.{band.key}.pulled"


def _rocked(record: JobRecord, band: BandFacts) -> list[tuple[float, Answer]]:
    """Where the low mark's signal came in when the low end was rocked, and set."""
    low_hz = band.low_mark_hz
    return [
        (low_hz, replace(a, values={**a.values, "frequency": low_hz}))
        for a in record.of_step(rock_key(band))
        if POINTED in a.values
    ]


def events_of(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Event]:
    """The band's readings, moves, and what else changed what comes in, in order.

    What was read before a part of the oscillator was changed, or the IF moved, is of another set.
    """
    adjusters = band_adjusters(band)
    story = _story(facts, record, band)
    marks = {(a.step, a.question): mark for mark, a in band_reads(record, band)}
    events: list[Event] = []
    booked: dict[str, float] = {}
    pending = pending_moves(record, band, story)
    for entry in story:
        if isinstance(entry, Change):
            if entry.what == CABINET:
                events.append(Housed(entry.note == "in"))
            else:
                events[:] = [e for e in events if isinstance(e, Housed)]
        elif isinstance(entry, Move):
            if any(entry is p for p in pending):
                continue
            if entry.adjuster not in adjusters:
                events[:] = [e for e in events if isinstance(e, Housed)]
                continue
            booked[entry.step] = booked.get(entry.step, 0.0) + entry.turns
            events.append(Turned(entry.adjuster, entry.turns))
        else:
            events += _told_by(entry, band, booked.pop(entry.step, 0.0))
            mark = marks[entry.step, entry.question]
            doubt = answer_doubt_hz(facts, band, mark, entry)
            events.append(MarkRead(pointed_hz(band, entry, mark), entry.values["frequency"], doubt))
    return events


def _story(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts
) -> list[Answer | Move | Change]:
    adjusters = (*band_adjusters(band), *facts.if_adjusters())
    reads = [answer for _, answer in band_reads(record, band)]
    return record.in_order(adjusters, (*OTHER_SET, CABINET), reads)


def pending_moves(
    record: JobRecord, band: BandFacts, story: Sequence[Answer | Move | Change]
) -> list[Move]:
    """Moves of the rounds that the bench has made, whose reading is not entered yet: until then the
    advice that they were made by stands."""
    found: list[Move] = []
    for entry in reversed(story):
        mine = isinstance(entry, Move) and entry.step.startswith(f"osc.{band.key}.round")
        if not isinstance(entry, Move) or not mine or record.closure(entry.step) is not None:
            break
        found.append(entry)
    return found


def _told_by(answer: Answer, band: BandFacts, booked: float) -> list[Event]:
    """What was moved before a reading, where only the reading tells."""
    if answer.ask.startswith(SLID):
        return [PointerSlid()]
    rest = answer.values.get("turns", 0.0) - booked
    if abs(rest) < SAME_TURN or "turns" not in answer.values:
        return []
    high = answer.step.endswith((".high", ".pulled"))
    key = band.high_adjuster if high else band.low_adjuster
    return [Turned(key, rest)] if key is not None else []


def reads_since_moved(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> dict[float, int]:
    """How often each mark was read since anything changed what comes in there."""
    counts: dict[float, int] = {}
    adjusted = (band.high_mark_hz, middle_mark_hz(band), band.low_mark_hz)
    marks = [m for m in adjusted if m is not None]
    for event in events_of(facts, record, band):
        if isinstance(event, MarkRead):
            at = next((m for m in marks if is_beside(event.mark_hz, m)), event.mark_hz)
            counts[at] = counts.get(at, 0) + 1
        else:
            counts.clear()
    return counts


def mark_of(
    facts: ReceiverFacts,
    band: BandFacts,
    mark_hz: float,
    adjuster: str | None,
    reads: int,
    *,
    given_up: bool,
    seen: bool,
) -> Mark:
    """A mark as the advice wants it."""
    doubt = mark_doubt_hz(facts, band, mark_hz)
    between = mark_hz == middle_mark_hz(band)
    tolerance = band.tolerance_hz(mark_hz)
    return Mark(mark_hz, tolerance, adjuster, doubt, reads, given_up, between, seen)
