"""A line to one instrument, through PyVISA and its pure-Python backend.

What real instruments do is told in a sentence: not there, silent, garbage, overloaded, dripping,
endless. A reading takes no longer than its profile says, and no more than a bounded answer; after
trouble the line is opened anew, because the late answer would be taken for the next one, and what
came unasked is drained before the next question.
"""

from __future__ import annotations

import contextlib
import math
import re
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

from glowdial.bench.address import NEEDS, address_of
from glowdial.bench.profile import Profile
from glowdial.core.language.errors import LinkTrouble

UNIT = re.compile(r"[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?\s*([A-Za-zµΩ%]{1,6})")
OVERLOAD = 9e37
LONGEST_ANSWER = 200
# the longest row of readings that is read: some 50,000 of them
LONGEST_BYTES = 1_000_000
CHUNK_BYTES = 65_536
# an instrument that is being talked to is waited for no longer than this
BUSY_S = 1.0
# a stop does not wait: neither for the line, nor long for the answer
STOP_BUSY_S, STOP_S = 0.15, 0.7
GREETING_S = 0.02
# conversations at once over the whole bench: whoever comes after them is told, and does not wait
MOST_TALKS = 8


class Silent(OSError):
    """No answer in time."""


class Talks:
    """How many instruments may be talked to at once; the rest of the application goes on."""

    def __init__(self, most: int = MOST_TALKS) -> None:
        self._room = threading.BoundedSemaphore(most)

    @contextlib.contextmanager
    def one(self, where: str) -> Iterator[None]:
        """Room for one conversation; raises LinkTrouble when there is none."""
        if not self._room.acquire(timeout=BUSY_S / 10.0):
            raise LinkTrouble(
                f"The {where} was not asked: too many instruments are being waited for. Try again "
                "when they have answered."
            )
        try:
            yield
        finally:
            self._room.release()


class VisaLine:
    """Asks and tells one instrument; opens when first used and again after trouble. Two requests
    never talk over each other; ``talks`` bounds how many instruments are waited for at once."""

    def __init__(self, host: str, port: int, profile: Profile, talks: Talks | None = None) -> None:
        self.address = address_of(host, port)
        self._at = host, port
        # grows with every stop: a setting of several words does not go on after one
        self.stops = 0
        self.profile = profile
        self._where = f"{profile.kind} at {self.address.shown}"
        self._talks = talks or Talks()
        self._turn = threading.RLock()
        self._timeout_s = profile.timeout_s
        self._manager: Any = None
        self._session: Any = None

    @contextlib.contextmanager
    def _talking(self, busy_s: float = BUSY_S) -> Iterator[None]:
        if not self._turn.acquire(timeout=busy_s):
            raise LinkTrouble(f"The {self._where} is being asked something else; try again.")
        try:
            yield
        finally:
            self._turn.release()

    def identity(self) -> str:
        """What it says that it is."""
        return self._ask("*IDN?")

    def tell(self, call: str, value: float | None = None, *, since: int | None = None) -> None:
        """Carry out a setting, and wait until it is done where the profile can tell.

        With ``since``, the number of ``stops`` when a setting began, it is refused once there was
        another.
        """
        command = self.profile.command(call, value)
        with self._talking():
            if since is not None and since != self.stops:
                raise LinkTrouble(f"The {self._where} was stopped while it was being set.")
            self._carry_out(command)

    def stop(self, call: str) -> None:
        """Carry out a setting that switches something off, overtaking whatever hangs: on the line
        if it is free at once, else on one of its own. Raises LinkTrouble when it was not taken."""
        self.stops += 1
        if self._turn.acquire(timeout=STOP_BUSY_S):
            try:
                self._stop_here(call)
            finally:
                self._turn.release()
            return
        other = VisaLine(*self._at, self.profile)
        try:
            other._stop_here(call)
        finally:
            other.close()

    def _stop_here(self, call: str) -> None:
        usual, self._timeout_s = self._timeout_s, min(STOP_S, self._timeout_s)
        try:
            self._carry_out(self.profile.command(call), counted=False)
        finally:
            self._timeout_s = usual

    def _carry_out(self, command: str, *, counted: bool = True) -> None:
        if "ready" in self.profile.words:
            self._ask(f"{command};{self.profile.words['ready']}", counted=counted)
        else:
            self._guarded(lambda: self._write(command), counted=counted)
        self._complain(command, counted=counted)

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
            value = math.nan
        if math.isnan(value):
            self.close()
            raise LinkTrouble(self._no_number(answer[:LONGEST_ANSWER]))
        if abs(value) > OVERLOAD:
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
            with contextlib.suppress(Exception):
                session.close()

    def _complain(self, command: str, *, counted: bool = True) -> None:
        if "errors" not in self.profile.words:
            return
        said = self._ask(self.profile.words["errors"], counted=counted)
        if not said.lstrip("+").startswith("0"):
            raise LinkTrouble(f"The {self._where} refused {command!r}: {said[:LONGEST_ANSWER]}.")

    def _ask(self, command: str, *, counted: bool = True) -> str:
        with self._talking():
            return str(self._guarded(lambda: self._query(command), counted=counted))

    def _guarded(self, act: Any, *, counted: bool = True) -> Any:
        # imported here: a bench without instruments need not wait for it at every start
        from pyvisa.errors import VisaIOError

        room = self._talks.one(self._where) if counted else contextlib.nullcontext()
        try:
            with room:
                return act()
        except (Silent, VisaIOError) as error:
            self.close()
            raise LinkTrouble(
                f"The {self._where} {self._why(error)}. Readings so far are kept."
            ) from error
        except UnicodeDecodeError as error:
            self.close()
            raise LinkTrouble(f"The {self._where} answered garbage.") from error
        except OSError as error:
            self.close()
            why = NEEDS.get(self.address.way) or error.strerror or str(error)
            raise LinkTrouble(
                f"The {self._where} is not there: {why}. Readings so far are kept; see to its plug "
                "and try again."
            ) from error

    def _why(self, error: Exception) -> str:
        from pyvisa.constants import StatusCode
        from pyvisa.errors import VisaIOError

        if isinstance(error, VisaIOError) and error.error_code != StatusCode.error_timeout:
            return f"cannot be talked to ({error.abbreviation})"
        return f"did not answer within {self._timeout_s:g} s"

    def _query(self, command: str) -> str:
        session = self._open()
        _drain(session)
        self._write(command)
        return self._line(session).decode("ascii").strip()

    def _write(self, command: str) -> None:
        self._open().write(command)

    def _line(self, session: Any) -> bytes:
        """One answer, up to its end; raises Silent after the time, LinkTrouble beyond the bytes."""
        ends = time.monotonic() + self._timeout_s
        inner = session.visalib.sessions[session.session]
        found = bytearray()
        while b"\n" not in found:
            left_s = ends - time.monotonic()
            if left_s <= 0.0:
                raise Silent
            if len(found) > LONGEST_BYTES:
                self.close()
                raise LinkTrouble(f"The {self._where} does not end its answer.")
            found += _more(session, inner, left_s)
        return bytes(found[: found.index(b"\n")])

    def _open(self) -> Any:
        if self._session is None:
            import pyvisa

            if self.address.host:
                # a name that nobody knows is said at once
                socket.getaddrinfo(self.address.host, None)
            try:
                if self._manager is None:
                    self._manager = pyvisa.ResourceManager("@py")
                session = self._manager.open_resource(
                    self.address.resource, open_timeout=int(1e3 * self._timeout_s)
                )
            except (OSError, pyvisa.errors.VisaIOError):
                raise
            except Exception as error:
                # what a backend raises for a driver or a plug that is missing is of no one kind
                raise LinkTrouble(self._cannot_open(error)) from error
            session.read_termination = session.write_termination = "\n"
            session.timeout = 1e3 * self._timeout_s
            _no_delay(session)
            self._session = session
            # some greet whoever comes
            time.sleep(GREETING_S)
        self._session.timeout = 1e3 * self._timeout_s
        return self._session

    def _cannot_open(self, error: Exception) -> str:
        need = NEEDS.get(self.address.way)
        said = str(error).strip().splitlines()[0][:LONGEST_ANSWER] if str(error) else "no reason"
        return f"The {self._where} is not there: {need or said}. Readings so far are kept."


def _more(session: Any, inner: Any, left_s: float) -> bytes:
    """What has come by now, or comes within a time."""
    wire = inner.interface
    if not isinstance(wire, socket.socket):
        from pyvisa.constants import StatusCode

        session.timeout = 1e3 * left_s
        with session.ignore_warning(StatusCode.success_max_count_read):
            data, _ = session.visalib.read(session.session, 1)
        return bytes(data)
    if inner._pending_buffer:
        waiting = bytes(inner._pending_buffer)
        inner._pending_buffer.clear()
        return waiting
    wire.settimeout(left_s)
    try:
        data = wire.recv(CHUNK_BYTES)
    except TimeoutError:
        raise Silent from None
    finally:
        wire.settimeout(None)
    if not data:
        raise OSError("it closed the line")
    return data


def _drain(session: Any) -> None:
    """Throw away what came unasked, or late."""
    inner = session.visalib.sessions[session.session]
    wire = inner.interface
    if isinstance(wire, socket.socket):
        inner._pending_buffer.clear()
        wire.setblocking(False)
        try:
            for _ in range(LONGEST_BYTES // CHUNK_BYTES):
                if not wire.recv(CHUNK_BYTES):
                    break
        except BlockingIOError:
            pass
        finally:
            wire.setblocking(True)
    elif hasattr(wire, "reset_input_buffer"):
        wire.reset_input_buffer()


def _no_delay(session: Any) -> None:
    """Small packets at once: with the usual delay every query after a setting waits 40 ms."""
    inner = session.visalib.sessions[session.session].interface
    if isinstance(inner, socket.socket):
        inner.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
