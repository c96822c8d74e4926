"""The vocabulary of the journey: steps, questions, results, what is to be seen. Names no stage."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

from glowdial.core.bench.peak_trace import PeakTrace
from glowdial.core.bench.recipe import Recipe
from glowdial.core.journey.pictures import (
    ChainPicture,
    ChassisPicture,
    DiagramPicture,
    ReadingTable,
    ScalePicture,
    SupplyPicture,
)
from glowdial.core.journey.record import Answer, Entered, Point, Said, question_name
from glowdial.core.language.quantities import Quantity
from glowdial.core.language.verdicts import Judgement, Window, judge
from glowdial.core.model.measurands import Measurand
from glowdial.core.safety.cautions import Activity


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

    @property
    def shouts(self) -> bool:
        """Something is wrong here, or in the way."""
        return self in (Status.TROUBLE, Status.RECHECK, Status.BLOCKED)

    @property
    def words(self) -> str:
        """As it is said of a step."""
        return "outside" if self is Status.TROUBLE else self.value


# stands before a frequency that a counter read on the oscillator
COUNTER_MARK = "@"


@dataclass(frozen=True, slots=True)
class Field:
    """One value of a question: a quantity, a choice (with ``options``), or text.

    ``measurand`` is what the value is and where; ``sets`` names the bench's setting that it tells
    ("line_v"), which makes it a condition of the other values. A ``table`` is a text of many lines,
    such as a trace's samples. On a typed line, fields that may
    stay empty come last. ``nominal`` is what is expected; where the field named by ``against`` is
    off its own, this one is expected to be off by the same factor. A needle that does not stand
    still ``swings``: ``0.82-0.95`` is taken as well, for its ends. With an ``oscillator_offset_hz``
    (oscillator less signal) ``lo 1855`` is taken as well: the oscillator's own frequency, as a
    counter reads it.
    """

    name: str
    label: str
    quantity: Quantity | None = None
    options: tuple[str, ...] = ()
    required: bool = True
    nominal: float | None = None
    multiline: bool = False
    measurand: Measurand | None = None
    sets: str = ""
    table: bool = False
    against: str = ""
    swings: bool = False
    oscillator_offset_hz: float = 0.0

    @property
    def free(self) -> bool:
        """Whether any words are taken: neither a value nor a choice."""
        return self.quantity is None and not self.options


@dataclass(frozen=True, slots=True)
class Ghost:
    """A false answer: where it stands in Hz, what to do about it, and how often it is taken."""

    frequency_hz: float
    words: str
    taken: float = 0.01


@dataclass(frozen=True, slots=True)
class Foretold:
    """What a field is foreseen to read in nine of ten cases, and the false answers around it.

    ``twin_hz`` is how far from a false answer the right one would stand, where too little is known
    to tell them apart by where they stand: it is then asked about in any case; 0 elsewhere.
    """

    field: str
    low: float
    high: float
    ghosts: tuple[Ghost, ...] = ()
    twin_hz: float = 0.0

    @property
    def right_twin(self) -> str:
        """Which of two answers is the right one."""
        return "lower" if self.twin_hz < 0.0 else "higher"


@dataclass(frozen=True, slots=True)
class Ask:
    """One question: what is wanted now, in which fields, and what is expected.

    ``point`` is what it is asked at, such as ``(("dial_hz", 600e3),)``: with the key it tells the
    questions of a step apart. ``makes`` are temporary connections that answering it makes: what,
    and where. ``called`` is the short word on the button that picks it. With ``blanks`` a value
    that was not read may be a dash; ``read_with`` names the meter where an earlier question settled
    that. One of a ``series`` is asked for again as soon as it is answered. One that ``listens`` may
    be answered by what the computer's microphone hears. ``swept`` is what a simulated bench can
    show of it as a curve: an adjuster's key while it turns, or "trace" for the whole answer.
    ``foretold`` is what is foreseen to be read, where that is known better than what is wanted.
    ``does`` is what answering it does that can hurt, beyond what its step does.
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
    point: Point = ()
    called: str = ""
    blanks: bool = False
    read_with: str = ""
    series: bool = False
    listens: bool = False
    swept: str = ""
    foretold: Foretold | None = None
    does: tuple[Activity, ...] = ()

    @property
    def name(self) -> str:
        """What tells it apart within its step."""
        return question_name(self.key, self.point)


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
    question: str
    stale: bool = False
    as_found: bool = False

    @property
    def said(self) -> Said:
        """What is kept of it with the entry that it judges."""
        verdict = self.judgement.verdict.value
        words = self.judgement.words
        return Said(self.label, self.text, verdict, words, self.low_text, self.high_text)


@dataclass(frozen=True, slots=True)
class Lead:
    """Where one lead goes: from, through what, to; ``signal`` is a generator's, which puts its
    earth on the chassis."""

    source: str
    through: str
    to: str
    signal: bool = False


@dataclass(frozen=True, slots=True)
class PlotLine:
    """One line of a plot; ``role`` is measured, expected, low, high, found or left."""

    label: str
    role: str
    x: tuple[float, ...]
    y: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class PlotMark:
    """An upright line: where, its words, and its role: nominal, limit, peak or edge."""

    x: float
    label: str
    role: str


@dataclass(frozen=True, slots=True)
class Plot:
    """Data to look at; axis names carry units, values are already in them. With ``main`` it is what
    its step is about, and takes the step's ground. With ``decades`` its x, all above zero, is drawn
    by decades."""

    title: str
    x_label: str
    y_label: str
    lines: tuple[PlotLine, ...]
    tolerance: float | None = None
    marks: tuple[PlotMark, ...] = ()
    main: bool = False
    decades: bool = False


@dataclass(frozen=True, slots=True)
class Step:
    """One step with everything that the bench needs to know now.

    ``others`` are questions that may be answered instead of ``ask``, in any order. ``panels`` name
    what is worked or shown beside it. ``begun`` is half done: it is finished before a re-check that
    it made is asked for. ``change`` is what answering it changes in the set, with a note.
    ``programme`` is the list of points that it plans. ``thinking`` says that an inference of it is
    still being worked out, ``failed`` why it could not be: the step is open until that was tried
    again, or a person goes on without.

    What it is to the journey: ``opens_power`` is the gate that power waits for, ``before_power``
    has to be settled before it, ``closes_job`` ends the job, ``by_person`` cannot be closed by
    decision, ``decision`` is what was decided here. ``does`` is what it does that can hurt, beyond
    what its power, leads and adjuster tell; its ``dangers`` follow from that. ``holds_power`` are
    reasons why no power may be on now, whatever was decided; a decision on it ends with a change in
    one of the areas ``closed_until``, and ``reopens_gate`` is what was found that the gate has to
    be passed after; ``waits_for`` is what somebody else has to bring. Plot, pictures and advice may
    be left to functions, which are called when the step is looked at. ``more_asks`` finds a
    question by name beyond those that are listed.
    """

    key: str
    stage: str
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
    begun: bool = False
    closed_because: str = ""
    notes: tuple[str, ...] = ()
    programme: tuple[float, ...] = ()
    thinking: bool = False
    failed: str = ""
    opens_power: bool = False
    before_power: bool = False
    closes_job: bool = False
    by_person: bool = False
    decision: str = ""
    does: tuple[Activity, ...] = ()
    holds_power: tuple[str, ...] = ()
    closed_until: tuple[str, ...] = ()
    reopens_gate: tuple[Answer | Entered, ...] = ()
    waits_for: tuple[str, ...] = ()
    picture: SupplyPicture | None = None
    table: ReadingTable | None = None
    scale: ScalePicture | None = None
    chain: ChainPicture | None = None
    chassis: ChassisPicture | None = None
    diagram: DiagramPicture | None = None
    trace: PeakTrace | None = None
    draw: Callable[[], Plot | None] | None = None
    show: Callable[[], SupplyPicture | None] | None = None
    show_chain: Callable[[], ChainPicture] | None = None
    show_chassis: Callable[[], ChassisPicture] | None = None
    show_diagram: Callable[[], DiagramPicture] | None = None
    more_asks: Callable[[str], Ask | None] | None = None
    advise: Callable[[], tuple[str, ...]] | None = None

    @property
    def closable(self) -> bool:
        """Whether a person may close it as it is: it is outside, or leaving it is a choice."""
        if self.failed and self.status is Status.OPEN:
            return True
        return self.ask is not None and (self.status is Status.TROUBLE or self.leave)


def looked_at(step: Step) -> Step:
    """The step with its plot and pictures drawn and its advice worked out."""
    lazy = (step.draw, step.show, step.show_chain, step.show_chassis, step.show_diagram)
    if not any((*lazy, step.advise)):
        return step
    return replace(
        step,
        plot=step.draw() if step.draw is not None else step.plot,
        picture=step.show() if step.show is not None else step.picture,
        chain=step.show_chain() if step.show_chain is not None else step.chain,
        chassis=step.show_chassis() if step.show_chassis is not None else step.chassis,
        diagram=step.show_diagram() if step.show_diagram is not None else step.diagram,
        advice=(*step.advice, *step.advise()) if step.advise is not None else step.advice,
        draw=None,
        advise=None,
        show=None,
        show_chain=None,
        show_chassis=None,
        show_diagram=None,
    )


def with_functions_of(step: Step, fresh: Step) -> Step:
    """A step with the functions of the same one derived anew."""
    return replace(
        step,
        draw=fresh.draw,
        advise=fresh.advise,
        show=fresh.show,
        show_chain=fresh.show_chain,
        show_chassis=fresh.show_chassis,
        show_diagram=fresh.show_diagram,
    )


def result(
    answer: Answer,
    label: str,
    text: str,
    value: float,
    window: Window | None = None,
    limits: tuple[str, str] = ("", ""),
    *,
    stale: bool = False,
    as_found: bool = False,
) -> Result:
    """A value of an answer with its verdict."""
    return Result(
        label,
        text,
        value,
        window,
        limits[0],
        limits[1],
        judge(value, window),
        answer.seq,
        answer.question,
        stale,
        as_found,
    )


def find_ask(step: Step, name: str) -> Ask | None:
    """The question of that name, if the step takes it now."""
    asks = (step.ask, *step.others)
    listed = next((a for a in asks if a is not None and a.name == name), None)
    if listed is None and step.more_asks is not None:
        return step.more_asks(name)
    return listed


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
