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
from functools import lru_cache

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
LIMITS = ("MIN", "MINIMUM", "MAX", "MAXIMUM")
# bits of the standard event status register
OPERATION_COMPLETE, EXECUTION_ERROR, COMMAND_ERROR, POWER_ON = 1, 16, 32, 128
EVENT_SUMMARY, MESSAGE_AVAILABLE, ERROR_AVAILABLE = 32, 16, 4


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
OVERRUN = ScpiError(-363, "Input buffer overrun")
STALE = ScpiError(-230, "Data corrupt or stale")

Handler = Callable[[str], str | None]


def number(text: str, *, low: float, high: float) -> float:
    """A number with its unit in SI, between ``low`` and ``high``, or MINimum or MAXimum for them;
    raises ScpiError otherwise."""
    if not text.strip():
        raise MISSING
    if text.strip().upper() in LIMITS:
        return low if text.strip().upper().startswith("MIN") else high
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


def asked(value: Callable[[], float], *, low: float, high: float) -> Handler:
    """A query of a setting: its value, or with MINimum or MAXimum its limits."""

    def handler(text: str) -> str:
        return f"{number(text, low=low, high=high) if text.strip() else value():.6E}"

    return handler


def measuring(functions: Mapping[str, Handler]) -> dict[str, Handler]:
    """MEASure, CONFigure, READ and FETCh for what an instrument measures, by the function's header;
    the first is the one after a reset."""
    state = {"function": next(iter(functions)), "last": ""}

    def measure(name: str) -> Handler:
        def handler(text: str) -> str | None:
            state["function"] = name
            return read(text)

        return handler

    def configure(name: str) -> Handler:
        def handler(_: str) -> None:
            state["function"], state["last"] = name, ""

        return handler

    def read(text: str) -> str | None:
        state["last"] = functions[state["function"]](text) or ""
        return state["last"]

    def fetch(_: str) -> str:
        if not state["last"]:
            raise STALE
        return state["last"]

    def configured(_: str) -> str:
        shown = re.sub(r"[\[\]]", "", state["function"])
        return f'"{re.sub("[a-z]", "", shown).lstrip(":")}"'

    made: dict[str, Handler] = {"READ?": read, "FETCh?": fetch, "CONFigure?": configured}
    for name in functions:
        made[f"MEASure{name}?"] = measure(name)
        made[f"CONFigure{name}"] = configure(name)
    return made


@dataclass
class Client:
    """One who talks to an instrument: his own error queue and status registers."""

    errors: deque[ScpiError] = field(default_factory=deque)
    events: int = POWER_ON
    events_wanted: int = 0
    requests_wanted: int = 0

    def queue(self, error: ScpiError) -> None:
        """Note an error, as the standard says when the queue is full."""
        self.events |= COMMAND_ERROR if -200 < error.code <= -100 else EXECUTION_ERROR
        if len(self.errors) >= QUEUE_LENGTH:
            self.errors[-1] = OVERFLOW
        else:
            self.errors.append(error)

    def status(self) -> int:
        """The status byte."""
        events = EVENT_SUMMARY if self.events & self.events_wanted else 0
        return events | (ERROR_AVAILABLE if self.errors else 0)


@dataclass
class ScpiInstrument:
    """Answers lines. ``commands`` maps headers such as ``[SOURce:]FREQuency?`` to handlers.

    A handler gets the parameters as text and returns the answer of a query, None of a setting.
    What goes wrong is queued as the standard says, for the client who said it, and a query that
    fails answers nothing. ``reset`` is what ``*RST`` does.
    """

    identity: str
    commands: Mapping[str, Handler]
    reset: Callable[[], None] = lambda: None
    mood: Mood = Mood()
    _somebody: Client = field(default_factory=Client, repr=False)
    _patterns: list[tuple[re.Pattern[str], Handler]] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        self._patterns = [(_pattern(header), handler) for header, handler in self.commands.items()]

    def respond(self, line: str, client: Client | None = None) -> str | None:
        """The answer to one line, which may hold several commands apart by semicolons."""
        talker = client or self._somebody
        parts = (self._one(part.strip(), talker) for part in line.split(";"))
        answers = [a for a in parts if a is not None]
        return self._said(";".join(answers)) if answers else None

    def refuse(self, error: ScpiError, client: Client | None = None) -> None:
        """Note an error of a line that is not carried out at all."""
        (client or self._somebody).queue(error)

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

    def _one(self, command: str, client: Client) -> str | None:
        if not command:
            return None
        header, _, rest = command.partition(" ")
        for pattern, handler in (*self._common(client), *self._patterns):
            if pattern.fullmatch(header.lstrip(":")):
                return self._carry_out(handler, rest, client)
        client.queue(UNDEFINED)
        return None

    def _carry_out(self, handler: Handler, rest: str, client: Client) -> str | None:
        try:
            return handler(rest)
        except ScpiError as error:
            client.queue(error)
            return None

    def _common(self, client: Client) -> list[tuple[re.Pattern[str], Handler]]:
        """The common commands of IEEE 488.2 and the error queue, for one client."""

        def clear(_: str) -> None:
            client.errors.clear()
            client.events = 0

        def complete(_: str) -> None:
            client.events |= OPERATION_COMPLETE

        def events(_: str) -> str:
            found, client.events = client.events, 0
            return str(found)

        def want_events(text: str) -> None:
            client.events_wanted = int(number(text, low=0, high=255))

        def want_requests(text: str) -> None:
            client.requests_wanted = int(number(text, low=0, high=255))

        def begin_anew(_: str) -> None:
            self.reset()

        def nothing(_: str) -> None:
            return None

        every: dict[str, Handler] = {
            "*CLS": clear,
            "*ESE": want_events,
            "*ESE?": lambda _: str(client.events_wanted),
            "*ESR?": events,
            "*IDN?": lambda _: self.identity,
            "*OPC": complete,
            "*OPC?": lambda _: "1",
            "*RST": begin_anew,
            "*SRE": want_requests,
            "*SRE?": lambda _: str(client.requests_wanted),
            "*STB?": lambda _: str(client.status()),
            "*TST?": lambda _: "0",
            "*WAI": nothing,
            "SYSTem:ERRor[:NEXT]?": lambda _: next_error(client),
            "SYSTem:ERRor:COUNt?": lambda _: str(len(client.errors)),
            "SYSTem:VERSion?": lambda _: "1999.0",
        }
        return [(_known(header), handler) for header, handler in every.items()]


def next_error(client: Client) -> str:
    """The oldest error of a client."""
    return str(client.errors.popleft()) if client.errors else '0,"No error"'


def _is_number(text: str) -> bool:
    return re.fullmatch(r"[+-]?\d+(\.\d*)?([eE][+-]?\d+)?", text) is not None


@lru_cache(maxsize=64)
def _known(header: str) -> re.Pattern[str]:
    return _pattern(header)


def _pattern(header: str) -> re.Pattern[str]:
    """``[SOURce:]FREQuency?`` as a pattern: capitals are the short form, brackets are optional."""

    def mnemonic(match: re.Match[str]) -> str:
        short, rest = match[1], match[2]
        return f"(?:{short}(?:{rest.upper()})?)" if rest else short

    text = re.escape(header).replace(r"\[", "(?:").replace(r"\]", ")?")
    return re.compile(re.sub(r"([A-Z]+)([a-z]*)", mnemonic, text), re.IGNORECASE)
