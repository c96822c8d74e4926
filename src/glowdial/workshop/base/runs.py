"""Long work at a bench that goes on by itself: one run a job, which may be paused and taken up."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field


@dataclass(slots=True)
class Run:
    """A run of a job: asked to pause, where it is now, and what stopped it; ``position`` is where
    the set's own switch stood as it began."""

    phase: str
    position: str = ""
    now: str = ""
    trouble: str = ""
    pausing: bool = False
    running: bool = True


@dataclass(slots=True)
class Runs:
    """The runs of this server, by job: what is read is in the record, and outlasts them."""

    _runs: dict[int, Run] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def begin(self, job_id: int, phase: str, position: str) -> Run | None:
        """A new run; None while one is going on."""
        with self._lock:
            last = self._runs.get(job_id)
            if last is not None and last.running:
                return None
            self._runs[job_id] = run = Run(phase, position)
            return run

    def of(self, job_id: int) -> Run | None:
        """The last run of a job, if this server had one."""
        with self._lock:
            return self._runs.get(job_id)

    def pause(self, job_id: int) -> None:
        """Ask a job's run to stop after the reading that it is taking."""
        with self._lock:
            run = self._runs.get(job_id)
            if run is not None:
                run.pausing = True
