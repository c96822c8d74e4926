"""The readings that a step wants: which answer counts, whether it is stale, what remains.

A step names its questions and what they rest on; the rest is found here. No stage compares entries.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from glowdial.core.journey.record import NOTHING, Answer, Basis, JobRecord
from glowdial.core.journey.steps import Ask, Result, Step, confirm, settle


@dataclass(frozen=True, slots=True)
class Reading:
    """A question of a step with the answer that counts, if there is one; stale when something that
    it rests on came later."""

    ask: Ask
    answer: Answer | None
    stale: bool

    @property
    def fresh(self) -> Answer | None:
        """The answer, unless it is stale."""
        return None if self.stale else self.answer


def reading(record: JobRecord, step: str, ask: Ask, basis: Basis = NOTHING) -> Reading:
    """A question of a step as it stands."""
    answer = record.latest(step, ask.name)
    return Reading(ask, answer, answer is not None and record.stale(answer, basis))


def readings(
    record: JobRecord, step: str, asks: Iterable[Ask], basis: Basis = NOTHING
) -> tuple[Reading, ...]:
    """Several questions that rest on the same."""
    spoiled = record.spoiled_at(basis)
    found = ((ask, record.latest(step, ask.name)) for ask in asks)
    return tuple(Reading(ask, a, a is not None and a.seq < spoiled) for ask, a in found)


def waiting(found: Iterable[Reading]) -> Ask | None:
    """The first question that has no answer, or a stale one."""
    return next((r.ask for r in found if r.fresh is None), None)


def last_outside(found: Iterable[Reading], results: Iterable[Result]) -> Ask | None:
    """The last question of which a result lies outside: what may be taken again."""
    bad = {r.question for r in results if r.judgement.verdict.outside}
    asks = [r.ask for r in found if r.ask.name in bad]
    return asks[-1] if asks else None


def conclude(
    step: Step,
    found: Iterable[Reading],
    *,
    also: Ask | None = None,
    retake: Ask | None = None,
) -> Step:
    """The step with its status: open while one of its readings, or ``also``, is wanted.

    When a result lies outside, ``retake`` is offered, or the last reading that is outside.
    """
    known = tuple(found)
    remaining = waiting(known) or also
    return settle(step, remaining=remaining, retake=retake or last_outside(known, step.results))


def confirmed(step: Step, record: JobRecord, key: str, prompt: str) -> Step:
    """A step that one key answers."""
    return conclude(step, (reading(record, step.key, confirm(key, prompt)),))


def asked_at(ask: Ask, **point: float) -> Ask:
    """The same question at a point."""
    return replace(ask, point=tuple(sorted(point.items())))


def planned(
    record: JobRecord, step: str, today: Iterable[float], after: Answer | None = None
) -> tuple[float, ...]:
    """The points of a step: those planned when it was begun (anew, ``after`` an answer that chose
    how it is done), else today's."""
    return record.programme(step, after) or tuple(today)
