"""What a bench does to get the values of a question."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from glowdial.core.bench.settings import NO_CHANGE, SettingsChange
from glowdial.core.model.measurands import AVC, Measurand
from glowdial.core.tuner.drive import Drive, Look


class Doing(StrEnum):
    """What a bench does to get the values of a question."""

    READ = "read"
    FIND_FREQUENCY = "find the frequency"
    TURN_AND_FIND = "turn, then find the frequency"
    PEAK = "peak"
    MATCH_LEVEL = "match the level"
    TONE_PAIR = "tone on and off"
    TRY = "try"
    ZERO = "turn to zero"
    EDGES = "find both edges"
    SAME_READING = "the same reading elsewhere"
    HEAR = "hear"
    FIND_DIAL = "move the dial until it comes in"
    SLIDE_AND_FIND = "slide the pointer, then find the frequency"


# what a bench is asked to turn where the pointer is slid: the logarithm of the ratio of frequency
POINTER = "pointer"


@dataclass(frozen=True, slots=True)
class Hearing:
    """A field that is read of an FM receiver: how it is driven, and what is looked at."""

    field: str
    drive: Drive
    look: Look


@dataclass(frozen=True, slots=True)
class Recipe:
    """How the values of a question are obtained at a bench that can be read and set.

    ``change`` is what is set first; to ``READ`` is to read the measurands of the question's
    required fields, to peak or to match is to do so by ``indicator``. A ``target_v`` is the reading
    that the level is set for first. ``wait_s`` is time to stand at these settings before reading,
    ``span_hz`` how far either side of the dial mark, or of a bandspread's figure (of the
    generator's place, for both edges of a passband) to look. ``trial`` is the test of fault tracing
    to ``TRY``. With more than one of ``readings`` an unsteady value is read so often. At
    ``second_hz`` the level is sought that makes the same reading as at the first frequency. To
    ``HEAR`` is to drive an FM receiver and look at its output, for each of ``heard``. A frequency
    is found by the highest AVC; with ``zero_of`` by that alone, at its zero between the two peaks.
    """

    doing: Doing
    change: SettingsChange = NO_CHANGE
    adjuster: str | None = None
    turns: float | None = None
    target_v: float | None = None
    span_hz: float | None = None
    wait_s: float = 0.0
    trial: str = ""
    indicator: Measurand = AVC
    readings: int = 1
    second_hz: float | None = None
    heard: tuple[Hearing, ...] = ()
    zero_of: Measurand | None = None

    def setting(self, **values: Any) -> Recipe:
        """The same with some settings more, or others."""
        return replace(self, change=self.change.but(**values))
