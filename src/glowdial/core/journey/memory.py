"""What was inferred once is not inferred again: dear inferences, remembered by what they read.

A rule asks with a key that names all that its inference reads, and says how it is computed. A
memory may compute at once, or answer None for now and compute beside the write.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Protocol, TypeVar

T = TypeVar("T")


class Memory(Protocol):
    """Remembers what was inferred."""

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """What is known for a key; None while it is still being worked out, or where that
        failed."""
        ...

    def failure(self, key: Hashable) -> str:
        """Why the inference of a key gave nothing, in a few words; "" where it did not fail."""
        ...


class AtOnce:
    """Computes what it does not know yet, there and then; what fails there is raised."""

    def __init__(self) -> None:
        self._known: dict[Hashable, object] = {}

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """What is known for a key."""
        if key not in self._known:
            self._known[key] = compute()
        return self._known[key]  # type: ignore[return-value]

    def failure(self, key: Hashable) -> str:
        """Nothing: a failure was raised."""
        return ""
