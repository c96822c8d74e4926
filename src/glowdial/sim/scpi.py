"""A small SCPI instrument: headers in long and short form, numbers with units, an error queue.

Source of the conventions: the Standard Commands for Programmable Instruments, 1999, and the common
commands of IEEE 488.2.
"""

from __future__ import annotations

import re
import time
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

UNITS = {
    "": 1.0,
    "HZ": 1.0,
    "KHZ": 1e3,
    "MHZ": 1e6,  # of a frequency; SCPI makes the exception
    "V": 1.0,
    "MV": 1e-3,
    "UV": 1e-6,
    "A": 1.0,
    "MA": 1e-3,
    "S": 1.0,
    "MS": 1e-3,
    "US": 1e-6,
    "W": 1.0,
}
QUEUE_LENGTH = 20


@dataclass
class ScpiError(Exception):
    """A refusal, with the standard's number and words."""

    code: int
    words: str

    def __str__(self) -> str:
        return f'{self.code},"{self.words}"'


UNDEFINED = ScpiError(-113, "Undefined header")
MISSING = ScpiError(-109, "Missing parameter")
NOT_A_NUMBER = ScpiError(-120, "Numeric data error")
BAD_UNIT = ScpiError(-131, "Invalid suffix")
OUT_OF_RANGE = ScpiError(-222, "Data out of range")
OVERFLOW = ScpiError(-350, "Queue overflow")

Handler = Callable[[str], str | None]


def number(text: str, *, low: float, high: float) -> float:
    """A number with its unit in SI, between ``low`` and ``high``; raises ScpiError otherwise."""
    if not text.strip():
        raise MISSING
    match = re.fullmatch(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*([A-Za-z]*)\s*", text)
    if match is None:
        raise NOT_A_NUMBER
    if match[2].upper() not in UNITS:
        raise BAD_UNIT
    value = float(match[1]) * UNITS[match[2].upper()]
    if not low <= value <= high:
        raise OUT_OF_RANGE
    return value


def switch(text: str) -> bool:
    """ON, OFF, 1 or 0."""
    states = {"ON": True, "1": True, "OFF": False, "0": False}
    if text.strip().upper() not in states:
        raise MISSING if not text.strip() else NOT_A_NUMBER
    return states[text.strip().upper()]


@dataclass(frozen=True)
class Mood:
    """How an instrument answers: well, late by ``delay_s``, silent, garbage, or with units."""

    how: str = "well"
    delay_s: float = 0.0


@dataclass
class ScpiInstrument:
    """Answers lines. ``commands`` maps headers such as ``[SOURce:]FREQuency?`` to handlers.

    A handler gets the parameters as text and returns the answer of a query, None of a setting.
    What goes wrong is queued as the standard says, and a query that fails answers nothing.
    """

    identity: str
    commands: Mapping[str, Handler]
    errors: deque[ScpiError] = field(default_factory=deque)
    mood: Mood = Mood()
    _patterns: list[tuple[re.Pattern[str], Handler]] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        common: dict[str, Handler] = {
            "*IDN?": lambda _: self.identity,
            "*CLS": self._clear,
            "*OPC?": lambda _: "1",
            "SYSTem:ERRor[:NEXT]?": self._next_error,
        }
        every = {**common, **self.commands}
        self._patterns = [(_pattern(header), handler) for header, handler in every.items()]

    def respond(self, line: str) -> str | None:
        """The answer to one line, which may hold several commands apart by semicolons."""
        answers = [a for part in line.split(";") if (a := self._one(part.strip())) is not None]
        return self._said(";".join(answers)) if answers else None

    def _said(self, answer: str) -> str | None:
        """The answer as the mood lets it out."""
        match self.mood.how:
            case "silent":
                return None
            case "garbage":
                return f"?{answer[::-1]}#"
            case "units":
                # as a meter that shows a unit beside a number scaled to it
                return f"{float(answer) * 1e3:.4f} mV" if _is_number(answer) else answer
            case _:
                time.sleep(self.mood.delay_s)
                return answer

    def _one(self, command: str) -> str | None:
        if not command:
            return None
        header, _, rest = command.partition(" ")
        for pattern, handler in self._patterns:
            if pattern.fullmatch(header.lstrip(":")):
                return self._carry_out(handler, rest)
        self._queue(UNDEFINED)
        return None

    def _carry_out(self, handler: Handler, rest: str) -> str | None:
        try:
            return handler(rest)
        except ScpiError as error:
            self._queue(error)
            return None

    def _queue(self, error: ScpiError) -> None:
        if len(self.errors) >= QUEUE_LENGTH:
            self.errors[-1] = OVERFLOW
        else:
            self.errors.append(error)

    def _next_error(self, _: str) -> str:
        return str(self.errors.popleft()) if self.errors else '0,"No error"'

    def _clear(self, _: str) -> None:
        self.errors.clear()


def _is_number(text: str) -> bool:
    return re.fullmatch(r"[+-]?\d+(\.\d*)?([eE][+-]?\d+)?", text) is not None


def _pattern(header: str) -> re.Pattern[str]:
    """``[SOURce:]FREQuency?`` as a pattern: capitals are the short form, brackets are optional."""

    def mnemonic(match: re.Match[str]) -> str:
        short, rest = match[1], match[2]
        return f"(?:{short}(?:{rest.upper()})?)" if rest else short

    text = re.escape(header).replace(r"\[", "(?:").replace(r"\]", ")?")
    return re.compile(re.sub(r"([A-Z]+)([a-z]*)", mnemonic, text), re.IGNORECASE)
