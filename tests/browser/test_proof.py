"""Proof of performance in the page: a sensitivity typed as a needle wanders, and a tuner's list run
on instruments whose process dies in the middle."""

from __future__ import annotations

import contextlib
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

import pytest
from selenium.webdriver import Keys

from browser.conftest import CLOCK, ROOT, first_port
from browser.page import BenchPage
from browser.walk import acknowledge
from glowdial.core.journey.steps import Step
from glowdial.demo.fill import STEREO, DemoClock, demo_sheet, tidewater_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sheets.measurement_list import shipped_list
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.instruments import RegisterCommand, register

pytestmark = pytest.mark.browser
PORTS = 15_600 + (first_port() % 100)
INSTRUMENTS = (("line supply", 2), ("FM generator", 8), ("audio analyser", 9))
# a set whose 10 dB stand at 20 uV, seen by somebody who names the ends of the needle's way
WANDERING = ("60 2.52-2.82 0.28-0.31", "20 0.85-0.98 0.28-0.32", "21 0.86-0.99 0.27-0.31")


def workshop_at(folder: Path) -> Workshop:
    (folder / "data").mkdir()
    database = Database(sqlite_url(folder / "data" / "glowdial.sqlite"))
    database.migrate()
    # the server goes on at the moment that its command is given
    return Workshop(database, DemoClock(datetime.fromisoformat(CLOCK)))


def typed(step: Step) -> str:
    assert step.ask is not None
    return "25 0.92 0.0291" if step.key.startswith("proof.found") else step.ask.example


def seen_to(page: BenchPage) -> None:
    """Every caution that this step has."""
    page.wait("a step", page.settled)
    for _ in range(10):
        if not page.find("acknowledge"):
            return
        acknowledge(page)
        page.wait("a step", page.settled)


def test_a_sensitivity_is_searched_for_by_keyboard_and_told_with_its_doubt(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    workshop = workshop_at(tmp_path)
    sheet = import_sheet(workshop, "sheet", tidewater_sheet())
    job = open_job(workshop, "job", OpenCommand(sheet, "Reading room receiver"))
    Volunteer(workshop, job, typed).work(lambda step: step.key.startswith("proof.found"))
    workshop.database.close()
    address = serve(demo=False)
    page.open(f"{address}/jobs/{job}")
    seen_to(page)
    assert page.state()[1] == "proof.found.bc.1"
    # the ends the wrong way round are asked for again, and nothing is lost
    page.type_over("60 2.82-2.52 0.28-0.31")
    page.press(Keys.ENTER)
    page.wait("the refusal", lambda: "lower end first" in page.text("trouble"))
    for line in WANDERING:
        before = page.state()
        page.type_over(line)
        page.press(Keys.ENTER)
        page.changed_from(before)
        if page.state()[1] != "proof.found.bc.1":
            break
    page.open(f"{address}/jobs/{job}?step=proof.found.bc.1")
    page.wait("the figure", lambda: "EMF (" in page.driver.page_source)
    told = page.driver.find_element("css selector", "main").text
    assert "for 10 dB" in told and "Known to" in page.text("advice")
    page.open(f"{address}/jobs/{job}?step=proof.found.conditions")
    page.wait("the conditions", lambda: "What the figures as found" in page.text("step-title"))


@dataclass
class Bench:
    """The simulated instruments of a tuner in a process of their own, which may die."""

    sheet: Path
    process: subprocess.Popen[bytes] | None = field(default=None)

    def start(self) -> None:
        """Start them and wait until they answer."""
        command = [sys.executable, "-m", "glowdial", "bench", "--port", str(PORTS), "--at-rest"]
        command += ["--sheet", str(self.sheet), "--seed", "3"]
        surroundings = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        self.process = subprocess.Popen(command, env=surroundings, stdout=subprocess.DEVNULL)
        for _ in range(200):
            with contextlib.suppress(OSError):
                socket.create_connection(("127.0.0.1", PORTS + 9), timeout=1).close()
                return
            time.sleep(0.1)
        raise AssertionError("the instruments did not start")

    def die(self) -> None:
        """As when a plug is pulled."""
        assert self.process is not None
        self.process.kill()
        self.process.wait()


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    sheet = tmp_path / "tuner.json"
    sheet.write_text(demo_sheet(STEREO), "utf-8")
    made = Bench(sheet)
    made.start()
    yield made
    made.die()


def test_the_list_is_run_cut_off_and_taken_up(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path, bench: Bench
) -> None:
    workshop = workshop_at(tmp_path)
    sheet = import_sheet(workshop, "sheet", demo_sheet(STEREO))
    job = open_job(workshop, "job", OpenCommand(sheet, "Choir loft tuner", network=True))
    for kind, port in INSTRUMENTS:
        at = RegisterCommand(f"shelf {kind}", kind, "127.0.0.1", PORTS + port)
        register(workshop, f"key of {kind}", at)
    Volunteer(workshop, job, typed).work(lambda step: step.key.startswith("if."))
    workshop.database.close()
    address = serve(demo=False)
    page.open(f"{address}/jobs/{job}?step=proof.fm-list")
    page.wait_for("fm-list")
    page.click("Take this list")
    count = len(shipped_list().measurements)
    page.wait("it is taken", lambda: f"{count} measurements" in page.driver.page_source)
    page.open(f"{address}/jobs/{job}?step=proof.fm-found.quieting")
    seen_to(page)
    page.open(f"{address}/jobs/{job}?step=proof.fm-found")
    page.wait_for("fm-run")
    page.click("Run the list")
    page.wait("some points", lambda: kept(page) >= 6)
    bench.die()
    page.wait("the trouble", lambda: "What was read is kept" in page.text("fm-run-trouble"))
    before = kept(page)
    bench.start()
    page.click("Go on with the list")
    page.wait("more points", lambda: kept(page) >= before + 6)
    page.click("Pause")
    page.wait("it pauses", lambda: "Paused" in page.text("fm-run-words"))
    page.open(f"{address}/jobs/{job}?step=proof.fm-found.quieting")
    page.wait("its figures", lambda: "30 dB at" in page.text("advice"))
    page.driver.get_log("browser")


def kept(page: BenchPage) -> int:
    """How many points the page says are kept."""
    words = page.text("fm-run").split(" of ")[0].split()
    return int(words[-1]) if words and words[-1].isdigit() else 0
