"""The record of a job as the rules see it: answers, moves, changes, decisions, in order.

``seq`` numbers all entries of a job in one sequence; a later entry may spoil an earlier reading.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

IF_AREA = "if"
CABINET = "cabinet"
PART_AREAS = ("supply", "if", "oscillator", "aerial", "audio")
CHANGEABLES = (*PART_AREAS, CABINET)


@dataclass(frozen=True, slots=True)
class Answer:
    """What was entered for one question of a step; values in SI, texts as written."""

    seq: int
    step: str
    ask: str
    values: Mapping[str, float]
    texts: Mapping[str, str]
    withdrawn: bool = False


@dataclass(frozen=True, slots=True)
class Move:
    """An adjuster was turned (clockwise positive) while a step was worked."""

    seq: int
    adjuster: str
    turns: float
    step: str


@dataclass(frozen=True, slots=True)
class Change:
    """Something that readings depend on changed: the cabinet, or a part in an area of the set."""

    seq: int
    what: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class Closure:
    """A step closed by a person's decision: with the reason, the cost, and who decided."""

    seq: int
    step: str
    reason: str
    cost: str
    decided_by: str


@dataclass(frozen=True, slots=True)
class Acknowledgement:
    """A caution acknowledged in a step."""

    seq: int
    step: str
    danger: str


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
    _latest: dict[tuple[str, str], Answer] = field(init=False, repr=False, compare=False)
    _by_step: dict[str, list[Answer]] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        latest: dict[tuple[str, str], Answer] = {}
        by_step: dict[str, list[Answer]] = {}
        for answer in self.answers:
            if not answer.withdrawn:
                latest[answer.step, answer.ask] = answer
                by_step.setdefault(answer.step, []).append(answer)
        object.__setattr__(self, "_latest", latest)
        object.__setattr__(self, "_by_step", by_step)

    def latest(self, step: str, ask: str) -> Answer | None:
        """The answer that counts for a question: the last one not withdrawn."""
        return self._latest.get((step, ask))

    def first(self, step: str, ask: str) -> Answer | None:
        """The first answer to a question that was not withdrawn: how it was found."""
        mine = self._by_step.get(step, [])
        return next((a for a in mine if a.ask == ask), None)

    def of_step(self, step: str) -> list[Answer]:
        """Answers of a step that count, the superseded ones left out, in order."""
        return [a for a in self._by_step.get(step, []) if self._latest[a.step, a.ask] is a]

    def register(self, name: str) -> tuple[Entered, ...]:
        """The lines of a register that count, in the order in which they first came."""
        latest = {e.key: e for e in self.entered if e.register == name}
        return tuple(e for e in latest.values() if not e.removed)

    def line(self, register: str, key: str) -> Entered | None:
        """The line of a register that counts for a key, if there is one."""
        return next((e for e in self.register(register) if e.key == key), None)

    def last_touch(self, adjusters: Iterable[str], things: Iterable[str] = ()) -> int:
        """Seq of the last move of an adjuster or change of a thing named; 0 if there is none."""
        keys, whats = set(adjusters), set(things)
        touched = [m.seq for m in self.moves if m.adjuster in keys]
        touched += [c.seq for c in self.changes if c.what in whats]
        return max(touched, default=0)

    def changed_since(self, seq: int) -> bool:
        """Whether a part was changed after an entry; the cabinet does not count."""
        return any(c.seq > seq and c.what != CABINET for c in self.changes)

    def closure(self, step: str) -> Closure | None:
        """The decision that closed a step, unless something was entered there afterwards."""
        found = next((c for c in reversed(self.closures) if c.step == step), None)
        if found and any(a.seq > found.seq for a in self._by_step.get(step, [])):
            return None
        return found

    def acknowledged(self, step: str, danger: str) -> bool:
        """Whether the caution has been acknowledged in that step."""
        return any(a.step == step and a.danger == danger for a in self.acknowledgements)

    def turns_of(self, adjuster: str) -> float:
        """Net turns of an adjuster from as found."""
        return sum(m.turns for m in self.moves if m.adjuster == adjuster)
