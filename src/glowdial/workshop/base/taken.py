"""What a bench offered to be entered: the workshop, not a page, says what was measured."""

from __future__ import annotations

import threading
from collections import deque
from dataclasses import dataclass, field

LIVE = "live"
# live values of the last minute and a half, at four a second
MOST_OFFERED = 400


@dataclass(slots=True)
class Taken:
    """Texts of values that were read at the bench of each job: for a question, or live."""

    _offered: dict[tuple[int, str], deque[str]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def offer(self, job_id: int, question: str, line: str) -> None:
        """A bench read these values for a question of the job, or ``LIVE``, as they are typed."""
        with self._lock:
            known = self._offered.setdefault((job_id, question), deque(maxlen=MOST_OFFERED))
            known.extend(line.split())

    def was_read(self, job_id: int, question: str, typed: str) -> bool:
        """Whether a value as it was entered for a question is one that the bench gave."""
        with self._lock:
            return any(
                typed.strip() in self._offered.get((job_id, where), ())
                for where in (question, LIVE)
            )
