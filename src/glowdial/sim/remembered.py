"""Answers of the simulated set that are asked for again and again while nothing moves."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class Remembered(Generic[T]):
    """The last few answers, by all that they depend on."""

    def __init__(self, most: int) -> None:
        self._most = most
        # several who look at one set ask at the same time
        self._lock = Lock()
        self._answers: OrderedDict[Hashable, T] = OrderedDict()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The answer to ``key``: the one that is kept, or the one made now."""
        with self._lock:
            if key in self._answers:
                self._answers.move_to_end(key)
                return self._answers[key]
        found = make()
        with self._lock:
            self._answers[key] = found
            if len(self._answers) > self._most:
                self._answers.popitem(last=False)
        return found
