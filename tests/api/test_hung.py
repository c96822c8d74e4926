"""Instruments that hang never slow a page, and never keep an output on."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator

import pytest

from api.conftest import Caller, open_job
from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import InstrumentServer
from glowdial.workshop.instruments import STOPPED_WITHIN_S

TRIALS = 45
# the backend leaves the sockets of those that do not answer to be swept up
pytestmark = pytest.mark.filterwarnings("ignore")


@pytest.fixture
def silence() -> Iterator[int]:
    """A port that takes everybody and answers nobody."""
    taken: list[socket.socket] = []
    server = socket.create_server(("127.0.0.1", 0), backlog=128)

    def take() -> None:
        while True:
            try:
                taken.append(server.accept()[0])
            except OSError:
                return

    threading.Thread(target=take, daemon=True).start()
    yield int(server.getsockname()[1])
    server.close()
    for one in taken:
        one.close()


def registered(caller: Caller, kind: str, port: int, name: str) -> int:
    body = {"name": name, "kind": kind, "host": "127.0.0.1", "port": port}
    return int(caller.write("/api/instruments", body).json()["id"])


def test_forty_five_hung_trials_do_not_slow_a_page(caller: Caller, silence: int) -> None:
    job = open_job(caller)
    ids = [registered(caller, "multimeter", silence, f"meter {n}") for n in range(TRIALS)]
    said: list[int] = []

    def trial(instrument: int) -> None:
        answer = caller.http.post(f"/api/instruments/{instrument}/trial")
        said.append(answer.status_code)

    trials = [threading.Thread(target=trial, args=(i,)) for i in ids]
    usual = _page_s(caller, job)
    for thread in trials:
        thread.start()
    time.sleep(0.3)
    # the page comes while they hang, and is not one of a queue behind them
    assert _page_s(caller, job) < max(20.0 * usual, 1.0)
    for thread in trials:
        thread.join()
    assert said == [502] * TRIALS


def _page_s(caller: Caller, job: int) -> float:
    begun = time.monotonic()
    assert caller.http.get(f"/api/jobs/{job}").status_code == 200
    return time.monotonic() - begun


def test_all_off_answers_in_time_whatever_hangs(
    caller: Caller, silence: int, servers: dict[str, InstrumentServer], room: SimulatedRoom
) -> None:
    job = open_job(caller, network=True)
    parts = instruments(room)
    parts["generator"].respond("VOLT 1 mV;OUTP ON")
    registered(caller, "generator", servers["generator"].port, "the good one")
    registered(caller, "line supply", silence, "a silent one")
    registered(caller, "generator", 1, "nobody there")
    registered_name = caller.write(
        "/api/instruments",
        {"name": "mistyped", "kind": "line supply", "host": "no-such-host.invalid", "port": 5025},
    )
    assert registered_name.status_code == 201
    # what this machine takes for anything at all, at this hour
    usual = _page_s(caller, job)
    begun = time.monotonic()
    failed = caller.http.post(f"/api/jobs/{job}/bench/stop").json()["failed"]
    assert time.monotonic() - begun < STOPPED_WITHIN_S + max(20.0 * usual, 0.2)
    assert not room.output_on
    assert len(failed) == 3 and all(f.startswith("NOT switched off") for f in failed)


def test_an_alarm_switches_every_output_off(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom
) -> None:
    job = open_job(caller)
    parts = instruments(room)
    parts["supply"].respond("VOLT 230;OUTP ON")
    parts["generator"].respond("VOLT 1 mV;OUTP ON")
    registered(caller, "generator", servers["generator"].port, "generator")
    registered(caller, "line supply", servers["supply"].port, "supply")
    # nobody has to have read the page anew
    said = caller.into(job, "alarms", version=0, step="", sign="smoke", words="left can")
    assert said.status_code == 201
    ends = time.monotonic() + 5.0
    while (room.output_on or room.line_on) and time.monotonic() < ends:
        time.sleep(0.02)
    assert not room.output_on and not room.line_on
    assert caller.job(job)["alarm"]["reasons"] == ["smoke: left can"]
