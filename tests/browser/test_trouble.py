"""What a person meets when something is wrong, and that the pages are open to everybody."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.conftest import set_size
from browser.page import BenchPage
from browser.walk import work

pytestmark = pytest.mark.browser
HEADINGS = "main h1, main h2"
OVERFLOW = """
    const main = document.querySelector('main');
    return [document.documentElement.scrollHeight > 800, main.scrollHeight > main.clientHeight]
"""
TOO_SMALL = """
    return [...document.querySelectorAll('button, main input, header a')]
        .map(e => [e.textContent, e.getBoundingClientRect()])
        .filter(([, r]) => r.width > 1 && r.height > 1 && r.height < 43.5)
        .map(([text]) => text)
"""
PAGES = (
    "/",
    "/jobs/1",
    "/jobs/1?step=bring-up.ramp",
    "/jobs/1?step=if.survey-left",
    "/jobs/2",
    "/jobs/1/report",
    "/jobs/new",
    "/sheets/new",
    "/instruments",
    "/stock",
    "/jobs/1/registers",
    "/jobs/1/questions",
    "/jobs/1?step=intake.photos",
    "/jobs/1?step=intake.history",
    "/jobs/1?step=parts.first",
    "/jobs/1?step=bring-up.chart",
    "/jobs/2?step=intake.matrix",
    "/jobs/3?step=parts.school",
    "/jobs/3?step=bring-up.diagnosis",
    "/jobs/5",
    "/jobs/6",
    "/jobs/7",
    "/jobs/4?step=dial.bc",
    "/jobs/4?step=if.set-up",
    "/jobs/1/chassis",
    "/jobs/1/stages/IF",
    "/sums",
    "/sums/supply-and-ramp",
)
PLAIN = ("report", "new", "registers", "questions", "chassis", "stages")


def test_bad_entries_are_explained_and_what_was_typed_stays(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2")
    work(page, until="bring-up.ramp")
    before = page.state()
    for line, words in (("57x 0", "is not understood"), ("-57 0", "never negative")):
        page.type_over(line)
        page.press(Keys.ENTER)
        page.wait(words, lambda words=words: words in page.text("trouble"))
        assert "Example: 231" in page.text("trouble")
        value = (page.find("line") or page.wait_for("line")).get_attribute("value")
        assert value == line and page.state() == before
    page.type_over("57,5 0,2")
    page.wait("the echo", lambda: "57.50 V, 0.200 V" in page.text("echo"))


def test_the_second_window_is_told_and_loses_nothing(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2")
    work(page, until="bring-up.ramp")
    first = page.driver.current_window_handle
    page.driver.switch_to.new_window("tab")
    set_size(page.driver, 1280, 800)
    page.open(f"{address}/jobs/2")
    page.keep_line("57 0")
    page.driver.close()
    page.driver.switch_to.window(first)
    page.driver.execute_script("document.querySelector('[data-testid=line]').focus()")
    page.type_over("58 0")
    page.press(Keys.ENTER)
    page.wait("the other window's entry", lambda: page.state()[2] == "held@line_v=92")
    page.wait(
        "the log", lambda: "57.0" in page.text("log-line") or "0.0 V" in page.text("log-line")
    )


def test_a_server_that_is_gone_is_said_to_be_and_the_entry_waits(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2")
    work(page, until="intake.controls")
    page.wait("the controls", lambda: page.find("fields"))
    page.driver.execute_cdp_cmd("Network.enable", {})
    off = {"offline": True, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    page.driver.execute_cdp_cmd("Network.emulateNetworkConditions", off)
    page.press("w", "w", "w", "w", Keys.ENTER)
    page.wait("the sentence", lambda: "nothing was lost" in page.text("trouble"))
    on = {**off, "offline": False}
    page.driver.execute_cdp_cmd("Network.emulateNetworkConditions", on)
    before = page.state()
    page.press(Keys.ENTER)
    page.changed_from(before)
    assert page.state()[1] == "intake.matrix"
    page.driver.get_log("browser")


def test_a_job_that_is_gone_and_a_page_that_never_was(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/99")
    page.wait("the sentence", lambda: "There is no job '99' here" in page.text("trouble"))
    page.open(f"{address}/nowhere")
    page.wait("the page", lambda: "There is no such page" in page.driver.page_source)


def test_registers_by_the_page(page: BenchPage, serve: Callable[..., str]) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2")
    work(page, until="bring-up.ramp")
    page.click("Clipped on")
    page.wait("the dialog", lambda: page.label("What"))
    page.fill("What", "jumper")
    page.fill("Where", "V2 grid to chassis")
    page.press(Keys.ENTER)
    page.wait_for("blocked")
    assert "jumper" in page.text("blocked")
    page.click("Take off")
    page.wait_for("line")
    page.press(Keys.F8)
    page.wait("the log", lambda: "taken off" in " ".join(page.texts("log-line")))


@pytest.mark.parametrize("theme", ["lamplight", "daylight"])
def test_pages_pass_wcag_fit_the_bench_and_have_targets_to_hit(
    page: BenchPage, serve: Callable[..., str], theme: str
) -> None:
    address = serve(demo=True)
    page.open(address)
    page.wait_for("shelf-card")
    page.driver.execute_script(f"localStorage.setItem('glowdial.theme', '{theme}')")
    faults = {}
    for path in PAGES:
        page.open(address + path)
        page.wait(
            "the page", lambda: page.driver.find_elements(By.CSS_SELECTOR, "main h1, main h2")
        )
        if "/jobs/" in path and not any(p in path for p in PLAIN):
            page.wait_for("link")
            assert page.driver.execute_script(OVERFLOW) == [False, False], path
        assert page.driver.execute_script(TOO_SMALL) == [], path
        found = page.faults()
        if found:
            faults[path] = found
    assert faults == {}
