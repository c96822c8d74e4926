"""SCPI servers on loopback: one line in, one line out, as an instrument's raw socket."""

from __future__ import annotations

import socketserver
import threading
from collections.abc import Mapping

from glowdial.sim.scpi import ScpiInstrument

LONGEST_LINE = 4096
FIRST_PORT = 5025


class _Line(socketserver.StreamRequestHandler):
    """One client; it may stay as long as it likes."""

    disable_nagle_algorithm = True

    def handle(self) -> None:
        assert isinstance(self.server, InstrumentServer)
        while raw := self.rfile.readline(LONGEST_LINE):
            answer = self.server.respond(raw.decode("ascii", "replace").strip())
            if answer is not None:
                self.wfile.write(f"{answer}\n".encode())


class InstrumentServer(socketserver.ThreadingTCPServer):
    """One instrument on one port of 127.0.0.1; clients take turns, line by line."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, instrument: ScpiInstrument, port: int) -> None:
        super().__init__(("127.0.0.1", port), _Line)
        self._instrument = instrument
        self._turn = threading.Lock()

    @property
    def port(self) -> int:
        """The port that it listens on."""
        return int(self.server_address[1])

    def respond(self, line: str) -> str | None:
        """What the instrument says to a line."""
        with self._turn:
            return self._instrument.respond(line)


def serve(
    instruments: Mapping[str, ScpiInstrument], first_port: int = FIRST_PORT
) -> dict[str, InstrumentServer]:
    """Start every instrument, on ports from ``first_port`` up (0: any that are free)."""
    started: dict[str, InstrumentServer] = {}
    for n, (name, instrument) in enumerate(instruments.items()):
        server = InstrumentServer(instrument, first_port + n if first_port else 0)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        started[name] = server
    return started


def stop(servers: Mapping[str, InstrumentServer]) -> None:
    """Switch them all off."""
    for server in servers.values():
        server.shutdown()
        server.server_close()
