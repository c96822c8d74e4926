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
# the dearest of them takes a second or two
LONGEST_S = 60.0


def _one_thread() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max_workers=1, thread_name_prefix="inference")


class Beside:
    """Computes in a thread of its own; ``known`` counts what it has learned so far, failures too.

    What is asked for before it is known is answered with None. One that fails, or takes longer than
    ``limit_s``, is logged with what it was asked for, and stays failed until ``try_again``.
    """

    def __init__(self, limit_s: float = LONGEST_S) -> None:
        self._limit_s = limit_s
        self._known: OrderedDict[Hashable, object] = OrderedDict()
        self._failed: dict[Hashable, str] = {}
        self._under_way: set[Hashable] = set()
        self._lock = threading.Condition()
        self._threads = _one_thread()
        self.known = 0

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """What is known for a key; None while it is still being worked out, or where that
        failed."""
        with self._lock:
            if key in self._known:
                self._known.move_to_end(key)
                return self._known[key]  # type: ignore[return-value]
            if key not in self._under_way and key not in self._failed:
                self._under_way.add(key)
                self._threads.submit(self._work, key, compute)
            return None

    def failure(self, key: Hashable) -> str:
        """Why the inference of a key gave nothing, in a few words; "" where it did not fail."""
        with self._lock:
            return self._failed.get(key, "")

    def try_again(self) -> None:
        """Forget what failed: it is worked out anew when it is asked for."""
        with self._lock:
            self._failed.clear()
            self.known += 1
            self._lock.notify_all()

    def _work(self, key: Hashable, compute: Callable[[], object]) -> None:
        watch = threading.Timer(self._limit_s, self._too_long, (key,))
        watch.daemon = True
        watch.start()
        try:
            found = compute()
        except Exception as error:
            logging.getLogger(__name__).exception("an inference failed: %r", key)
            self._fails(key, f"{error}" or type(error).__name__)
            return
        finally:
            watch.cancel()
        with self._lock:
            if key not in self._under_way:
                # it was given up meanwhile
                return
            self._known[key] = found
            if len(self._known) > MOST_KNOWN:
                self._known.popitem(last=False)
            self._under_way.discard(key)
            self.known += 1
            self._lock.notify_all()

    def _too_long(self, key: Hashable) -> None:
        """Give one up, and let what waits behind it go on in another thread."""
        logging.getLogger(__name__).error("an inference took too long: %r", key)
        with self._lock:
            self._threads.shutdown(wait=False, cancel_futures=True)
            self._threads = _one_thread()
            # what stood behind it is asked for again
            self._under_way = {key}
        self._fails(key, f"it took longer than {self._limit_s:.0f} s")

    def _fails(self, key: Hashable, why: str) -> None:
        with self._lock:
            if key not in self._under_way:
                return
            self._under_way.discard(key)
            self._failed[key] = why
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


def try_again(memory: Memory) -> None:
    """Have what failed worked out anew; one that computes at once has nothing to forget."""
    if isinstance(memory, Beside):
        memory.try_again()
