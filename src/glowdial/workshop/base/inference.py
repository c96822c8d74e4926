"""Dear inferences beside the writes: a page shows what is known, and hears when there is more."""

from __future__ import annotations

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from glowdial.core.journey.memory import Memory

T = TypeVar("T")
MOST_KNOWN = 2000


class Beside:
    """Computes in a thread of its own; ``known`` counts what it has learned so far.

    What is asked for before it is known is answered with None. One that fails is logged, and asked
    for again the next time.
    """

    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, object] = OrderedDict()
        self._under_way: set[Hashable] = set()
        self._lock = threading.Condition()
        self._threads = ThreadPoolExecutor(max_workers=1, thread_name_prefix="inference")
        self.known = 0

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """What is known for a key; None while it is still being worked out."""
        with self._lock:
            if key in self._known:
                self._known.move_to_end(key)
                return self._known[key]  # type: ignore[return-value]
            if key not in self._under_way:
                self._under_way.add(key)
                self._threads.submit(self._work, key, compute)
            return None

    def _work(self, key: Hashable, compute: Callable[[], object]) -> None:
        try:
            found = compute()
        except Exception:
            logging.getLogger(__name__).exception("an inference failed")
            with self._lock:
                self._under_way.discard(key)
            return
        with self._lock:
            self._known[key] = found
            if len(self._known) > MOST_KNOWN:
                self._known.popitem(last=False)
            self._under_way.discard(key)
            self.known += 1
            self._lock.notify_all()

    def wait_for_more(self, since: int, seconds: float) -> int:
        """Wait until more is known than ``since``, at most so long; returns how much is."""
        with self._lock:
            self._lock.wait_for(lambda: self.known > since, seconds)
            return self.known

    def close(self) -> None:
        """Let the thread end."""
        self._threads.shutdown(wait=False, cancel_futures=True)


def known_by(memory: Memory) -> int:
    """How much a memory has learned beside the writes; 0 for one that computes at once."""
    return memory.known if isinstance(memory, Beside) else 0


def wait_for_more(memory: Memory, since: int, seconds: float) -> None:
    """Wait until a memory has learned more than ``since``, at most so long; one that computes at
    once never does."""
    if isinstance(memory, Beside):
        memory.wait_for_more(since, seconds)
