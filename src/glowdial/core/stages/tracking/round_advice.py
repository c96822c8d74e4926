"""The rounds of a band's oscillator: what is known, which ends were visited, what comes next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from glowdial.core.alignment.band_marks import Mark
from glowdial.core.alignment.next_move import Act, NextMove, next_move
from glowdial.core.alignment.oscillator_state import (
    FittedOscillator,
    Foreseen,
)
from glowdial.core.journey.dial_marks import (
    MIDDLE,
    as_found_key,
    mark_doubt_hz,
    middle_mark_hz,
)
from glowdial.core.journey.memory import Memory
from glowdial.core.journey.record import JobRecord
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.tracking.ghosts import KeptImage, first_twin_hz, kept_image
from glowdial.core.stages.tracking.oscillator import (
    OscillatorRead,
    fitted_to,
    mark_of,
    read_of,
    reads_since_moved,
    worked_out,
)
from glowdial.core.stages.tracking.plan import Peaking, school_of
from glowdial.core.stages.tracking.rock import RockGoal, chosen_goal

MOST_VISITS, MOST_MOVES = 28, 16
MOST_ADVISED = 512


@dataclass(frozen=True, slots=True)
class End:
    """One end of the band, or the mark between: its name, its mark, and what is turned there."""

    name: str
    mark_hz: float
    adjuster: str | None


def band_ends(band: BandFacts) -> tuple[End, End]:
    """Both ends, the high one first."""
    return (
        End("high", band.high_mark_hz, band.high_adjuster),
        End("low", band.low_mark_hz, band.low_adjuster),
    )


def worked_marks(band: BandFacts) -> tuple[End, ...]:
    """Both ends, and the mark between them where both are adjusted."""
    middle_hz = middle_mark_hz(band)
    between = () if middle_hz is None else (End(MIDDLE, middle_hz, None),)
    return (*band_ends(band), *between)


@dataclass(frozen=True, slots=True)
class Advice:
    """What is known of a band's oscillator, what comes next, and what would be known if its first
    reading was an image."""

    fit: FittedOscillator
    now: NextMove
    kept: KeptImage | None = None


@dataclass(frozen=True, slots=True)
class Rounds:
    """A band whose oscillator is being worked: what is advised, None while that is worked out, and
    the visits of its ends in order, each by the key of its step."""

    facts: ReceiverFacts
    record: JobRecord
    band: BandFacts
    advice: Advice | None
    visits: tuple[tuple[str, End], ...]

    @property
    def fit(self) -> FittedOscillator:
        """The band's oscillator by everything that was read and turned."""
        assert self.advice is not None
        return self.advice.fit

    @property
    def now(self) -> NextMove:
        """What comes next."""
        assert self.advice is not None
        return self.advice.now

    @property
    def over(self) -> bool:
        """Nothing more is to be done, or enough was tried: what is outside then stands outside."""
        if self.advice is None:
            return False
        tried = sum(
            a.ask.startswith("move") for key, _ in self.visits for a in self.record.of_step(key)
        )
        enough = len(self.visits) >= MOST_VISITS or tried >= MOST_MOVES
        return enough or self.now.act in (Act.LEAVE, Act.BEST)

    def last_of(self, end: End) -> str:
        """The key of an end's last visit."""
        return next((k for k, e in reversed(self.visits) if e == end), "")

    def next_key(self, end: End) -> str:
        """The step in which an end is worked now: the last one, or a new visit."""
        if self.visits and self.visits[-1][1] == end:
            key = self.visits[-1][0]
            if self.record.closure(key) is None:
                return key
        number = 1 + sum(e == end for _, e in self.visits)
        return f"osc.{self.band.key}.round{number}.{end.name}"


def worked_rounds(
    facts: ReceiverFacts, record: JobRecord, band: BandFacts, memory: Memory
) -> Rounds:
    """The rounds as the record has them; without advice while a ``memory`` works it out."""
    visits = _visits(record, band)
    reads = reads_since_moved(facts, record, band)
    marks = tuple(
        mark_of(
            facts,
            band,
            end.mark_hz,
            end.adjuster,
            reads.get(end.mark_hz, 0),
            given_up=_given_up(record, visits, end) or _for_sensitivity(record, band, end),
            seen=end.name != MIDDLE or end in (visited for _, visited in visits),
        )
        for end in worked_marks(band)
    )
    travel = tuple(
        (e.adjuster, facts.adjuster(e.adjuster).travel_turns) for e in band_ends(band) if e.adjuster
    )
    # what a moved band's pointer stands on is not what comes in: sliding it mends nothing
    free = (
        band == facts.bands[0]
        and band.printed is None
        and not any(record.of_step(as_found_key(other)) for other in facts.bands[1:])
    )
    read = read_of(facts, record, band)

    every = school_of(record).peaking is Peaking.ALL
    twin_hz = first_twin_hz(facts, band, read)

    def advised() -> Advice:
        return _advised(read, marks, travel, twin_hz, pointer_free=free, to_middle=every)

    known = worked_out(memory, ("advice", read, marks, travel, free, every, twin_hz), advised)
    return Rounds(facts, record, band, advised() if known else None, visits)


@lru_cache(maxsize=MOST_ADVISED)
def _advised(
    read: OscillatorRead,
    marks: tuple[Mark, ...],
    travel: tuple[tuple[str, float], ...],
    twin_hz: float,
    *,
    pointer_free: bool,
    to_middle: bool,
) -> Advice:
    fit = fitted_to(read)
    now = next_move(fit, marks, dict(travel), pointer_free=pointer_free, to_middle=to_middle)
    return Advice(fit, now, kept_image(read, twin_hz))


def _visits(record: JobRecord, band: BandFacts) -> tuple[tuple[str, End], ...]:
    """The steps of the rounds that hold an entry or a decision, in the order of their first."""
    prefix = f"osc.{band.key}.round"
    ends = {end.name: end for end in worked_marks(band)}
    return tuple((key, ends[key.rpartition(".")[2]]) for key in record.begun(prefix))


def _given_up(record: JobRecord, visits: Sequence[tuple[str, End]], end: End) -> bool:
    """Whether a person closed the last visit of an end as it is."""
    last = next((key for key, e in reversed(visits) if e == end), "")
    return bool(last) and record.closure(last) is not None


def _for_sensitivity(record: JobRecord, band: BandFacts, end: End) -> bool:
    """Whether the low end was left where it is loudest, by somebody's choice, and the mark between
    with it."""
    return end.name != "high" and chosen_goal(record, band) is RockGoal.SENSITIVITY


def next_reading(rounds: Rounds, end: End) -> Foreseen:
    """What will be read at an end: after the turn that is advised, or as it stands."""
    if end.mark_hz in rounds.now.lands:
        return rounds.now.lands[end.mark_hz]
    doubt_hz = mark_doubt_hz(rounds.facts, rounds.band, end.mark_hz)
    return rounds.fit.foreseen(end.mark_hz, reading_doubt_hz=doubt_hz)
