"""A stage's room as the journey finds it: one small object for plan, entries, report, registers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from glowdial.core.bench.equipment import NO_EQUIPMENT, Equipment
from glowdial.core.journey.consequences import Consequence
from glowdial.core.journey.memory import AtOnce, Memory
from glowdial.core.journey.pictures import ReadingTable, ScalePicture, SupplyPicture
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.journey.steps import Ask, Plot, Status, Step, looked_at
from glowdial.core.language.verdicts import Window, judge
from glowdial.core.model.facts import ReceiverFacts


@dataclass(frozen=True, slots=True)
class Situation:
    """All that steps are derived from: the facts as the stages left them, the record, what the
    bench has today, what was inferred already, the registers' forms, and the steps before."""

    facts: ReceiverFacts
    record: JobRecord
    equipment: Equipment = NO_EQUIPMENT
    memory: Memory = field(default_factory=AtOnce)
    forms: tuple[RegisterForm, ...] = ()
    before: tuple[Step, ...] = ()


def in_one(leg: Leg, _: ReceiverFacts) -> tuple[Leg, ...]:
    """A leg that is derived as a whole."""
    return (leg,)


@dataclass(frozen=True, slots=True)
class Leg:
    """A stretch of the journey that a room fills.

    What it looks up in the record is noted while it is derived. ``looks_back`` says that it reads
    the steps before it too; only then is it handed them. ``parts`` are the stretches that it is
    derived in for a set, such as one for each band: each is kept as long as what it read holds.
    """

    name: str
    steps: Callable[[Situation], list[Step]]
    looks_back: bool = False
    parts: Callable[[Leg, ReceiverFacts], tuple[Leg, ...]] = in_one


@dataclass(frozen=True, slots=True)
class ReportRow:
    """One figure: what the service data says, as found, as left, and the verdict on as left."""

    what: str
    specified: str
    found: str
    left: str
    verdict: str
    words: str


def report_row(
    what: str, specified: str, found: str, left: str, value: float | None, window: Window | None
) -> ReportRow:
    """A figure with its verdict; not known where it was not read."""
    if value is None:
        return ReportRow(what, specified, found, left, "not known", "not read")
    verdict = judge(value, window)
    return ReportRow(what, specified, found, left, verdict.verdict.value, verdict.words)


@dataclass(frozen=True, slots=True)
class ReportPicture:
    """A picture of the printed page, of one of the kinds that a step shows."""

    title: str
    picture: SupplyPicture | None = None
    table: ReadingTable | None = None
    scale: ScalePicture | None = None
    plot: Plot | None = None


def pictured(title: str, step: Step | None, *, plot: bool = False) -> tuple[ReportPicture, ...]:
    """What a step that has read something shows, for the page; its plot only where it is asked
    for."""
    if step is None or not step.results:
        return ()
    shown = looked_at(step)
    # on paper nothing is clipped on any more
    supply = replace(shown.picture, probes=()) if shown.picture else None
    # nor is there a pointer to be moved
    scale = replace(shown.scale, corrected=(), beside=()) if shown.scale else None
    found = ReportPicture(title, supply, shown.table, scale, shown.plot if plot else None)
    nothing = not any((found.picture, found.table, found.scale, found.plot))
    return () if nothing else (found,)


@dataclass(frozen=True, slots=True)
class ReportPart:
    """What a room has to tell on the printed page."""

    rows: tuple[ReportRow, ...] = ()
    story: tuple[str, ...] = ()
    modifications: tuple[str, ...] = ()
    next_check: str = ""
    pictures: tuple[ReportPicture, ...] = ()


def same_facts(facts: ReceiverFacts, _: JobRecord) -> ReceiverFacts:
    """A stage that finds nothing new about the set itself."""
    return facts


@dataclass(frozen=True, slots=True)
class Entering:
    """An answer as it was kept: values in SI, texts."""

    values: Mapping[str, float]
    texts: Mapping[str, str]


def anything_goes(_: Situation, __: Step, ___: Ask, ____: Entering) -> None:
    """A stage without rules of its own on what may be entered."""


def no_words(_: Situation, __: Step, ___: Ask, ____: str) -> str:
    """A stage that has nothing to say while a line is typed."""
    return ""


def nothing_follows(_: Situation, __: Step, ___: Ask, ____: Entering) -> tuple[Consequence, ...]:
    """A stage whose answers do nothing besides what their steps say."""
    return ()


def nothing_from_taking_back(_: Answer, __: JobRecord) -> tuple[Consequence, ...]:
    """A stage in which taking an answer back does nothing besides."""
    return ()


def nothing_to_tell(_: Situation, __: tuple[Step, ...]) -> ReportPart:
    """A stage without figures."""
    return ReportPart()


@dataclass(frozen=True, slots=True)
class Room:
    """A stage: the legs that it fills, and what it has to say.

    ``derive`` adds to the facts what the record tells of the set. ``check`` raises BadInput for
    what cannot be kept; ``while_typing`` are words on a line that is not finished.
    ``follows`` and ``withdrawn`` are what an answer, or taking one back, does besides;
    ``registers`` its registers, ``report`` its part of the page.
    """

    stage: str
    legs: tuple[Leg, ...] = ()
    derive: Callable[[ReceiverFacts, JobRecord], ReceiverFacts] = same_facts
    check: Callable[[Situation, Step, Ask, Entering], None] = anything_goes
    while_typing: Callable[[Situation, Step, Ask, str], str] = no_words
    follows: Callable[[Situation, Step, Ask, Entering], tuple[Consequence, ...]] = nothing_follows
    withdrawn: Callable[[Answer, JobRecord], tuple[Consequence, ...]] = nothing_from_taking_back
    registers: tuple[RegisterForm, ...] = ()
    report: Callable[[Situation, tuple[Step, ...]], ReportPart] = nothing_to_tell


def unsettled(steps: tuple[Step, ...]) -> list[Step]:
    """Steps that stand outside or wait for a re-check."""
    return [s for s in steps if s.status in (Status.TROUBLE, Status.RECHECK)]
