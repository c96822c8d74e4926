"""The vocabulary of the journey: stages, steps, questions, results, and a bench's recipes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

from glowdial.core.language.quantities import Quantity
from glowdial.core.language.verdicts import Judgement, Window, judge


class Stage(StrEnum):
    """The ten stops of the journey, in order."""

    INTAKE = "intake"
    COLD = "cold checks"
    PARTS = "parts"
    BRING_UP = "bring-up"
    FAULTS = "faults"
    IF = "IF"
    OSCILLATOR = "oscillator and RF"
    DIAL = "dial"
    PROOF = "proof"
    HANDOVER = "handover"


class Status(StrEnum):
    """How a step stands."""

    OPEN = "open"
    DONE = "done"
    TROUBLE = "trouble"
    RECHECK = "re-check"
    CLOSED = "closed by decision"
    BLOCKED = "blocked"

    @property
    def finished(self) -> bool:
        """Nothing more to do here."""
        return self in (Status.DONE, Status.CLOSED)


@dataclass(frozen=True, slots=True)
class Field:
    """One value of a question: a quantity, a choice (with ``options``), or text.

    On a typed line, fields that may stay empty come last.
    """

    name: str
    label: str
    quantity: Quantity | None = None
    options: tuple[str, ...] = ()
    required: bool = True
    nominal: float | None = None
    multiline: bool = False


class Doing(StrEnum):
    """What a bench does to get the values of a question."""

    READ = "read"
    FIND_FREQUENCY = "find the frequency"
    TURN_AND_FIND = "turn, then find the frequency"
    PEAK = "peak"
    MATCH_LEVEL = "match the level"
    TONE_PAIR = "tone on and off"


@dataclass(frozen=True, slots=True)
class Recipe:
    """How the values of a question are obtained at a bench that can be read and set.

    Settings that are None stay as they are. ``meters`` maps fields to meter names. ``lamp_w`` is a
    limiter lamp, ``wait_s`` time to stand at these volts before reading, ``load_lifted`` B+ with
    its load taken off for this reading, ``series_ohm`` a resistor that the supply was given.
    """

    doing: Doing
    meters: tuple[tuple[str, str], ...] = ()
    injection: str | None = None
    line_v: float | None = None
    band: str | None = None
    dial_hz: float | None = None
    generator_hz: float | None = None
    generator_emf_v: float | None = None
    adjuster: str | None = None
    turns: float | None = None
    target_v: float | None = None
    span_hz: float | None = None
    tone_on: bool = False
    lamp_w: float | None = None
    wait_s: float = 0.0
    load_lifted: bool = False
    series_ohm: float | None = None
    series_behind: bool = False


@dataclass(frozen=True, slots=True)
class Ask:
    """One question: what is wanted now, in which fields, and what is expected.

    ``makes`` are temporary connections that answering it makes: what, and where.
    """

    key: str
    prompt: str
    fields: tuple[Field, ...]
    example: str
    expected: Window | None = None
    expected_text: str = ""
    recipe: Recipe | None = None
    confirm: bool = False
    makes: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Result:
    """One measured value with its window and verdict, worded for the page."""

    label: str
    text: str
    value: float | None
    window: Window | None
    low_text: str
    high_text: str
    judgement: Judgement
    seq: int
    ask: str
    stale: bool = False
    as_found: bool = False


@dataclass(frozen=True, slots=True)
class Lead:
    """Where one lead goes: from, through what, to."""

    source: str
    through: str
    to: str


@dataclass(frozen=True, slots=True)
class PlotLine:
    """One line of a plot; ``role`` is measured, expected, low, high, found or left."""

    label: str
    role: str
    x: tuple[float, ...]
    y: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class Plot:
    """Data to look at; axis names carry units, values are already in them."""

    title: str
    x_label: str
    y_label: str
    lines: tuple[PlotLine, ...]
    tolerance: float | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """One step with everything that the bench needs to know now.

    ``others`` are questions that may be answered instead of ``ask``, in any order. ``panels``
    name registers that are worked beside it. ``alarm`` is shouted: a reason to stop at once.
    ``begun`` is half done: it is finished before a re-check that it made is asked for. ``change``
    is what answering it changes in the set, with a note.
    """

    key: str
    stage: Stage
    title: str
    reason: str
    status: Status = Status.OPEN
    ask: Ask | None = None
    retake: bool = False
    results: tuple[Result, ...] = ()
    advice: tuple[str, ...] = ()
    blocked_by: tuple[str, ...] = ()
    leads: tuple[Lead, ...] = ()
    controls: tuple[str, ...] = ()
    dangers: tuple[str, ...] = ()
    powered: bool = False
    adjuster: str | None = None
    plot: Plot | None = None
    cost: str = ""
    makes: tuple[tuple[str, str], ...] = ()
    switches_off: tuple[str, ...] = ()
    undoes: str | None = None
    change: tuple[str, str] | None = None
    leave: bool = False
    others: tuple[Ask, ...] = ()
    panels: tuple[str, ...] = ()
    alarm: str = ""
    begun: bool = False
    closed_because: str = ""
    notes: tuple[str, ...] = field(default=())


def result(
    label: str,
    text: str,
    value: float,
    window: Window | None,
    limits: tuple[str, str],
    *,
    seq: int,
    ask: str,
    stale: bool = False,
    as_found: bool = False,
) -> Result:
    """A result with its verdict."""
    return Result(
        label,
        text,
        value,
        window,
        limits[0],
        limits[1],
        judge(value, window),
        seq,
        ask,
        stale,
        as_found,
    )


def find_ask(step: Step, key: str) -> Ask | None:
    """The question of that key, if the step takes it now."""
    asks = (step.ask, *step.others)
    return next((a for a in asks if a is not None and a.key == key), None)


def settle(step: Step, *, remaining: Ask | None, retake: Ask | None = None) -> Step:
    """Give a step its status from its results and the question that remains.

    A question remains: open. A stale result: re-check. A result outside: trouble, and ``retake`` is
    offered. As-found results describe and never make trouble.
    """
    judged = [r for r in step.results if not r.as_found]
    if remaining is not None:
        status = Status.RECHECK if any(r.stale for r in judged) else Status.OPEN
        return replace(step, status=status, ask=remaining)
    if any(r.judgement.verdict.outside for r in judged):
        return replace(step, status=Status.TROUBLE, ask=retake, retake=retake is not None)
    return replace(step, status=Status.DONE)


CONFIRM_FIELDS = (Field("done", "Done", options=("done",)),)


def confirm(key: str, prompt: str) -> Ask:
    """A question that one key answers."""
    return Ask(key, prompt, CONFIRM_FIELDS, "done", confirm=True)
