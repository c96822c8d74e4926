"""A line to one instrument on the network, through PyVISA and its pure-Python backend.

What real instruments do is told in a sentence: not there, silent, garbage, overloaded. After
silence the line is opened anew, because the late answer would be taken for the next one.
"""

from __future__ import annotations

import contextlib
import math
import re
import socket
from typing import Any

from glowdial.bench.profile import Profile
from glowdial.core.language.errors import BadInput, LinkTrouble

ADDRESS = re.compile(r"[A-Za-z0-9.-]+")
UNIT = re.compile(r"[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?\s*([A-Za-zµΩ%]{1,6})")
OVERLOAD = 9e37
LONGEST_ANSWER = 200


class VisaLine:
    """Asks and tells one instrument; opens when first used and again after trouble."""

    def __init__(self, host: str, port: int, profile: Profile) -> None:
        if not ADDRESS.fullmatch(host) or not 1 <= port <= 65535:
            raise BadInput(
                "instrument", f"{host}:{port}", "must be a host and a port", "bench:5025"
            )
        self.profile = profile
        self._resource = f"TCPIP::{host}::{port}::SOCKET"
        self._where = f"{profile.kind} at {host}:{port}"
        self._manager: Any = None
        self._session: Any = None

    def identity(self) -> str:
        """What it says that it is."""
        return self._ask("*IDN?")

    def tell(self, call: str, value: float | None = None) -> None:
        """Carry out a setting, and wait until it is done where the profile can tell."""
        command = self.profile.command(call, value)
        if "ready" in self.profile.words:
            self._ask(f"{command};{self.profile.words['ready']}")
        else:
            self._guarded(lambda: self._open().write(command))
        self._complain(command)

    def measure(self, call: str) -> float:
        """One reading in SI; raises LinkTrouble for silence, garbage, units and overload."""
        return self._number(self._ask(self.profile.command(call)))

    def measure_row(self, call: str) -> tuple[float, ...]:
        """A row of readings apart by commas, all or none."""
        return tuple(
            self._number(part) for part in self._ask(self.profile.command(call)).split(",")
        )

    def _number(self, answer: str) -> float:
        try:
            value = float(answer)
        except ValueError:
            self.close()
            raise LinkTrouble(self._no_number(answer[:LONGEST_ANSWER])) from None
        if not math.isfinite(value) or abs(value) > OVERLOAD:
            raise LinkTrouble(
                f"The {self._where} is overloaded: take a higher range, or see where it is clipped."
            )
        return value

    def _no_number(self, shown: str) -> str:
        with_unit = UNIT.fullmatch(shown.strip())
        if with_unit:
            return (
                f"The {self._where} answered {shown!r}: a number in {with_unit[1]}, where a bare "
                "one in volts, amperes, ohms or hertz is wanted. Set it to answer without units."
            )
        return f"The {self._where} answered {shown!r}, which is no number."

    def close(self) -> None:
        """Let the line go; the next use opens it again."""
        session, self._session = self._session, None
        if session is not None:
            from pyvisa.errors import VisaIOError

            with contextlib.suppress(VisaIOError, OSError):
                session.close()

    def _complain(self, command: str) -> None:
        if "errors" not in self.profile.words:
            return
        said = self._ask(self.profile.words["errors"])
        if not said.lstrip("+").startswith("0"):
            raise LinkTrouble(f"The {self._where} refused {command!r}: {said[:LONGEST_ANSWER]}.")

    def _ask(self, command: str) -> str:
        return str(self._guarded(lambda: self._open().query(command))).strip()

    def _guarded(self, act: Any) -> Any:
        # imported here: a bench without instruments need not wait for it at every start
        from pyvisa.constants import StatusCode
        from pyvisa.errors import VisaIOError

        try:
            return act()
        except VisaIOError as error:
            self.close()
            silent = error.error_code == StatusCode.error_timeout
            why = (
                f"did not answer within {self.profile.timeout_s:g} s"
                if silent
                else f"cannot be talked to ({error.abbreviation})"
            )
            raise LinkTrouble(f"The {self._where} {why}. Readings so far are kept.") from error
        except UnicodeDecodeError as error:
            self.close()
            raise LinkTrouble(f"The {self._where} answered garbage.") from error
        except OSError as error:
            self.close()
            raise LinkTrouble(
                f"The {self._where} is not there: {error.strerror or error}. Readings so far are "
                "kept; see to its plug and try again."
            ) from error

    def _open(self) -> Any:
        if self._session is None:
            if self._manager is None:
                import pyvisa

                self._manager = pyvisa.ResourceManager("@py")
            session = self._manager.open_resource(self._resource)
            session.read_termination = session.write_termination = "\n"
            session.timeout = 1e3 * self.profile.timeout_s
            _no_delay(session)
            self._session = session
        return self._session


def _no_delay(session: Any) -> None:
    """Small packets at once: with the usual delay every query after a setting waits 40 ms."""
    inner = session.visalib.sessions[session.session].interface
    if isinstance(inner, socket.socket):
        inner.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
