"""One headless browser for the session, and servers of the real application to look at."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from browser.page import BenchPage
from glowdial.sim.condition import Condition

ROOT = Path(__file__).resolve().parents[2]
PREPARED = ROOT / ".glow" / "demo.sqlite"
# what a page keeps; one that may keep nothing has nothing
FORGET = "try { localStorage.clear(); sessionStorage.clear() } catch (error) { }"
WALKED = """
    try {
        if (!sessionStorage.getItem("stranger")) localStorage.setItem("glowdial.walked", "yes");
    } catch (error) { }
"""
FLAGS = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
    "--window-size=1280,800",
)
CLOCK = "2026-05-11T10:00:00"
FIRST_PORT, PORTS_EACH = 8700, 20


@dataclass(frozen=True)
class Server:
    """A running application."""

    address: str
    process: subprocess.Popen[bytes]


def start_server(folder: Path, port: int, *, demo: bool) -> Server:
    """Start the application as its commands do, and wait until it answers."""
    command = [sys.executable, "-m", "glowdial", "demo" if demo else "run"]
    command += ["--port", str(port), "--data", str(folder), "--web", str(ROOT / "web" / "dist")]
    command += ["--at", CLOCK]
    if demo:
        command += ["--prepared", str(PREPARED)]
    surroundings = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    process = subprocess.Popen(command, cwd=ROOT, env=surroundings, stdout=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    for _ in range(150):
        try:
            with urllib.request.urlopen(f"{address}/api/health", timeout=2):
                return Server(address, process)
        except OSError:
            assert process.poll() is None, "the server ended at once"
            time.sleep(0.1)
    raise AssertionError("the server did not answer")


def open_simulated(address: str, sheet: str, condition: Condition) -> str:
    """A job for a simulated set of one of the sheets on the shelf; gives the job's address."""
    sheets = json.loads(urllib.request.urlopen(f"{address}/api/sheets").read())
    body = {
        "sheet_id": next(s["id"] for s in sheets if s["model"] == sheet),
        "set_name": f"A {sheet}",
        "simulated_condition": json.dumps(condition.as_document()),
    }
    request = urllib.request.Request(
        f"{address}/api/jobs",
        json.dumps(body).encode(),
        {"content-type": "application/json", "idempotency-key": f"open {sheet}"},
    )
    return f"{address}/jobs/{json.loads(urllib.request.urlopen(request).read())['id']}"


def open_browser(profile: Path) -> webdriver.Chrome:
    """A headless browser of exactly 1280x800."""
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for flag in (*FLAGS, f"--user-data-dir={profile}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    service = Service(shutil.which("chromedriver") or "/usr/bin/chromedriver")
    driver = webdriver.Chrome(options=options, service=service)
    set_size(driver, 1280, 800)
    # whoever works here was walked around before; a test of the walk says otherwise
    driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": WALKED})
    return driver


def set_size(driver: webdriver.Chrome, width: int, height: int) -> None:
    """The size of the page itself, whatever the window's frame."""
    metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


def first_port() -> int:
    """Where the servers of this run begin: each of several workers has its own."""
    worker = os.environ.get("PYTEST_XDIST_WORKER", "gw0")
    return FIRST_PORT + PORTS_EACH * int(worker.removeprefix("gw"))


@pytest.fixture(scope="session")
def driver(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    """The session's browser."""
    chrome = open_browser(tmp_path_factory.mktemp("profile"))
    yield chrome
    chrome.quit()


@pytest.fixture
def serve(tmp_path: Path, driver: webdriver.Chrome) -> Iterator[Callable[..., str]]:
    """Starts a server for a test and gives its address; stops it afterwards."""
    started: list[Server] = []

    def start(*, demo: bool) -> str:
        server = start_server(tmp_path / "data", first_port() + len(started), demo=demo)
        started.append(server)
        return server.address

    yield start
    # a page that still asks would find nobody
    driver.execute_script(FORGET)
    driver.get("about:blank")
    for server in started:
        server.process.terminate()
        server.process.wait(timeout=10)


@pytest.fixture
def page(driver: webdriver.Chrome) -> Iterator[BenchPage]:
    """The browser as a person uses it; at the end its console must have no errors."""
    driver.get_log("browser")
    yield BenchPage(driver)
    faults = [line for line in driver.get_log("browser") if line["level"] == "SEVERE"]
    # a refused entry is answered with a status that the browser logs by itself
    assert [f for f in faults if "status of 4" not in f["message"]] == []
    driver.execute_script(FORGET)
