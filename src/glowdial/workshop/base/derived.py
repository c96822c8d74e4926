"""What was derived of a job, kept until the job, the register or what is known changes.

One derivation an entry: the write that made it fills this, and the pages read from it.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from glowdial.core.bench.equipment import Equipment
from glowdial.core.journey.room import Situation
from glowdial.core.plan.journey import Journey

MOST_JOBS = 32


@dataclass(frozen=True, slots=True)
class Derived:
    """A job's situation and journey at a version of the job, by the register of then; ``known`` is
    how much was inferred by then, where something was still being worked out."""

    version: int
    equipment: Equipment
    situation: Situation
    journey: Journey
    known: int = 0

    def holds(self, version: int, equipment: Equipment, known: int) -> bool:
        """Whether it is still so."""
        learned = self.journey.waits and known > self.known
        return self.version == version and self.equipment == equipment and not learned


@dataclass(slots=True)
class Derivations:
    """The derivations of the jobs worked last; ``count`` is how many there have been.

    ``restored`` is a file that is written when a backup took the data file's place: nothing that
    was derived before holds after that.
    """

    count: int = 0
    restored: Path | None = None
    _seen: float = 0.0
    _kept: OrderedDict[int, Derived] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def get(self, job_id: int) -> Derived | None:
        """What was derived of a job last."""
        with self._lock:
            self._forget_restored()
            if job_id in self._kept:
                self._kept.move_to_end(job_id)
            return self._kept.get(job_id)

    def _forget_restored(self) -> None:
        if self.restored is None:
            return
        with suppress(FileNotFoundError):
            written = self.restored.stat().st_mtime
            if written > self._seen:
                self._seen = written
                self._kept.clear()

    def put(self, job_id: int, derived: Derived) -> None:
        """Keep what was derived of a job."""
        with self._lock:
            self._kept[job_id] = derived
            self._kept.move_to_end(job_id)
            if len(self._kept) > MOST_JOBS:
                self._kept.popitem(last=False)

    def counted(self) -> None:
        """One more was made."""
        with self._lock:
            self.count += 1
