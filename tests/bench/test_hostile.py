"""Instruments that hang, drip, never end or talk unasked, and other ways than a socket."""

from __future__ import annotations

import contextlib
import os
import pty
import resource
import socket
import threading
import time
import tty
from collections.abc import Callable, Iterator

import pytest

from glowdial.bench.address import address_of
from glowdial.bench.network import NetworkGenerator, NetworkLineSupply, NetworkMultimeter
from glowdial.bench.profile import Profile, shipped_profile
from glowdial.bench.visa import Talks, VisaLine
from glowdial.core.language.errors import BadInput, LinkTrouble

METER = Profile(
    "plain", "multimeter", {"dc_volts": "V?", "ac_volts": "A?", "resistance": "R?"}, 0.3
)
Behaviour = Callable[[socket.socket], None]
# of one that is given all the time it wants
PATIENT_S = 10.0


class Strange:
    """A server on loopback that treats each client as it likes."""

    def __init__(self, behaviour: Behaviour) -> None:
        self._socket = socket.create_server(("127.0.0.1", 0), backlog=64)
        self.port = self._socket.getsockname()[1]
        self.said: list[bytes] = []
        self._behaviour = behaviour
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                client, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(target=self._treat, args=(client,), daemon=True).start()

    def _treat(self, client: socket.socket) -> None:
        with contextlib.suppress(OSError), client:
            self._behaviour(client)

    def close(self) -> None:
        self._socket.close()


def silent(client: socket.socket) -> None:
    while client.recv(4096):
        pass


def dripping(client: socket.socket) -> None:
    client.recv(4096)
    for _ in range(200):
        client.sendall(b"1")
        time.sleep(0.05)


def endless(client: socket.socket) -> None:
    client.recv(4096)
    while True:
        client.sendall(b"7" * 65536)


def chatty(client: socket.socket) -> None:
    client.sendall(b"99\n98\n")
    while client.recv(4096):
        client.sendall(b"1.25\n97\n")


@pytest.fixture
def strange() -> Iterator[Callable[[Behaviour], Strange]]:
    made: list[Strange] = []

    def make(behaviour: Behaviour) -> Strange:
        made.append(Strange(behaviour))
        return made[-1]

    yield make
    for server in made:
        server.close()


OPENED: list[VisaLine] = []


def opened(host: str, port: int, profile: Profile, talks: Talks | None = None) -> VisaLine:
    OPENED.append(VisaLine(host, port, profile, talks))
    return OPENED[-1]


@pytest.fixture(autouse=True)
def closed() -> Iterator[None]:
    """What a test opened is closed after it."""
    yield
    while OPENED:
        OPENED.pop().close()


def meter(port: int, talks: Talks | None = None) -> NetworkMultimeter:
    return NetworkMultimeter(opened("127.0.0.1", port, METER, talks))


@pytest.mark.parametrize("behaviour", [silent, dripping])
def test_a_reading_ends_with_its_time(
    strange: Callable[[Behaviour], Strange], behaviour: Behaviour
) -> None:
    begun = time.monotonic()
    with pytest.raises(LinkTrouble, match=r"did not answer within 0\.3 s"):
        meter(strange(behaviour).port).dc_volts()
    assert time.monotonic() - begun < 5.0


def test_an_endless_answer_is_bounded(strange: Callable[[Behaviour], Strange]) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(LinkTrouble, match=r"does not end its answer|did not answer"):
        meter(strange(endless).port).dc_volts()
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 60_000  # kB


def test_what_came_unasked_is_not_taken_for_an_answer(
    strange: Callable[[Behaviour], Strange],
) -> None:
    reading = meter(strange(chatty).port)
    for _ in range(3):
        assert reading.dc_volts() == 1.25
        time.sleep(0.05)


def test_more_than_a_few_are_never_waited_for_at_once(
    strange: Callable[[Behaviour], Strange],
) -> None:
    talks, server = Talks(2), strange(silent)
    hung = [
        threading.Thread(target=_trouble, args=(meter(server.port, talks),), daemon=True)
        for _ in range(2)
    ]
    for thread in hung:
        thread.start()
    time.sleep(0.1)
    with pytest.raises(LinkTrouble, match="too many instruments"):
        meter(server.port, talks).dc_volts()
    for thread in hung:
        thread.join()


def _trouble(one: NetworkMultimeter) -> None:
    with pytest.raises(LinkTrouble):
        one.dc_volts()


def test_a_stop_overtakes_a_reading_that_hangs(strange: Callable[[Behaviour], Strange]) -> None:
    heard: list[bytes] = []

    def hangs_but_stops(client: socket.socket) -> None:
        # answers nothing but the stop, on whichever line it comes
        while data := client.recv(4096):
            heard.append(data)
            if b"OUTP OFF" in data:
                client.sendall(b"1\n")
            elif b"ERR" in data:
                client.sendall(b'0,"No error"\n')

    profile = shipped_profile("generator")
    patient = Profile(profile.name, profile.kind, profile.words, PATIENT_S)
    line = opened("127.0.0.1", strange(hangs_but_stops).port, patient)
    generator = NetworkGenerator(line)
    hanging = threading.Thread(target=_set_level, args=(generator,), daemon=True)
    hanging.start()
    time.sleep(0.2)
    begun = time.monotonic()
    generator.switch_off()
    assert time.monotonic() - begun < PATIENT_S / 2.0
    assert any(b"OUTP OFF" in said for said in heard)


def _set_level(generator: NetworkGenerator) -> None:
    with pytest.raises(LinkTrouble):
        generator.set_level(1e-3)


def test_a_setting_does_not_go_on_after_a_stop() -> None:
    told: list[str] = []
    line = opened("127.0.0.1", 1, shipped_profile("line-supply"))

    def ask(command: str, *, counted: bool = True) -> str:
        told.append(command)
        if "VOLT" in command:
            line.stops += 1  # somebody stops it between the two words
        return '0,"No error"' if "ERR" in command else "1"

    line._ask = ask  # type: ignore[method-assign]
    with pytest.raises(LinkTrouble, match="was stopped"):
        NetworkLineSupply(line).set_line(230.0)
    assert not any("OUTP ON" in command for command in told)


def test_a_serial_instrument_is_read_through_its_line() -> None:
    ours, theirs = pty.openpty()
    tty.setraw(ours)
    tty.setraw(theirs)

    def answer() -> None:
        asked = b""
        while True:
            try:
                asked += os.read(ours, 64)
            except OSError:
                return
            while b"\n" in asked:
                question, _, asked = asked.partition(b"\n")
                os.write(ours, b"2.5\n" if question.strip() == b"V?" else b"bench,meter,1,1\n")

    threading.Thread(target=answer, daemon=True).start()
    line = opened(f"ASRL{os.ttyname(theirs)}::INSTR", 0, METER)
    assert line.identity() == "bench,meter,1,1"
    assert NetworkMultimeter(line).dc_volts() == 2.5
    line.close()
    os.close(theirs)


# the backend leaves its own half-made sockets behind
@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize(
    ("resource_name", "words"),
    [
        ("ASRL/dev/ttyNOTHING::INSTR", "serial line cannot be opened"),
        ("USB::0x1234::0x5678::SN1::INSTR", "not found on USB"),
        ("TCPIP::127.0.0.1::inst0::INSTR", "is not there|cannot be talked to|did not answer"),
        ("TCPIP::127.0.0.1::hislip0::INSTR", "is not there|cannot be talked to|did not answer"),
    ],
)
def test_each_way_has_its_own_sentence_when_it_does_not_open(
    resource_name: str, words: str
) -> None:
    with pytest.raises(LinkTrouble, match=words):
        opened(resource_name, 0, METER).identity()


@pytest.mark.parametrize(
    "host",
    [
        "256.1.1.1", "1.2.3", "-bench", "bench-", "a..b", ".bench", "be nch", "bench;rm", "0.0.0.0",
        "x" * 64, "TCPIP::-bench::INSTR", "TCPIP::bench::99999::SOCKET", "GPIB::5::INSTR",
        "USB::bench::INSTR", "ASRL", "http::bench",
    ],
)  # fmt: skip
def test_what_cannot_be_an_address_is_refused(host: str) -> None:
    with pytest.raises(BadInput) as refused:
        address_of(host, 5025)
    assert refused.value.example


@pytest.mark.parametrize(
    ("host", "wanted"),
    [
        ("bench", "TCPIP::bench::5025::SOCKET"),
        ("10.0.0.7", "TCPIP::10.0.0.7::5025::SOCKET"),
        ("TCPIP0::bench::hislip0::INSTR", "TCPIP0::bench::hislip0::INSTR"),
        ("ASRL/dev/ttyUSB0", "ASRL/dev/ttyUSB0::INSTR"),
    ],
)
def test_addresses_that_are_right(host: str, wanted: str) -> None:
    assert address_of(host, 5025).resource == wanted
