"""What can go wrong, in words for the person at the bench.

GlowDialError
  BadInput        a value that cannot be right: field, value, expectation, example
  NotFound        a record that is not there (any more)
  Conflict        the record changed since it was read, or the step does not allow this now
  Doubted         an entry far from the expectation; kept when it is sent again, confirmed
  LinkTrouble     an instrument that does not answer, or answers what cannot be used
"""

from __future__ import annotations

from dataclasses import dataclass


class GlowDialError(Exception):
    """Base of all errors that the application raises on purpose."""


@dataclass
class BadInput(GlowDialError):
    """A value that cannot be right.

    ``field`` is the people's name of the field, ``value`` what was given, ``expected`` says what
    is right and ``example`` shows it.
    """

    field: str
    value: str
    expected: str
    example: str

    def __str__(self) -> str:
        return f"{self.field}: {self.value!r} {self.expected}. Example: {self.example}"


@dataclass
class NotFound(GlowDialError):
    """A record that is not there."""

    what: str
    key: str

    def __str__(self) -> str:
        return f"There is no {self.what} {self.key!r} here; it may have been removed."


@dataclass
class Conflict(GlowDialError):
    """The request does not fit the present state of the record.

    ``yours`` and ``current`` are the two versions when the cause is a change in another window.
    """

    reason: str
    yours: int | None = None
    current: int | None = None

    def __str__(self) -> str:
        return self.reason


@dataclass
class Doubted(GlowDialError):
    """An entry that is understood but very far from what is expected."""

    reason: str

    def __str__(self) -> str:
        return self.reason


@dataclass
class LinkTrouble(GlowDialError):
    """An instrument that is gone, silent, overloaded, or talks nonsense."""

    reason: str

    def __str__(self) -> str:
        return self.reason


def require_positive(**named: float) -> None:
    """Raise BadInput unless every named value is finite and above zero.

    The name carries the unit (``lo_inductance_h``) and stands in the message.
    """
    for name, value in named.items():
        if not 0.0 < value < float("inf"):
            raise BadInput(name, f"{value!r}", "must be a finite number above zero", "1e-6")
