"""A visitor of the demo, with the README alone: what there is to see within five minutes."""

from __future__ import annotations

import base64
import re
from collections.abc import Callable

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.page import BenchPage
from browser.test_kitchen import acknowledge

pytestmark = pytest.mark.browser
# every key of the list, as a browser names it
KEYS = {
    "F1": Keys.F1,
    "F2": Keys.F2,
    "F3": Keys.F3,
    "F4": Keys.F4,
    "F6": Keys.F6,
    "F7": Keys.F7,
    "F8": Keys.F8,
    "F9": Keys.F9,
    "F10": Keys.F10,
    "PageUp": Keys.PAGE_UP,
    "PageDown": Keys.PAGE_DOWN,
    "ArrowUp": Keys.ARROW_UP,
    "ArrowDown": Keys.ARROW_DOWN,
    "Enter": Keys.ENTER,
}


def as_stranger(page: BenchPage, address: str) -> None:
    """Open a job as somebody who was never here."""
    page.open(address)
    page.driver.execute_script(
        "sessionStorage.setItem('stranger', 'yes'); localStorage.removeItem('glowdial.walked')"
    )


def test_a_visitor_sees_a_diagnosis_turns_a_core_and_prints_a_report(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    as_stranger(page, address)
    page.wait_for("shelf-card")
    cards = page.texts("shelf-card")
    assert len(cards) == 17
    assert len({re.sub(r".*Next,", "", c, flags=re.S) for c in cards}) == 15
    assert any("Waits for: C21a, on order" in c for c in cards)

    # a diagnosis, and the short walk on the way to it
    page.click("Galley receiver")
    for words in ("The way of the set", "One thing to do", "The bench", "Nothing is lost"):
        page.wait(words, lambda words=words: words in page.text("first-walk"))
        page.press(Keys.ENTER)
    page.wait("the end of the walk", lambda: not page.find("first-walk"))
    page.open(f"{address}/jobs/3?step=bring-up.diagnosis")
    page.wait_for("step")
    assert not page.find("first-walk")
    acknowledge(page)
    picture = page.wait_for("supply-picture")
    assert "%" in picture.text and "C21a" in picture.text

    # a core on the simulated set, by the arrow keys, and its peak
    page.open(f"{address}/jobs/7")
    page.wait_for("step")
    acknowledge(page)
    page.wait("the curve", lambda: page.find("response"))
    page.press("a")
    page.wait("the first core", lambda: page.state()[1].startswith("if.pass1"))
    acknowledge(page)
    page.wait("the chassis", lambda: page.find("chassis-picture"))
    for _ in range(40):
        before = page.state()[0]
        page.press(Keys.ARROW_UP)
        page.wait("the turn", lambda before=before: page.state()[0] != before)
        if "Past it" in page.text("peak-trace"):
            break
    assert "go back" in page.text("peak-trace")

    # the report of the set that was handed over
    page.open(f"{address}/jobs/4/report")
    page.wait("its pictures", lambda: len(page.texts("report-picture")) >= 4)
    for paper in (
        {"paperWidth": 8.27, "paperHeight": 11.69},
        {"paperWidth": 8.5, "paperHeight": 11},
    ):
        made = page.driver.execute_cdp_cmd("Page.printToPDF", {**paper, "printBackground": True})
        pdf = base64.b64decode(made["data"])
        assert pdf.startswith(b"%PDF") and pdf.count(b"/Type /Page\n") <= 2


def test_the_walk_is_skipped_once_and_for_all(page: BenchPage, serve: Callable[..., str]) -> None:
    address = serve(demo=True)
    as_stranger(page, address)
    page.open(f"{address}/jobs/2")
    page.wait_for("first-walk")
    # the alarm's key works beside it
    page.press(Keys.F10)
    page.wait("what is seen", lambda: page.focused() == "sign")
    page.press(Keys.ESCAPE)
    page.click("Skip the walk")
    page.wait("its end", lambda: not page.find("first-walk"))
    page.open(f"{address}/jobs/2")
    page.wait_for("step")
    assert not page.find("first-walk")


def test_every_key_of_the_list_arrives_in_the_page(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/7?step=if.baseline")
    page.wait_for("step")
    page.driver.execute_script(
        "window.heard = [];window.addEventListener('keydown', e => window.heard.push(e.key), true)"
    )
    for name, key in KEYS.items():
        page.press(key)
        page.press(Keys.ESCAPE)
        heard = page.driver.execute_script("return window.heard")
        assert heard is not None and name in heard, name
    for digit in "1234567890":
        page.press(digit)
        assert digit in page.driver.execute_script("return window.heard")


def test_a_stage_at_a_glance_and_a_digit_to_each_step(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/1?step=if.survey")
    page.wait_for("step")
    page.press_with(Keys.SHIFT, Keys.F9)
    page.wait("the stage", lambda: len(page.texts("stage-step")) > 8)
    assert "peaks at" in page.texts("stage-step")[2]
    page.press("3")
    page.wait("its step", lambda: page.state()[1] == "if.survey")


def test_a_sum_is_found_by_typing_worked_and_kept(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2")
    page.wait_for("step")
    page.click("Sums")
    page.wait("the list", lambda: len(page.texts("sum")) == 23)
    page.press("bleeder", Keys.BACKSPACE * 7, "stay dangerous", Keys.ENTER)
    page.wait("the answer", lambda: "below 30 V" in page.text("sentence"))
    page.wait_for("supply-picture")
    page.open(f"{address}/sums/meter-loading?job=2")
    page.wait("the answer", lambda: "60.0 V" in page.text("sentence"))
    page.wait("the focus", lambda: page.focused() == "volts")
    page.type_over("50")
    page.wait("the new answer", lambda: "reads 31.2 V" in page.text("sentence"))
    page.type_over("fifty")
    page.wait("the trouble", lambda: "fifty" in page.text("trouble"))
    page.type_over("50")
    page.wait("the answer again", lambda: not page.text("trouble"))
    page.click("Keep in this job")
    page.wait("it is kept", lambda: page.find("sum-kept"))
    page.open(f"{address}/jobs/2")
    page.wait_for("step")
    page.press(Keys.F8)
    page.wait("the log", lambda: "reads 31.2 V" in " ".join(page.texts("log-line")))


def test_things_are_placed_by_keys_and_shown_at_their_step(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/2/chassis")
    page.wait("the list", lambda: len(page.texts("thing")) > 10)
    page.click("V3")
    page.press(Keys.ARROW_RIGHT, Keys.ARROW_UP)
    before = page.text("spot")
    page.press(Keys.ENTER)
    page.wait("the place", lambda: page.text("spot") == before)
    page.open(f"{address}/jobs/2/registers")
    page.wait("its line", lambda: "V3" in page.text("register-places"))


def test_a_part_of_the_supply_opens_and_tells_what_is_known(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/3?step=bring-up.diagnosis")
    page.wait_for("step")
    acknowledge(page)
    page.wait_for("supply-picture")
    part = page.driver.find_element(By.CSS_SELECTOR, "[aria-label^='C21a']")
    part.send_keys(Keys.ENTER)
    page.wait("its card", lambda: "By the sheet" in page.text("part-card"))
    assert "Leaks 14.0 mA" in page.text("part-card")
    assert "order" in page.text("part-card")
    page.press(Keys.ESCAPE)
    page.wait("its end", lambda: not page.find("part-card"))


def test_a_row_of_the_chart_is_typed_value_by_value(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/6?step=bring-up.chart")
    page.wait_for("step")
    acknowledge(page)
    page.wait("the table", lambda: page.find("asked-window") and page.find("line"))
    # another row by the arrow keys
    for row in ("V5", "heaters"):
        page.press(Keys.ARROW_DOWN)
        page.wait(row, lambda row=row: page.state()[2] == row)
    version = page.state()[0]
    seen = [page.text("asked-window")]
    for value in ("6.3", "6.2"):
        page.press(value, Keys.ENTER)
        page.wait("the next cell", lambda: page.text("asked-window") not in seen)
        seen.append(page.text("asked-window"))
    line = page.wait_for("line")
    assert line.get_attribute("value") == "6.3 6.2 "
    # nothing is kept before the row is whole
    assert page.state()[0] == version
