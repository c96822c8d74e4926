"""The swept school on a bench of network instruments in a process of their own."""

from __future__ import annotations

import contextlib
import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.conftest import ROOT
from browser.page import BenchPage
from browser.test_pulled_plug import Client
from browser.test_sweep import to_the_sweep
from glowdial.sim.instruments import ORDER

pytestmark = pytest.mark.browser
FIRST = 15165
LOW_HZ, HIGH_HZ, PASS_S = 445e3, 485e3, 20.0


def port(kind: str) -> int:
    """Where an instrument of the bench listens."""
    return FIRST + ORDER.index(kind)


@pytest.fixture
def instruments() -> Iterator[None]:
    """The bench, a neglected set on it, everything at rest."""
    command = [sys.executable, "-m", "glowdial", "bench", "--port", str(FIRST), "--seed", "7"]
    command.append("--at-rest")
    surroundings = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    with subprocess.Popen(command, env=surroundings, stdout=subprocess.DEVNULL) as bench:
        for _ in range(100):
            with contextlib.suppress(OSError):
                socket.create_connection(("127.0.0.1", port("hands")), timeout=1).close()
                break
            time.sleep(0.1)
        yield
        bench.terminate()


def set_up() -> None:
    """As the page says: generator at the mixer's grid and sweeping, the oscillator stopped, the
    AVC clamped, the probe at the detector."""
    told = {
        "supply": ("VOLT 230", "OUTP ON"),
        "hands": ("CLIP ON", 'INJ "mixer grid"', "CLAM 0", "PROB detector"),
        "generator": (
            "VOLT 100E-6",
            "OUTP ON",
            f"FREQ:STAR {LOW_HZ}",
            f"FREQ:STOP {HIGH_HZ}",
            f"SWE:TIME {PASS_S}",
            "SWE:STAT ON",
        ),
    }
    for kind, lines in told.items():
        with contextlib.closing(Client(port(kind))) as client:
            for line in lines:
                client.tell(line)


def register_scope(address: str) -> None:
    body = {"name": "shelf scope", "kind": "oscilloscope", "host": "127.0.0.1"}
    request = urllib.request.Request(
        f"{address}/api/instruments",
        json.dumps({**body, "port": port("oscilloscope")}).encode(),
        {"content-type": "application/json", "idempotency-key": "the scope"},
    )
    urllib.request.urlopen(request).read()


def test_a_sweep_comes_from_the_oscilloscope_over_the_network(
    page: BenchPage, serve: Callable[..., str], instruments: None
) -> None:
    address = serve(demo=True)
    register_scope(address)
    set_up()
    to_the_sweep(page, address)
    page.fill("starts at", f"{LOW_HZ / 1e3:.0f} kHz")
    page.fill("stops at", f"{HIGH_HZ / 1e3:.0f} kHz")
    page.fill("a pass takes", f"{PASS_S:.0f} s")
    page.click("From the shelf scope")
    page.wait("the trace", lambda: "shelf scope" in page.text("trace-from"))
    before = page.state()
    area = page.driver.find_element(By.CSS_SELECTOR, "textarea")
    assert area.get_attribute("value").count("\n") > 400
    area.send_keys(Keys.CONTROL, Keys.ENTER)
    page.changed_from(before)
    assert page.text("trouble") == ""
    title = page.driver.find_element(By.CSS_SELECTOR, "[data-testid=response] figcaption").text
    assert "wide at -6 dB" in title
    page.wait("the decision", lambda: page.state()[2] == "decision")
