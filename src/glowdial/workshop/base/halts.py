"""Word of an alarm to whatever is driving a bench just now, without waiting for the data file."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field


@dataclass(slots=True)
class Halts:
    """How often each job was halted; who drives looks whether it grew since he began. ``tell`` is
    called with each: instruments on the network are switched off by it."""

    tell: Callable[[int], None] | None = None
    _counts: dict[int, int] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def count(self, job_id: int) -> int:
        """How often a job was halted."""
        with self._lock:
            return self._counts.get(job_id, 0)

    def halt(self, job_id: int) -> None:
        """Halt whatever drives this job's bench."""
        with self._lock:
            self._counts[job_id] = self._counts.get(job_id, 0) + 1
        if self.tell is not None:
            self.tell(job_id)
