"""The open lines to instruments, one each, kept between requests."""

from __future__ import annotations

import threading

from glowdial.bench.profile import Profile
from glowdial.bench.visa import Talks, VisaLine


class Lines:
    """Opens a line when it is first asked for. Each keeps its own turn: one that hangs holds up
    nobody else."""

    def __init__(self) -> None:
        self._lines: dict[tuple[str, int, str], VisaLine] = {}
        self._known = threading.Lock()
        self._talks = Talks()

    def to(self, host: str, port: int, profile: Profile) -> VisaLine:
        """The line to an instrument; raises BadInput for an address that cannot be right."""
        key = (host, port, repr(profile))
        with self._known:
            if key not in self._lines:
                self._lines[key] = VisaLine(host, port, profile, self._talks)
            return self._lines[key]

    def close(self) -> None:
        """Let all lines go."""
        with self._known:
            lines = list(self._lines.values())
            self._lines.clear()
        for line in lines:
            line.close()
