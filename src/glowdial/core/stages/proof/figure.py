"""A figure of the proof: its phase, its limit by the sheet, and how it is told with its doubt."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace

from glowdial.core.journey.dial_marks import band_adjusters, dial_leads
from glowdial.core.journey.record import CABINET, NOTHING, PART_AREAS, Answer, Basis, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.sensitivity_figure import FOUND
from glowdial.core.journey.steps import (
    Ask,
    Lead,
    Result,
    Status,
    Step,
    result,
)
from glowdial.core.language.quantities import (
    engineering,
)
from glowdial.core.language.verdicts import Window, judge_between
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.performance import Figure, PerformanceLimit

# of a series every reading has a number
DIGITS = "0123456789"
# a generator's level between two settings, and an output matched by a needle: 95 % of cases
LEVELS_DOUBT_DB, MATCH_DOUBT_DB = 1.0, 0.5


@dataclass(frozen=True, slots=True)
class Phase:
    """As found or as left, under a stage of the scale, with what a figure of it rests on."""

    name: str
    stage: str
    situation: Situation

    @property
    def record(self) -> JobRecord:
        """The job's record."""
        return self.situation.record

    def basis(self, *bands: BandFacts) -> Basis:
        """As found describes what was there before; as left rests on every adjuster."""
        if self.name == FOUND:
            return NOTHING
        facts = self.situation.facts
        keys = [k for b in bands for k in (*band_adjusters(b), *b.signal_adjusters)]
        return Basis(adjusters=(*facts.if_adjusters(), *keys), areas=(CABINET, *PART_AREAS))


def offered(step: Step, asks: Sequence[Ask], stale: Sequence[str]) -> Step:
    """A step that nobody has to take; what was taken and is stale has to be taken again, and what
    is outside is trouble."""
    again = next((a for name in stale if (a := asking(asks, name)) is not None), None)
    outside = [r for r in step.results if not r.as_found and r.judgement.verdict.outside]
    rest = tuple(a for a in asks if a is not again)
    if again is not None:
        return replace(step, status=Status.RECHECK, ask=again, others=rest)
    if outside:
        ask = asking(asks, outside[0].question) or asks[0]
        others = tuple(a for a in asks if a is not ask)
        return replace(step, status=Status.TROUBLE, ask=ask, retake=True, others=others)
    return replace(step, status=Status.DONE, others=tuple(asks))


def asking(asks: Sequence[Ask], question: str) -> Ask | None:
    """The question that takes again what a question took: itself, or the next of its series."""
    kind = question.partition("@")[0].rstrip(DIGITS)
    own = (a for a in asks if a.name == question)
    return next(own, next((a for a in asks if a.key.rstrip(DIGITS) == kind), None))


@dataclass(frozen=True, slots=True)
class Counting:
    """Answers that count, in order, and the questions of those of them that are stale."""

    answers: tuple[Answer, ...]
    stale: tuple[str, ...]

    def is_stale(self, answer: Answer) -> bool:
        """Whether one of them is."""
        return answer.question in self.stale


def counting(
    record: JobRecord, step: str, basis: Basis, what: Callable[[Answer], Hashable]
) -> Counting:
    """Of every thing that a step's answers tell (``what`` names it) those that are fresh; where
    none of a thing is, the stale ones, until it is read again."""
    answers = record.of_step(step)
    fresh = {what(a) for a in answers if not record.stale(a, basis)}
    kept = [a for a in answers if not record.stale(a, basis) or what(a) not in fresh]
    return Counting(tuple(kept), tuple(a.question for a in kept if record.stale(a, basis)))


def limit_of(
    facts: ReceiverFacts, figure: Figure, band: str = "", offset_hz: float = 0.0
) -> PerformanceLimit | None:
    """The sheet's limit for a figure: the band's own before that of all."""
    fits = [
        limit
        for limit in facts.performance
        if limit.figure is figure
        and limit.band in ("", band)
        and (not limit.offset_hz or abs(limit.offset_hz - abs(offset_hz)) < 1.0)
    ]
    return max(fits, key=lambda limit: bool(limit.band), default=None)


def told_figure(
    at: Phase,
    answer: Answer,
    label: str,
    figure: Figure,
    value: float,
    doubt_db: float,
    limit: PerformanceLimit | None,
    *,
    stale: bool,
) -> Result:
    """A figure with its doubt and its verdict; of decibels, or of watts where it is an output."""
    watts = figure is Figure.OUTPUT
    text = f"{engineering(value, 'W')}" if watts else f"{value:.1f} dB"
    known = f"{text} ± {doubt_db:.1f} dB"
    found = at.name == FOUND
    if limit is None:
        return result(answer, label, known, value, stale=stale, as_found=found)
    least = figure.more_is_better
    window = Window(limit.limit, None) if least else Window(None, limit.limit)
    edge = engineering(limit.limit, "W") if watts else f"{limit.limit:g} dB"
    edges = (edge, "") if least else ("", edge)
    told = result(answer, label, known, value, window, edges, stale=stale, as_found=found)
    ends = _ends(value, doubt_db, watts=watts)
    limit_ratio = _ratio(limit.limit, watts=watts)
    as_ratio = Window(limit_ratio, None) if least else Window(None, limit_ratio)
    return replace(told, judgement=judge_between(*ends, as_ratio))


def _ratio(value: float, *, watts: bool) -> float:
    """As a ratio of volts, which a verdict's decibels are of."""
    return float(value**0.5) if watts else float(10.0 ** (value / 20.0))


def _ends(value: float, doubt_db: float, *, watts: bool) -> tuple[float, float]:
    middle, off = _ratio(value, watts=watts), 10.0 ** (doubt_db / 20.0)
    return middle / off, middle * off


def proof_leads(facts: ReceiverFacts) -> tuple[Lead, ...]:
    """Generator at the aerial, audio voltmeter at the loudspeaker."""
    signal, meter = dial_leads(facts)[:2]
    return signal, replace(meter, source="audio voltmeter", to="loudspeaker terminals")
