"""The computer's own microphone as the IF's indicator, heard by the browser's fake device."""

from __future__ import annotations

import shutil
import wave
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from selenium import webdriver
from selenium.webdriver import Keys
from selenium.webdriver.chrome.service import Service

from browser.conftest import FLAGS, WALKED, first_port, set_size, start_server
from browser.page import BenchPage
from browser.test_kitchen import acknowledge

pytestmark = pytest.mark.browser
RATE_HZ, TONE_HZ, LEVEL = 48_000, 400.0, 0.2
HEARD_SHARE = 0.03


@pytest.fixture
def tone_file(tmp_path: Path) -> Path:
    """A second and more of tone with hum, over and over; the browser plays it as what it hears."""
    t = np.arange(2 * RATE_HZ) / RATE_HZ
    heard = LEVEL * np.sin(2.0 * np.pi * TONE_HZ * t) + 0.1 * np.sin(2.0 * np.pi * 50.0 * t)
    place = tmp_path / "heard.wav"
    with wave.open(str(place), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE_HZ)
        file.writeframes((32767.0 * heard).astype("<i2").tobytes())
    return place


@pytest.fixture
def hearing(tmp_path: Path, tone_file: Path) -> Iterator[BenchPage]:
    """A browser of its own whose microphone hears the file."""
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    own = (
        f"--user-data-dir={tmp_path / 'profile'}",
        "--use-fake-ui-for-media-stream",
        "--use-fake-device-for-media-stream",
        f"--use-file-for-fake-audio-capture={tone_file}",
        "--autoplay-policy=no-user-gesture-required",
    )
    for flag in (*FLAGS, *own):
        options.add_argument(flag)
    service = Service(shutil.which("chromedriver") or "/usr/bin/chromedriver")
    chrome = webdriver.Chrome(options=options, service=service)
    set_size(chrome, 1280, 800)
    chrome.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": WALKED})
    yield BenchPage(chrome)
    chrome.quit()


@pytest.fixture
def own_server(tmp_path: Path) -> Iterator[Callable[[], str]]:
    started = []

    def start() -> str:
        server = start_server(tmp_path / "data", first_port() + 15, demo=True)
        started.append(server)
        return server.address

    yield start
    for server in started:
        server.process.terminate()
        server.process.wait(timeout=10)


def level_of(page: BenchPage) -> float:
    words = page.text("heard")
    return float(words.rpartition(",")[2].strip(" %")) if "Hz" in words else 0.0


def test_a_core_is_peaked_by_what_the_microphone_hears(
    hearing: BenchPage, own_server: Callable[[], str], tone_file: Path
) -> None:
    page = hearing
    page.open(f"{own_server()}/jobs/7")
    page.wait_for("job")
    acknowledge(page)
    page.click("another indicator")
    before = page.state()
    page.press("m", Keys.ENTER)
    page.changed_from(before)
    acknowledge(page)
    if page.state()[2] == "ready":
        before = page.state()
        page.press(Keys.ENTER)
        page.changed_from(before)
        acknowledge(page)
    page.wait_for("microphone")
    # a recording of the same, made elsewhere, tells the same
    line = page.wait_for("line")
    page.driver.find_element("css selector", "[data-testid=recorded-tone]").send_keys(
        str(tone_file)
    )
    page.wait("the recorded tone", lambda: page.text("recorded-words").startswith("400 Hz"))
    page.wait("the line", lambda: abs(float(line.get_attribute("value") or "0") - 20.0) < 1.0)
    line.send_keys(Keys.CONTROL, "a")
    line.send_keys(Keys.BACKSPACE)
    page.click("Listen")
    # among the hum, the tone by itself
    page.wait("the tone", lambda: page.text("heard").startswith("400 Hz"))
    page.wait("its level", lambda: abs(level_of(page) / (100.0 * LEVEL) - 1.0) < HEARD_SHARE)
    page.click("Take what it hears")
    line = page.wait_for("line")
    page.wait("the line", lambda: abs(float(line.get_attribute("value") or "0") - 20.0) < 1.0)
    before = page.state()
    page.press(Keys.ENTER)
    page.changed_from(before)
    assert page.text("trouble") == ""
    # a level that brings the reading asked for is typed, the decision is a key
    while not page.state()[1].startswith("if.pass1."):
        before = page.state()
        if before[2].startswith("decision"):
            page.press("a", Keys.ENTER)
        elif before[2].startswith("reference"):
            page.type_over("90 uV")
            page.press(Keys.ENTER)
        else:
            take(page, "Take what it hears", 1)
            page.press(Keys.ENTER)
        page.changed_from(before)
        acknowledge(page)
    # before, the highest, and the turn: one line, two of its values heard
    take(page, "Take what it hears", 1)
    take(page, "Take the highest", 2)
    before = page.state()
    page.press(*" +1/8", Keys.ENTER)
    page.changed_from(before)
    assert page.text("trouble") == ""


def take(page: BenchPage, words: str, count: int) -> None:
    """What is heard goes into the line, as its next value."""
    page.wait_for("microphone")
    if page.find("heard") is None:
        page.click("Listen")
    page.wait("the tone", lambda: abs(level_of(page) / (100.0 * LEVEL) - 1.0) < HEARD_SHARE)
    page.click(words)
    line = page.wait_for("line")
    page.wait("the line", lambda: len((line.get_attribute("value") or "").split()) == count)
