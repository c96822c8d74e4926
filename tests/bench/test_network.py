"""The simulated instruments over real sockets, and everything that goes wrong with real ones."""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace

import pytest

from glowdial.bench.network import (
    NetworkGenerator,
    NetworkLineSupply,
    NetworkMultimeter,
    NetworkOscilloscope,
)
from glowdial.bench.profile import Profile, shipped_profile
from glowdial.bench.visa import VisaLine
from glowdial.core.language.errors import BadInput, LinkTrouble
from glowdial.core.model.measurands import B_PLUS
from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import InstrumentServer, serve, stop

Lines = Callable[..., VisaLine]


@pytest.fixture
def line() -> Iterator[Lines]:
    """Opens lines, and closes them afterwards."""
    opened: list[VisaLine] = []

    def to(port: int, profile: str = "multimeter", timeout_s: float = 2.0) -> VisaLine:
        words = replace(shipped_profile(profile), timeout_s=timeout_s)
        opened.append(VisaLine("127.0.0.1", port, words))
        return opened[-1]

    yield to
    for each in opened:
        each.close()


def test_a_set_is_brought_up_and_its_if_found_over_the_network(
    servers: dict[str, InstrumentServer], room: SimulatedRoom, line: Lines
) -> None:
    supply = NetworkLineSupply(line(servers["supply"].port, "line-supply"))
    generator = NetworkGenerator(line(servers["generator"].port, "generator"))
    meter = NetworkMultimeter(line(servers["multimeter"].port))
    hands = instruments(room)["hands"]

    for command in ("PROB b-plus", "CLIP ON", 'INJ "mixer grid"'):
        assert hands.respond(command) is None
    supply.set_line(230.0)
    assert supply.line_volts() == pytest.approx(230.0)
    b_plus = meter.dc_volts()
    assert b_plus == pytest.approx(room.receiver.b_plus_v(230.0), rel=1e-4)

    hands.respond("PROB avc")
    generator.set_level(300e-6)
    readings = {}
    for frequency in (455e3, 460e3, 465e3, 470e3, 475e3):
        generator.set_frequency(frequency)
        readings[frequency] = meter.dc_volts()
    assert min(readings, key=lambda f: readings[f]) == 465e3  # the AVC line is negative
    generator.set_level(0.0)
    assert abs(meter.dc_volts()) < 0.1
    assert hands.respond("SYST:ERR?") == '0,"No error"'


def test_instruments_say_what_they_are(servers: dict[str, InstrumentServer], line: Lines) -> None:
    assert "GENERATOR" in line(servers["generator"].port, "generator").identity()


def test_a_refused_setting_is_told_and_nothing_moves(
    servers: dict[str, InstrumentServer], room: SimulatedRoom, line: Lines
) -> None:
    generator = NetworkGenerator(line(servers["generator"].port, "generator"))
    before = room.state
    with pytest.raises(LinkTrouble, match=r"refused 'FREQ 900000000': -222,.*out of range"):
        generator.set_frequency(9e8)
    assert room.state == before


def test_overload_is_not_a_reading(
    servers: dict[str, InstrumentServer], room: SimulatedRoom, line: Lines
) -> None:
    meter = NetworkMultimeter(line(servers["multimeter"].port))
    room.probe = "b-plus"
    room.change(line_v=230.0)
    with pytest.raises(LinkTrouble, match="overloaded"):
        meter.resistance_ohm()


def test_the_plug_is_pulled_and_put_back(room: SimulatedRoom, line: Lines) -> None:
    servers = serve(instruments(room), 0)
    port = servers["multimeter"].port
    meter = NetworkMultimeter(line(port, timeout_s=0.3))
    room.probe = "avc"
    assert meter.dc_volts() == 0.0
    stop(servers)
    # the old connection may still answer from its thread: a real plug takes it along
    meter._line.close()
    with pytest.raises(LinkTrouble, match=r"not there|cannot be talked to"):
        meter.dc_volts()
    again = serve(instruments(room), 0)
    moved = InstrumentServer(instruments(room)["multimeter"], port)
    threading.Thread(target=moved.serve_forever, daemon=True).start()
    assert meter.dc_volts() == 0.0
    stop({**again, "moved": moved})


class Odd:
    """An instrument that answers what it is told to, or keeps silent."""

    def __init__(self, *answers: bytes | None) -> None:
        self._answers = list(answers)
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        while self._answers:
            client, _ = self._socket.accept()
            with client, client.makefile("rb") as questions:
                while self._answers and questions.readline():
                    answer = self._answers.pop(0)
                    if answer is None:
                        break
                    client.sendall(answer)
        self._socket.close()


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        (b"rather warm\n", "'rather warm', which is no number"),
        (b"231.4 mV\n", "a number in mV, where a bare one"),
        (b"1.2E-1 A\n", "a number in A"),
        (b"\xff\xfe\x00\n", "garbage|no number"),
        (b"NAN\n", "no number"),
        (b"9.9E37\n", "overloaded"),
        (b"\n", "no number"),
    ],
)
def test_nonsense_is_told_and_the_next_reading_is_good(
    line: Lines, answer: bytes, words: str
) -> None:
    odd = Odd(answer, b"1.25\n", b"1.5\n")
    meter = NetworkMultimeter(line(odd.port, timeout_s=0.5))
    with pytest.raises(LinkTrouble, match=words):
        meter.dc_volts()
    assert meter.dc_volts() == 1.25


def test_silence_is_told_and_a_late_answer_is_not_taken_for_the_next(line: Lines) -> None:
    odd = Odd(b"", b"2.5\n")
    meter = NetworkMultimeter(line(odd.port, timeout_s=0.2))
    with pytest.raises(LinkTrouble, match=r"did not answer within 0.2 s"):
        meter.dc_volts()
    assert meter.dc_volts() == 2.5


@pytest.mark.parametrize(
    ("host", "port"), [("bench; rm", 5025), ("127.0.0.1", 0), ("127.0.0.1", 70000), ("", 1)]
)
def test_an_address_that_is_none_is_refused(host: str, port: int) -> None:
    with pytest.raises(BadInput, match="host and a port"):
        VisaLine(host, port, shipped_profile("multimeter"))


def test_a_profile_of_another_kind_is_refused(line: Lines) -> None:
    with pytest.raises(BadInput, match="must be of a generator"):
        NetworkGenerator(line(5025, "multimeter"))


def test_profiles_may_do_without_errors_and_ready(
    servers: dict[str, InstrumentServer], room: SimulatedRoom
) -> None:
    plain = Profile(
        "plain",
        "generator",
        {
            "frequency": "FREQ {value}",
            "level": "VOLT {value}",
            "output_on": "OUTP 1",
            "output_off": "OUTP 0",
        },
    )
    wire = VisaLine("127.0.0.1", servers["generator"].port, plain)
    NetworkGenerator(wire).set_frequency(700e3)
    assert wire.identity() and room.state.generator_hz == 700e3
    wire.close()


def test_a_trace_is_read_whole_and_one_bad_number_spoils_it(
    servers: dict[str, InstrumentServer], line: Lines
) -> None:
    scope = NetworkOscilloscope(line(servers["oscilloscope"].port, "oscilloscope"))
    assert len(scope.trace(0.02)) == 501
    odd = Odd(b"1\n", b'0,"No error"\n', b"1.0,2.0,x,4.0\n")
    spoiled = NetworkOscilloscope(line(odd.port, "oscilloscope", timeout_s=0.5))
    with pytest.raises(LinkTrouble, match="no number"):
        spoiled.trace(0.02)


def test_hold_off_is_waited_for_and_too_long_a_one_is_told(
    servers: dict[str, InstrumentServer], room: SimulatedRoom, line: Lines
) -> None:
    room.change(line_v=230.0)
    meter = NetworkMultimeter(line(servers["multimeter"].port, timeout_s=0.6))
    room.probe = "b-plus"
    servers["hands"].respond("MOOD multimeter,late 0.2")
    assert meter.dc_volts() == pytest.approx(room.read(B_PLUS), rel=0.01)
    servers["hands"].respond("MOOD multimeter,late 1")
    with pytest.raises(LinkTrouble, match=r"did not answer within 0\.6 s"):
        meter.dc_volts()
    servers["hands"].respond("MOOD multimeter,well")
    assert meter.dc_volts() > 100.0
