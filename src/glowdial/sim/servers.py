"""SCPI servers on loopback: one line in, one line out, as an instrument's raw socket."""

from __future__ import annotations

import socketserver
import threading
from collections.abc import Mapping

from glowdial.sim.scpi import OVERRUN, Client, ScpiInstrument

LONGEST_LINE = 4096
FIRST_PORT = 5025


class _Line(socketserver.StreamRequestHandler):
    """One client; it may stay as long as it likes."""

    disable_nagle_algorithm = True

    def handle(self) -> None:
        assert isinstance(self.server, InstrumentServer)
        client = Client()
        while raw := self.rfile.readline(LONGEST_LINE):
            if not raw.endswith(b"\n") and len(raw) >= LONGEST_LINE:
                # nothing of a line that is too long is carried out, least of all its tail
                while raw and not raw.endswith(b"\n"):
                    raw = self.rfile.readline(LONGEST_LINE)
                self.server.refuse(client)
                continue
            answer = self.server.respond(raw.decode("ascii", "replace").strip(), client)
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

    def respond(self, line: str, client: Client | None = None) -> str | None:
        """What the instrument says to a client's line."""
        with self._turn:
            return self._instrument.respond(line, client)

    def refuse(self, client: Client) -> None:
        """A client's line was too long."""
        with self._turn:
            self._instrument.refuse(OVERRUN, client)


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
