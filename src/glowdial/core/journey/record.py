"""The record of a job as the rules see it: observations, moves, changes, decisions, in order.

``seq`` numbers all entries of a job in one sequence; a later entry may spoil an earlier reading.
Which one does is decided here and nowhere else: a rule says what a reading rests on (a ``Basis``),
and asks.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from operator import is_
from typing import TypeVar

from glowdial.core.journey.alarms import Alarm, AlarmEntry, alarm_after
from glowdial.core.model.measurands import Measurand

IF_AREA = "if"
CABINET = "cabinet"
PART_AREAS = ("supply", "if", "oscillator", "aerial", "audio")
CHANGEABLES = (*PART_AREAS, CABINET)

# before the first entry
NEVER = -(2**63)

Point = tuple[tuple[str, float], ...]
K = TypeVar("K")
E = TypeVar("E")


def question_name(ask: str, point: Point) -> str:
    """What tells two questions of a step apart: the key, and the point that it is asked at."""
    if not point:
        return ask
    return f"{ask}@{','.join(f'{name}={value:g}' for name, value in point)}"


@dataclass(frozen=True, slots=True)
class Said:
    """One thing told about a reading: its words, verdict and window."""

    label: str
    text: str
    verdict: str
    words: str
    low: str = ""
    high: str = ""


@dataclass(frozen=True, slots=True)
class Told:
    """What was told about an entry when it was kept: the step as it was called, what was said of
    each value, and the version of the rules that said it."""

    title: str = ""
    lines: tuple[Said, ...] = ()
    rules: str = ""

    @property
    def judged(self) -> Said | None:
        """Of several values the one that is outside is what there is to say, else the last."""
        outside = next((s for s in self.lines if s.verdict in ("high", "low")), None)
        return outside or (self.lines[-1] if self.lines else None)


NOT_TOLD = Told()


@dataclass(frozen=True, slots=True)
class InstrumentsThen:
    """The instruments of a reading as they were: the meter's own resistance on DC volts, the
    generator's relative frequency error; None where nothing was registered."""

    meter: str = ""
    meter_ohm: float | None = None
    generator: str = ""
    frequency_error: float | None = None


NO_INSTRUMENTS = InstrumentsThen()


@dataclass(frozen=True, slots=True)
class Observation:
    """One value as it was observed: what and where, SI, its doubt (one standard deviation) where
    that is known, under which conditions, and where it came from."""

    seq: int
    measurand: Measurand
    value: float
    doubt: float | None
    source: str
    conditions: Mapping[str, object]


@dataclass(frozen=True, slots=True)
class Answer:
    """What was entered for one question of a step; values in SI, texts as written.

    ``point`` is what the question was asked at (a frequency, a level), ``conditions`` how the bench
    stood, ``instruments`` what was read with. ``programme`` is the list of points that the step had
    planned when it was begun. ``places``, ``doubts`` and ``sources`` go with the values by field.
    ``told`` is what was told about it then; ``at`` and ``who`` are opaque to the rules.
    """

    seq: int
    step: str
    ask: str
    values: Mapping[str, float]
    texts: Mapping[str, str]
    withdrawn: bool = False
    point: Point = ()
    conditions: Mapping[str, object] = field(default_factory=dict)
    instruments: InstrumentsThen = NO_INSTRUMENTS
    programme: tuple[float, ...] = ()
    places: Mapping[str, Measurand] = field(default_factory=dict)
    doubts: Mapping[str, float] = field(default_factory=dict)
    sources: Mapping[str, str] = field(default_factory=dict)
    told: Told = NOT_TOLD
    line: str = ""
    at: str = ""
    who: str = ""
    question: str = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        # what tells it apart within its step; asked for at every entry of a long job
        object.__setattr__(self, "question", question_name(self.ask, self.point))

    def asked_at(self, name: str) -> float:
        """The point that it was asked at."""
        return dict(self.point)[name]

    def observations(self) -> Iterator[Observation]:
        """Its values, each with its place."""
        for name, measurand in self.places.items():
            if name in self.values:
                yield Observation(
                    self.seq,
                    measurand,
                    self.values[name],
                    self.doubts.get(name),
                    self.sources.get(name, ""),
                    self.conditions,
                )


@dataclass(frozen=True, slots=True)
class Move:
    """An adjuster was turned (clockwise positive) while a step was worked."""

    seq: int
    adjuster: str
    turns: float
    step: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class Change:
    """Something that readings depend on changed: the cabinet, or a part in an area of the set."""

    seq: int
    what: str
    note: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True)
class Closure:
    """A step closed by a person's decision: with the reason, the cost, and who decided."""

    seq: int
    step: str
    reason: str
    cost: str
    decided_by: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class Acknowledgement:
    """A caution acknowledged in a step."""

    seq: int
    step: str
    danger: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class TemporaryConnection:
    """A clip lead, jumper, lifted lead or the like; on until ``removed_seq``."""

    key: str
    what: str
    where: str
    step: str
    made_seq: int
    removed_seq: int | None = None
    wanted_under_power: bool = False
    at: str = ""
    removed_at: str = ""

    @property
    def on(self) -> bool:
        """Still made."""
        return self.removed_seq is None


@dataclass(frozen=True, slots=True)
class SwitchedOff:
    """Something that a step switched off and that its own step switches back on."""

    key: str
    what: str
    step: str
    off_seq: int
    restored_seq: int | None = None
    at: str = ""
    restored_at: str = ""

    @property
    def off(self) -> bool:
        """Not yet restored."""
        return self.restored_seq is None


@dataclass(frozen=True, slots=True)
class Entered:
    """A line of one of the job's registers; a later one with its key takes its place."""

    seq: int
    register: str
    key: str
    step: str
    values: Mapping[str, float]
    texts: Mapping[str, str]
    removed: bool = False
    at: str = ""


@dataclass(frozen=True, slots=True)
class Note:
    """A remark."""

    seq: int
    step: str
    text: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class Withdrawal:
    """An answer was taken back; the answer itself stays."""

    seq: int
    answer_seq: int
    at: str = ""


@dataclass(frozen=True, slots=True)
class Reopening:
    """A job that was handed over was opened again."""

    seq: int
    reason: str
    at: str = ""


@dataclass(frozen=True, slots=True)
class Basis:
    """What a reading rests on: it is stale once one of these is later than it.

    Adjusters by key, areas of the set, and answers or lines of a register after which it has to be
    taken. Moves that were made in a step of ``own_steps`` (by the beginning of its key) do not
    count. With ``reopened`` it does not outlast the job's being opened again.
    """

    adjusters: tuple[str, ...] = ()
    areas: tuple[str, ...] = ()
    after: tuple[Answer | Entered | None, ...] = ()
    own_steps: tuple[str, ...] = ()
    reopened: bool = False


NOTHING = Basis()


@dataclass(frozen=True, slots=True)
class AnswersBy:
    """Answers that were not withdrawn, by what they are looked for; ``of`` is the list that it was
    made of, ``before`` the same before its last entries came: what was just entered may still get
    its telling."""

    of: tuple[Answer, ...]
    latest: Mapping[tuple[str, str], Answer]
    step: Mapping[str, tuple[Answer, ...]]
    question: Mapping[str, tuple[Answer, ...]]
    value: Mapping[str, tuple[Answer, ...]]
    place: Mapping[Measurand, tuple[Answer, ...]]
    before: AnswersBy | None = None

    def grown(self, answers: tuple[Answer, ...]) -> AnswersBy:
        """The same for a list that begins as this one's did; only what is new is sorted in."""
        if answers is self.of:
            return self
        kept = len(self.of)
        if len(answers) < kept or not all(map(is_, self.of, answers)):
            return (self.before or NO_ANSWERS).grown(answers)
        latest = dict(self.latest)
        by_step: dict[str, list[Answer]] = {}
        by_question: dict[str, list[Answer]] = {}
        by_value: dict[str, list[Answer]] = {}
        by_place: dict[Measurand, list[Answer]] = {}
        for answer in answers[kept:]:
            if answer.withdrawn:
                continue
            latest[answer.step, answer.question] = answer
            by_step.setdefault(answer.step, []).append(answer)
            by_question.setdefault(answer.question, []).append(answer)
            for name in answer.values:
                by_value.setdefault(name, []).append(answer)
            for place in dict.fromkeys(answer.places.values()):
                by_place.setdefault(place, []).append(answer)
        return AnswersBy(
            answers,
            latest,
            _sorted_in(self.step, by_step),
            _sorted_in(self.question, by_question),
            _sorted_in(self.value, by_value),
            _sorted_in(self.place, by_place),
            replace(self, before=None) if kept else None,
        )


def _sorted_in(
    known: Mapping[K, tuple[Answer, ...]], new: dict[K, list[Answer]]
) -> dict[K, tuple[Answer, ...]]:
    return {**known, **{key: (*known.get(key, ()), *more) for key, more in new.items()}}


NO_ANSWERS = AnswersBy((), {}, {}, {}, {}, {})


@dataclass(frozen=True, slots=True)
class MovesBy:
    """Moves by their adjuster, with how far each is turned in all."""

    of: tuple[Move, ...]
    adjuster: Mapping[str, tuple[Move, ...]]
    turned: Mapping[str, float]

    def grown(self, moves: tuple[Move, ...]) -> MovesBy:
        """The same for a list that begins as this one's did."""
        if moves is self.of:
            return self
        kept = len(self.of)
        if len(moves) < kept or not all(map(is_, self.of, moves)):
            return NO_MOVES.grown(moves)
        new: dict[str, list[Move]] = {}
        turned = dict(self.turned)
        for move in moves[kept:]:
            new.setdefault(move.adjuster, []).append(move)
            turned[move.adjuster] = turned.get(move.adjuster, 0.0) + move.turns
        adjuster = {key: (*self.adjuster.get(key, ()), *more) for key, more in new.items()}
        return MovesBy(moves, {**self.adjuster, **adjuster}, turned)

    def last(self, adjuster: str) -> int:
        """Seq of an adjuster's last move; 0 where it was not turned."""
        mine = self.adjuster.get(adjuster)
        return mine[-1].seq if mine else 0

    def between(self, adjuster: str, since: int, until: float) -> Iterator[Move]:
        """An adjuster's moves after one entry and before another, the last first."""
        mine = self.adjuster.get(adjuster, ())
        for n in range(bisect_left(mine, until, key=_seq) - 1, -1, -1):
            if mine[n].seq <= since:
                return
            yield mine[n]


def _seq(move: Move) -> int:
    return move.seq


NO_MOVES = MovesBy((), {}, {})


@dataclass(frozen=True, slots=True)
class JobRecord:
    """All entries of a job, each list in ascending ``seq``."""

    answers: tuple[Answer, ...] = ()
    moves: tuple[Move, ...] = ()
    changes: tuple[Change, ...] = ()
    closures: tuple[Closure, ...] = ()
    acknowledgements: tuple[Acknowledgement, ...] = ()
    temporaries: tuple[TemporaryConnection, ...] = ()
    switched_off: tuple[SwitchedOff, ...] = ()
    entered: tuple[Entered, ...] = ()
    notes: tuple[Note, ...] = ()
    withdrawals: tuple[Withdrawal, ...] = ()
    reopenings: tuple[Reopening, ...] = ()
    alarms: tuple[AlarmEntry, ...] = ()
    # what is looked for is sorted in as the record grows, and handed on
    answers_by: AnswersBy = field(default=NO_ANSWERS, repr=False, compare=False)
    moves_by: MovesBy = field(default=NO_MOVES, repr=False, compare=False)
    lines_by: Mapping[str, dict[str, Entered]] = field(init=False, repr=False, compare=False)
    seen_by_danger: Mapping[str, tuple[str, ...]] = field(init=False, repr=False, compare=False)
    changes_by: Mapping[str, tuple[Change, ...]] = field(init=False, repr=False, compare=False)
    closures_by: Mapping[str, tuple[Closure, ...]] = field(init=False, repr=False, compare=False)
    _chains: dict[tuple[str, tuple[str, ...]], JobRecord] = field(
        default_factory=dict, init=False, repr=False, compare=False
    )

    def __post_init__(self) -> None:
        lines: dict[str, dict[str, Entered]] = {}
        for line in self.entered:
            lines.setdefault(line.register, {})[line.key] = line
        object.__setattr__(self, "answers_by", self.answers_by.grown(self.answers))
        object.__setattr__(self, "moves_by", self.moves_by.grown(self.moves))
        object.__setattr__(self, "lines_by", lines)
        seen = _by(self.acknowledgements, lambda one: one.danger)
        told = {danger: tuple(a.at for a in mine) for danger, mine in seen.items()}
        object.__setattr__(self, "seen_by_danger", told)
        object.__setattr__(self, "changes_by", _by(self.changes, lambda one: one.what))
        object.__setattr__(self, "closures_by", _by(self.closures, lambda one: one.step))

    def latest(self, step: str, question: str) -> Answer | None:
        """The answer that counts for a question: the last one not withdrawn."""
        return self.answers_by.latest.get((step, question))

    def first(self, step: str, question: str) -> Answer | None:
        """The first answer to a question that was not withdrawn: how it was found."""
        mine = self.answers_by.step.get(step, ())
        return next((a for a in mine if a.question == question), None)

    def of_step(self, step: str) -> list[Answer]:
        """Answers of a step that count, the superseded ones left out, in order."""
        mine, latest = self.answers_by.step.get(step, ()), self.answers_by.latest
        return [a for a in mine if latest[step, a.question] is a]

    def taken_in(self, step: str) -> list[Answer]:
        """Every answer of a step that was not withdrawn, superseded ones too, in order."""
        return list(self.answers_by.step.get(step, ()))

    def asked(self, question: str) -> list[Answer]:
        """Every answer to a question of that name in any step, not withdrawn, in order."""
        return list(self.answers_by.question.get(question, ()))

    def with_value(self, name: str) -> list[Answer]:
        """Every answer that gives a value of that name, not withdrawn, in order."""
        return list(self.answers_by.value.get(name, ()))

    def programme(self, step: str, after: Answer | None = None) -> tuple[float, ...]:
        """The points that a step had planned when it was begun, or begun anew after an answer; none
        before it is."""
        mine = self.answers_by.step.get(step, ())
        since = after.seq if after is not None else 0
        return next((a.programme for a in mine if a.programme and a.seq > since), ())

    def read_at(self, place: Measurand) -> tuple[Answer, ...]:
        """Every answer that gives a value of a quantity at a place, not withdrawn, in order."""
        return self.answers_by.place.get(place, ())

    def begun(self, prefix: str) -> tuple[str, ...]:
        """The keys of the steps that begin so and have an answer that was not withdrawn, or were
        closed by decision."""
        known = dict.fromkeys((*self.answers_by.step, *self.closures_by))
        return tuple(step for step in known if step.startswith(prefix))

    def observations(self, place: str = "") -> Iterator[Observation]:
        """Everything that was observed and counts, in order; at one place, or everywhere."""
        for answer in self.answers:
            if not answer.withdrawn:
                yield from (o for o in answer.observations() if place in ("", o.measurand.place))

    def register(self, name: str) -> tuple[Entered, ...]:
        """The lines of a register that count, in the order in which they first came."""
        return tuple(e for e in self.lines_by.get(name, {}).values() if not e.removed)

    def line(self, register: str, key: str) -> Entered | None:
        """The line of a register that counts for a key, if there is one."""
        found = self.lines_by.get(register, {}).get(key)
        return None if found is None or found.removed else found

    def spoiled_at(self, basis: Basis) -> int:
        """Seq of the last entry that spoiled what rests on a basis; 0 if there is none."""
        found = [c.seq for area in basis.areas for c in self.changes_by.get(area, ())[-1:]]
        found += [self._last_move(key, basis) for key in basis.adjusters]
        found += [a.seq for a in basis.after if a is not None]
        if basis.reopened and self.reopenings:
            found.append(self.reopenings[-1].seq)
        return max(found, default=0)

    def stale(self, answer: Answer, basis: Basis) -> bool:
        """Whether something that a reading rests on is later than it."""
        return answer.seq < self.spoiled_at(basis)

    def spoiled_between(self, basis: Basis, since: Answer, until: Answer | None) -> bool:
        """Whether something of a basis came after one reading and before another, or up to now."""
        end = until.seq if until is not None else math.inf
        return any(
            _counts(move, basis)
            for key in basis.adjusters
            for move in self.moves_by.between(key, since.seq, end)
        ) or any(
            since.seq < change.seq < end
            for area in basis.areas
            for change in self.changes_by.get(area, ())
        )

    def _last_move(self, adjuster: str, basis: Basis) -> int:
        if not basis.own_steps:
            return self.moves_by.last(adjuster)
        mine = self.moves_by.between(adjuster, NEVER, math.inf)
        return next((m.seq for m in mine if _counts(m, basis)), 0)

    def changed_since(self, closure: Closure, areas: tuple[str, ...] = PART_AREAS) -> bool:
        """Whether a part was changed after a decision, in one of some areas; the cabinet is none
        of them."""
        last = (mine[-1].seq for area in areas if (mine := self.changes_by.get(area, ())))
        return any(seq > closure.seq for seq in last)

    def closure(self, step: str) -> Closure | None:
        """The decision that closed a step, unless something was entered there afterwards."""
        found = next(iter(self.closures_by.get(step, ())[-1:]), None)
        if found and any(a.seq > found.seq for a in self.answers_by.step.get(step, ())[-1:]):
            return None
        return found

    @property
    def alarm(self) -> Alarm | None:
        """The alarm that stands; None while none does."""
        return alarm_after(self.alarms)

    def acknowledged(self, danger: str, since: str = "") -> bool:
        """Whether the caution was acknowledged in this job; since that moment, where one is
        given (as entries tell theirs)."""
        return any(seen >= since for seen in self.seen_by_danger.get(danger, ()))

    def turns_of(self, adjuster: str) -> float:
        """Net turns of an adjuster from as found."""
        return self.moves_by.turned.get(adjuster, 0.0)

    def touched(self, adjuster: str) -> bool:
        """Whether an adjuster was turned at all."""
        return adjuster in self.moves_by.turned

    @property
    def turned(self) -> frozenset[str]:
        """The adjusters that were turned at all."""
        return frozenset(self.moves_by.turned)

    def turned_since_entry(self, step: str, adjuster: str) -> float:
        """Turns of an adjuster in a step since the last entry that counts there."""
        since = max((a.seq for a in self.of_step(step)), default=NEVER)
        made = self.moves_by.between(adjuster, since, math.inf)
        return sum(m.turns for m in made if m.step == step)

    def turned_in(self, step: str, adjuster: str) -> bool:
        """Whether an adjuster was turned in a step."""
        return any(m.step == step for m in self.moves_by.adjuster.get(adjuster, ()))

    @property
    def changed(self) -> frozenset[str]:
        """The areas in which something was changed."""
        return frozenset(self.changes_by)

    def entry(self, seq: int) -> Answer:
        """The answer of that number."""
        return self.answers[bisect_left(self.answers, seq, key=lambda a: a.seq)]

    def in_order(
        self, adjusters: Collection[str], areas: Collection[str], answers: Iterable[Answer]
    ) -> list[Answer | Move | Change]:
        """Some answers, the moves of some adjusters and the changes in some areas, as they came."""
        moves = [m for key in dict.fromkeys(adjusters) for m in self.moves_by.adjuster.get(key, ())]
        changes = [c for a in dict.fromkeys(areas) for c in self.changes_by.get(a, ())]
        return sorted((*answers, *moves, *changes), key=lambda entry: entry.seq)

    def turned_between(self, first: Answer, last: Answer) -> dict[str, float]:
        """Net turns of every adjuster that was turned after one entry and before another."""
        found = {
            adjuster: sum(m.turns for m in self.moves_by.between(adjuster, first.seq, last.seq))
            for adjuster in self.moves_by.adjuster
        }
        return {adjuster: turns for adjuster, turns in found.items() if turns}

    def of_chain(self, own: str, others: tuple[str, ...]) -> JobRecord:
        """The record as one of several chains sees it: of the IF only what was entered in its own
        steps, whose keys begin with ``own``, under the keys that its steps know. With an ``own`` of
        "" the sheet's own IF is meant, which sees nothing of the ``others``."""
        seen = self._chains.get((own, others))
        if seen is None:
            seen = self._chains[own, others] = self._of_chain(own) if own else self._without(others)
        return seen

    def _of_chain(self, own: str) -> JobRecord:
        answers = tuple(
            replace(a, step=a.step.removeprefix(own)) if a.step.startswith(own) else a
            for a in self.answers
            if a.step.startswith(own) or not a.step.startswith("if.")
        )
        moves = tuple(replace(m, step=m.step.removeprefix(own)) for m in self.moves)
        closures = tuple(replace(c, step=c.step.removeprefix(own)) for c in self.closures)
        return replace(self, answers=answers, moves=moves, closures=closures)

    def _without(self, others: tuple[str, ...]) -> JobRecord:
        return replace(
            self, answers=tuple(a for a in self.answers if not a.step.startswith(others))
        )

    def with_withdrawn(self, answer_seq: int) -> JobRecord:
        """The same with an answer taken back."""
        return replace(
            self,
            answers=tuple(
                replace(a, withdrawn=True) if a.seq == answer_seq else a for a in self.answers
            ),
        )


def _by(entries: Iterable[E], key: Callable[[E], str]) -> dict[str, tuple[E, ...]]:
    """Entries by what they are looked for, in order."""
    found: dict[str, list[E]] = {}
    for entry in entries:
        found.setdefault(key(entry), []).append(entry)
    return {name: tuple(mine) for name, mine in found.items()}


def newest_first(answers: Iterable[Answer]) -> list[Answer]:
    """Some answers, the last one first."""
    return sorted(answers, key=lambda a: -a.seq)


def latest_of(answers: Iterable[Answer]) -> Answer:
    """The last of some answers."""
    return max(answers, key=lambda a: a.seq)


def _counts(move: Move, basis: Basis) -> bool:
    return not (basis.own_steps and move.step.startswith(basis.own_steps))
