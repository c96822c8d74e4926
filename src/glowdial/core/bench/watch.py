"""The guard reading: one value watched through any step, with an alarm outside its limits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import CURRENT, DC_VOLTS, Quantity, engineering, parse
from glowdial.core.language.verdicts import Window, judge

GUARDED: Mapping[str, tuple[str, Quantity, str]] = {
    "b-plus": ("B+", DC_VOLTS, "V"),
    "line current": ("line current", CURRENT, "A"),
}


@dataclass(frozen=True, slots=True)
class Guard:
    """What is watched (a key of ``GUARDED``) and between which limits, SI."""

    what: str
    low: float
    high: float

    @property
    def words(self) -> str:
        """What is watched, between what."""
        label, _, unit = GUARDED[self.what]
        return f"{label} between {engineering(self.low, unit)} and {engineering(self.high, unit)}"

    def seen(self, value: float) -> GuardReading:
        """A reading against the limits."""
        label, _, unit = GUARDED[self.what]
        judged = judge(value, Window(self.low, self.high, None))
        return GuardReading(label, engineering(value, unit), judged.verdict.outside, judged.words)


@dataclass(frozen=True, slots=True)
class GuardReading:
    """One guard reading in words, and whether it shouts."""

    label: str
    text: str
    alarm: bool
    words: str


def guard_of(what: str, low: str, high: str) -> Guard:
    """A guard from limits as people write them; an empty low is none, a high is needed.

    Raises BadInput.
    """
    if what not in GUARDED:
        raise BadInput("guard", what, f"is one of {', '.join(GUARDED)}", "b-plus")
    label, quantity, _ = GUARDED[what]
    least = parse(low, quantity, f"{label}, at least") if low.strip() else 0.0
    most = parse(high, quantity, f"{label}, at most")
    if least >= most:
        raise BadInput(f"{label} limits", f"{low} to {high}", "must rise", "180 to 260")
    return Guard(what, least, most)
