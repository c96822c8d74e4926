"""Expected windows, and the verdict on a reading in words and shapes.

A window may be open on one side ("no limit given"); with neither side it judges nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

NEAR_EDGE_SHARE = 0.1
# beyond ten times, per cents say nothing
MOST_SHARE = 10.0


class Verdict(StrEnum):
    """What a reading is, against its window."""

    INSIDE = "inside"
    NEAR_EDGE = "near the edge"
    HIGH = "high"
    LOW = "low"
    NOT_KNOWN = "not known"

    @property
    def outside(self) -> bool:
        """Whether the reading lies beyond a limit."""
        return self in (Verdict.HIGH, Verdict.LOW)


@dataclass(frozen=True, slots=True)
class Window:
    """Limits in SI, either of which may be absent, and the nominal value where there is one."""

    low: float | None
    high: float | None
    nominal: float | None = None

    @property
    def given(self) -> bool:
        """Whether there is any limit to judge by."""
        return self.low is not None or self.high is not None


@dataclass(frozen=True, slots=True)
class Judgement:
    """A verdict with its words, and how far beyond the limit the reading is (SI, 0 inside)."""

    verdict: Verdict
    words: str
    beyond: float

    @property
    def brief(self) -> str:
        """The words without what the window allows, for where there is little room."""
        return self.words.partition(",")[0]


def judge(value: float, window: Window | None) -> Judgement:
    """Judge a reading against its window.

    Beyond a limit the words give the distance from what is expected, in per cent of that, and what
    the window allows; where nothing is expected but the limit, the distance from the limit. "Near
    the edge" is the outer tenth of a two-sided window.
    """
    if window is None or not window.given:
        return Judgement(Verdict.NOT_KNOWN, "no limit given", 0.0)
    if window.low is not None and value < window.low:
        return _outside(Verdict.LOW, value, window.low, window.nominal)
    if window.high is not None and value > window.high:
        return _outside(Verdict.HIGH, value, window.high, window.nominal)
    if window.low is not None and window.high is not None:
        margin = NEAR_EDGE_SHARE * (window.high - window.low)
        # a floor of zero is no edge that a magnitude could fall over
        near_low = window.low != 0.0 and value - window.low < margin
        if near_low or window.high - value < margin:
            return Judgement(Verdict.NEAR_EDGE, "near the edge", 0.0)
    return Judgement(Verdict.INSIDE, "inside", 0.0)


def judge_between(low: float, high: float, window: Window | None) -> Judgement:
    """Judge a figure that lies between ``low`` and ``high``, both above zero: met or not met where
    all of it is, and cannot tell where a limit lies within.

    A figure without doubt has both the same. How far it is beyond a limit is told from its end.
    """
    if window is None or not window.given:
        return Judgement(Verdict.NOT_KNOWN, "no limit given", 0.0)
    if window.high is not None and low > window.high:
        return Judgement(Verdict.HIGH, f"not met, by {_db(low / window.high)}", low - window.high)
    if window.low is not None and high < window.low:
        return Judgement(Verdict.LOW, f"not met, by {_db(window.low / high)}", high - window.low)
    below = window.high is None or high <= window.high
    if below and (window.low is None or low >= window.low):
        return Judgement(Verdict.INSIDE, "met", 0.0)
    return Judgement(Verdict.NOT_KNOWN, "cannot tell: the limit lies within the doubt", 0.0)


def _db(ratio: float) -> str:
    return f"{20.0 * math.log10(ratio):.1f} dB at least"


def _outside(verdict: Verdict, value: float, limit: float, nominal: float | None) -> Judgement:
    beyond = value - limit
    if nominal and nominal != limit:
        off, allowed = abs(value / nominal - 1.0), abs(limit / nominal - 1.0)
        amount = _beside(100.0 * off, 100.0 * allowed)
    elif limit:
        off, amount = abs(beyond / limit), f" by {100.0 * abs(beyond / limit):.2g} % of the limit"
    else:
        off, amount = 0.0, ""
    return Judgement(verdict, f"{verdict.value}{amount if off < MOST_SHARE else ''}", beyond)


def _beside(off: float, allowed: float) -> str:
    """Both with as many figures as it takes to tell them apart."""
    for digits in (2, 3, 4, 5):
        shown = f"{off:.{digits}g}", f"{allowed:.{digits}g}"
        if shown[0] != shown[1]:
            break
    return f" by {shown[0]} %, {shown[1]} allowed"


def symmetric(nominal: float, half_width: float) -> Window:
    """Window of ``half_width`` either side of a nominal value."""
    return Window(nominal - half_width, nominal + half_width, nominal)
