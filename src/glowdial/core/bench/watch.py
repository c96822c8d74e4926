"""The guard reading: one value watched through any step, with an alarm outside its limits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import CURRENT, DC_VOLTS, Quantity, engineering, parse
from glowdial.core.language.verdicts import Window, judge
from glowdial.core.model.measurands import B_PLUS, LINE_CURRENT, Measurand


@dataclass(frozen=True, slots=True)
class Watched:
    """Something that may be watched: how it is called, in which unit its limits are typed, and what
    is read."""

    label: str
    quantity: Quantity
    measurand: Measurand


WATCHED: Mapping[str, Watched] = {
    "b-plus": Watched("B+", DC_VOLTS, B_PLUS),
    "line current": Watched("line current", CURRENT, LINE_CURRENT),
}


@dataclass(frozen=True, slots=True)
class GuardLimits:
    """What is watched (a key of ``WATCHED``) and between which limits, SI."""

    what: str
    low: float
    high: float

    @property
    def words(self) -> str:
        """What is watched, between what."""
        watched = WATCHED[self.what]
        low, high = (engineering(v, watched.quantity.base) for v in (self.low, self.high))
        return f"{watched.label} between {low} and {high}"

    @property
    def measurand(self) -> Measurand:
        """What is read."""
        return WATCHED[self.what].measurand

    def seen(self, value: float) -> GuardReading:
        """A reading against the limits."""
        watched = WATCHED[self.what]
        judged = judge(value, Window(self.low, self.high, None))
        text = engineering(value, watched.quantity.base)
        return GuardReading(watched.label, text, judged.verdict.outside, judged.words)


@dataclass(frozen=True, slots=True)
class GuardReading:
    """One guard reading in words, and whether it shouts."""

    label: str
    text: str
    alarm: bool
    words: str


def guard_of(what: str, low: str, high: str) -> GuardLimits:
    """A guard from limits as people write them; an empty low is none, a high is needed.

    Raises BadInput.
    """
    if what not in WATCHED:
        raise BadInput("guard", what, f"is one of {', '.join(WATCHED)}", "b-plus")
    label, quantity = WATCHED[what].label, WATCHED[what].quantity
    least = parse(low, quantity, f"{label}, at least") if low.strip() else 0.0
    most = parse(high, quantity, f"{label}, at most")
    if least >= most:
        raise BadInput(f"{label} limits", f"{low} to {high}", "must rise", "180 to 260")
    return GuardLimits(what, least, most)
