"""A job on network instruments in a process of their own; the plug is pulled while aligning."""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

from browser.beside import worked_beside
from browser.conftest import ROOT
from browser.page import BenchPage
from browser.walk import acknowledge, close_with_reason, take_at_bench
from glowdial.core.bench.movements import peak_by_turning
from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.steps import Step
from glowdial.core.model.measurands import Kind
from glowdial.demo.fill import START, tidewater_sheet
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import NETWORK, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.bench_work import as_it_stands, measure
from glowdial.workshop.instruments import RegisterCommand, register

pytestmark = pytest.mark.browser
FIRST = 15125
PORTS = {"generator": FIRST, "multimeter": FIRST + 1, "supply": FIRST + 2, "hands": FIRST + 3}
PLUG = FIRST + 10


MOVED = ("winding", "heater", "V", "reservoir")


class Client:
    """A plain SCPI client, as any other program."""

    def __init__(self, port: int) -> None:
        self._socket = socket.create_connection(("127.0.0.1", port), timeout=5)
        self._lines = self._socket.makefile("r")

    def close(self) -> None:
        """Hang up."""
        self._lines.close()
        self._socket.close()

    def tell(self, line: str) -> None:
        """Say something and see that it was accepted."""
        self._socket.sendall(f"{line};SYST:ERR?\n".encode())
        assert self._lines.readline().startswith("0"), line

    def ask(self, line: str) -> float:
        """Ask for a number."""
        self._socket.sendall(f"{line}\n".encode())
        return float(self._lines.readline())


class Plug:
    """A cable to the multimeter that can be pulled and put back."""

    def __init__(self) -> None:
        self._pairs: list[socket.socket] = []
        self._listener: socket.socket | None = None

    def put_in(self) -> None:
        """Connect."""
        self._listener = socket.create_server(("127.0.0.1", PLUG))
        threading.Thread(target=self._accept, args=(self._listener,), daemon=True).start()

    def pull(self) -> None:
        """Cut everything that runs through it."""
        assert self._listener is not None
        for end in (self._listener, *self._pairs):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
            end.close()
        self._pairs.clear()

    def _accept(self, listener: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while True:
                near, _ = listener.accept()
                far = socket.create_connection(("127.0.0.1", PORTS["multimeter"]))
                self._pairs += [near, far]
                for a, b in ((near, far), (far, near)):
                    threading.Thread(target=_pump, args=(a, b), daemon=True).start()


def _pump(source: socket.socket, target: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while data := source.recv(4096):
            target.sendall(data)


@pytest.fixture
def instruments() -> Iterator[None]:
    """The simulated instruments alone, in a process of their own."""
    command = [sys.executable, "-m", "glowdial", "bench", "--port", str(FIRST), "--seed", "1962"]
    # a set that warms up and an AVC that lags would make the test wait as a person does
    command.append("--at-rest")
    surroundings = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    with subprocess.Popen(command, env=surroundings, stdout=subprocess.DEVNULL) as bench:
        for _ in range(100):
            with contextlib.suppress(OSError):
                socket.create_connection(("127.0.0.1", PORTS["hands"]), timeout=1).close()
                break
            time.sleep(0.1)
        yield
        bench.terminate()


class Hands:
    """A person at the bench: clips and turns as the step says, and lets the page do the rest."""

    def __init__(self, workshop: Workshop, job: int) -> None:
        self._workshop, self._job = workshop, job
        self._hands = Client(PORTS["hands"])
        self._meter = Client(PORTS["multimeter"])

    def close(self) -> None:
        """Go home."""
        self._hands.close()
        self._meter.close()

    def work_a_step(self, page: BenchPage) -> str | None:
        """Do what hands must; return what is to be typed, None when the page took the reading."""
        step = job_page(self._workshop, self._job).journey.step(page.state()[1])
        return self._by_hand(step) or take_at_bench(page)

    def read_a_step(self, step: Step) -> str:
        """The same beside the page: what hands do not read, the instruments do."""
        typed = self._by_hand(step)
        if typed is not None:
            return typed
        version = job_page(self._workshop, self._job).version
        stamp = Stamp(f"read-{version}", version)
        return str(measure(self._workshop, self._job, stamp, step.key)["line"])

    def _by_hand(self, step: Step) -> str | None:
        """Leads, turns and what is read off in between; None where instruments read the rest."""
        view, ask = job_page(self._workshop, self._job), step.ask
        assert ask is not None
        if ask.recipe is None:
            return ask.example
        recipe = ask.recipe
        stands = as_it_stands(view.record)
        self._hands.tell(f"CLIP {'ON' if stands.get('oscillator_stopped') else 'OFF'}")
        self._hands.tell(f'INJ "{recipe.change.get("injection") or ""}"')
        wanted = [f.measurand for f in ask.fields if f.measurand and f.required]
        if any(m.kind is Kind.RIPPLE for m in wanted):
            return self._around_the_filter()
        places = {m.place for m in wanted if m.kind is not Kind.TURN} - {"line"}
        if recipe.doing is Doing.READ and any(p.startswith(MOVED) for p in places):
            # leads that go from place to place: read off, and typed
            return ask.example
        probe = next(iter(places), "avc") if recipe.doing is Doing.READ else "avc"
        self._hands.tell(f"PROB {probe if probe != 'generator' else 'avc'}")
        if recipe.doing is Doing.PEAK:
            return self._peak(str(recipe.adjuster))
        return None

    def _around_the_filter(self) -> str:
        """Volts and ripple at both capacitors, the leads moved in between."""
        values = []
        for question, factor in (("MEAS:VOLT:DC?", 1.0), ("MEAS:VOLT:AC?", 3.46)):
            for point in ("reservoir", "b-plus"):
                self._hands.tell(f"PROB {point}")
                values.append(factor * self._meter.ask(question))
        return " ".join(f"{v:.2f}" for v in values)

    def _peak(self, adjuster: str) -> str:
        stands = 0.0

        def measure(turns: float) -> float:
            nonlocal stands
            self._hands.tell(f'TURN "{adjuster}",{turns - stands:.6f}')
            stands = turns
            return abs(self._meter.ask("MEAS:VOLT:DC?"))

        before = measure(0.0)
        peak = peak_by_turning(measure, step_turns=0.125, reach_turns=7.0)
        return f"-{before:.3f} -{peak.reading:.3f} {peak.turns:+.3f}"


@pytest.fixture
def workshop(tmp_path: Path) -> Iterator[Workshop]:
    """The data that the server will open: a sheet, the instruments, a job on the network."""
    (tmp_path / "data").mkdir()
    database = Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite"))
    database.migrate()
    made = Workshop(database, lambda: START)
    sheet = import_sheet(made, "sheet-key", tidewater_sheet())
    for kind, port in (
        ("generator", PORTS["generator"]),
        ("multimeter", PLUG),
        ("line supply", PORTS["supply"]),
    ):
        register(made, f"key-of-{kind}", RegisterCommand(f"shelf {kind}", kind, "127.0.0.1", port))
    open_job(made, "job-key", OpenCommand(sheet, "Boathouse receiver", network=True))
    yield made
    database.close()


def test_the_plug_is_pulled_in_the_middle_of_an_alignment(
    page: BenchPage, serve: Callable[..., str], workshop: Workshop, instruments: None
) -> None:
    address = serve(demo=False)
    plug = Plug()
    plug.put_in()
    with contextlib.closing(Hands(workshop, 1)) as hands:
        align_and_pull(page, address, workshop, hands, plug)
    plug.pull()
    page.driver.get_log("browser")


def form_fields(page: BenchPage) -> list[WebElement]:
    """The fields of the form over the page."""
    return page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog] :is(select, input)")


def is_alert(page: BenchPage) -> bool:
    """Whether the guard line shouts."""
    return page.wait_for("guard").get_attribute("role") == "alert"


def watch_and_guard(page: BenchPage) -> None:
    """Live values, the tone, a guard reading that shouts, and a value captured with one key."""
    page.press(Keys.F6)
    page.wait("live values", lambda: "V" in page.text("live"))
    page.press(Keys.F7)
    for low, alarmed in (("10", False), ("900", True)):
        page.click("Guard")
        page.wait("the form", lambda: form_fields(page))
        what, least, most = form_fields(page)
        what.send_keys("line current")
        least.send_keys(low)
        most.send_keys("2", Keys.ENTER)
        page.wait("the refusal", lambda: "must rise" in page.text("trouble"))
        most.send_keys("000", Keys.ENTER)
        page.wait("no form", lambda: not form_fields(page))
        page.wait("the guard", lambda: "line current" in page.text("guard"))
        page.wait("the alarm", lambda wanted=alarmed: is_alert(page) is wanted)
    line = page.wait_for("line")
    page.press(Keys.F3)
    page.wait("the captured value", lambda: (line.get_attribute("value") or "").startswith("-"))
    line.send_keys(Keys.CONTROL, "a")
    line.send_keys(Keys.DELETE)


def align_and_pull(
    page: BenchPage, address: str, workshop: Workshop, hands: Hands, plug: Plug
) -> None:
    page.open(f"{address}/instruments")
    page.click("Does it answer?")
    page.wait("the identity", lambda: "SIMULATED GENERATOR" in page.driver.page_source)

    page.open(f"{address}/jobs/1")
    worked_beside(page, workshop, 1, "proof.found", hands.read_a_step)
    assert page.text("link") == NETWORK
    while page.state()[1].startswith("proof.found"):
        acknowledge(page)
        before = page.state()
        close_with_reason(page, "no audio meter on this bench")
        page.changed_from(before)
    worked_beside(page, workshop, 1, "if.pass1.gain", hands.read_a_step)
    before = len(job_page(workshop, 1).record.answers)
    watch_and_guard(page)

    plug.pull()
    page.wait("the sentence", lambda: "Readings so far are kept" in page.text("trouble"))
    page.press(Keys.F6)
    page.press(Keys.F2)
    page.wait("the trouble", lambda: "Readings so far are kept" in page.text("trouble"))
    plug.put_in()
    page.driver.execute_script("document.querySelector('[data-testid=line]').focus()")
    state = page.state()
    assert hands.work_a_step(page) is None
    page.press(Keys.ENTER)
    page.changed_from(state)

    view = job_page(workshop, 1)
    assert len(view.record.answers) == before + 1
    assert "dB" in view.journey.step("if.pass1.gain").results[0].text
    assert len(view.record.moves) == 4  # the four cores, typed, in the ledger
