"""The open lines to instruments, one each, kept between requests."""

from __future__ import annotations

import threading

from glowdial.bench.profile import Profile
from glowdial.bench.visa import VisaLine


class Lines:
    """Opens a line when it is first asked for; two requests never talk over each other."""

    def __init__(self) -> None:
        self._lines: dict[tuple[str, int, str], VisaLine] = {}
        self.turn = threading.RLock()

    def to(self, host: str, port: int, profile: Profile) -> VisaLine:
        """The line to an instrument."""
        with self.turn:
            key = (host, port, repr(profile))
            if key not in self._lines:
                self._lines[key] = VisaLine(host, port, profile)
            return self._lines[key]

    def close(self) -> None:
        """Let all lines go."""
        with self.turn:
            for line in self._lines.values():
                line.close()
            self._lines.clear()
