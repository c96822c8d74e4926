"""The demo's two traced sets, by keyboard alone: from what is wrong to everything plays again."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.page import BenchPage

pytestmark = pytest.mark.browser
PORTABLE, HARBOUR = 8, 9
MOST_KEYS = 60


def work_on(page: BenchPage, until: Callable[[str], bool]) -> None:
    """Acknowledge cautions, take what the bench gives, keep it; say what was done at a repair."""
    for _ in range(MOST_KEYS):
        page.wait("a step to act on", page.settled)
        before = page.state()
        if until(before[1]):
            return
        if page.find("acknowledge") or page.find("confirm"):
            page.press(Keys.ENTER)
        elif page.find("line"):
            page.press(Keys.F2)
            page.wait("a reading", lambda: page.find("line").get_attribute("value"))  # type: ignore[union-attr]
            before = page.state()
            page.press(Keys.ENTER)
        else:
            # what was done is told in words
            page.press("cleaned and put right")
            page.press_with(Keys.CONTROL, Keys.ENTER)
        page.changed_from(before)
    raise AssertionError(f"not there after {MOST_KEYS} entries: {page.state()}")


def choose(page: BenchPage, words: str) -> None:
    """Pick from the list that has the focus, by typing its beginning."""
    page.wait("a list", lambda: page.driver.find_elements(By.CSS_SELECTOR, "main select"))
    before = page.state()
    page.press(words)
    page.press_with(Keys.CONTROL, Keys.ENTER)
    page.changed_from(before)


def mended(page: BenchPage, address: str) -> list[str]:
    """What was mended, by the stage at a glance, in order."""
    page.open(f"{address}/stages/faults")
    page.wait("the stage", lambda: "Mend" in page.driver.find_element(By.TAG_NAME, "main").text)
    text = page.driver.find_element(By.TAG_NAME, "main").text
    return re.findall(r"Mend (.+), and nothing else", text)


def test_two_faults_of_the_portable_one_behind_the_other(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = f"{serve(demo=True)}/jobs/{PORTABLE}"
    page.open(address)
    work_on(page, lambda step: not step.startswith("faults."))
    assert mended(page, address) == ["FM IF board's socket", "FM IF Q10"]


def test_a_tube_set_dead_on_one_band_and_distorted_when_hot(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = f"{serve(demo=True)}/jobs/{HARBOUR}"
    page.open(address)
    page.wait("the complaint", lambda: page.state()[1] == "faults.complaint")
    choose(page, "dies")
    work_on(page, lambda step: not step.startswith("faults."))
    page.open(f"{address}?step=faults.complaint")
    page.wait("other questions", lambda: page.find("others"))
    page.wait_for("others").find_element(By.CSS_SELECTOR, "button").send_keys(Keys.ENTER)
    choose(page, "distorted when")
    work_on(page, lambda step: not step.startswith("faults."))
    assert mended(page, address) == ["aerial coil Short wave", "output V4"]
