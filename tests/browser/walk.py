"""Working a job through the pages with keys, by doing what each step asks."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.page import BenchPage

STORY = ("Weak on every station", "a tube", "the cores were turned", "case sound")
MOST_ACTIONS = 400

Typist = Callable[[BenchPage], str | None]


def take_at_bench(page: BenchPage) -> str | None:
    """Let the bench take the reading: nothing to type."""
    page.press(Keys.F2)
    page.wait("the reading", lambda: (page.find("line") or _missing()).get_attribute("value"))
    return None


def _missing() -> object:
    raise AssertionError("the input is gone")


def work(page: BenchPage, until: str = "", typist: Typist = take_at_bench) -> None:
    """Go on until the step shown begins with ``until``, or the journey is at its end."""
    for _ in range(MOST_ACTIONS):
        _, step, _ = page.state()
        if until and step.startswith(until):
            return
        if page.text("step-title") and page.find("report"):
            return
        if not act(page, typist):
            return
    raise AssertionError(f"the journey did not end; it stands at {page.state()}")


def act(page: BenchPage, typist: Typist) -> bool:
    """Do the one thing that the page asks for now; False when there is nothing more."""
    before = page.state()
    page.wait("a step to act on", page.settled)
    radios = page.driver.find_elements(By.CSS_SELECTOR, "main [role=radiogroup]")
    if page.find("acknowledge") or page.find("confirm"):
        page.press(Keys.ENTER)
    elif page.text("status") == "▲ outside":
        close_with_reason(page, "good enough for the open day")
    elif page.driver.find_elements(By.CSS_SELECTOR, "main textarea"):
        page.press(Keys.TAB.join(STORY))
        page.press_with(Keys.CONTROL, Keys.ENTER)
    elif len(radios) > 1:
        page.press(*("w" for _ in radios), Keys.ENTER)
    elif radios:
        page.press("a" if "lign it" in page.text("advice") else "l")
    elif page.find("line"):
        line = typist(page)
        before = page.state()  # a reading at the bench is a write of its own
        if line is not None:
            page.type_over(line)
        page.press(Keys.ENTER)
    else:
        return False
    page.changed_from(before)
    return True


def close_with_reason(page: BenchPage, reason: str) -> None:
    """Close the step as it is."""
    page.press(Keys.F4)
    page.wait("the dialog", lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"))
    page.wait(
        "the dialog's focus",
        lambda: page.driver.switch_to.active_element.get_attribute("name") == "reason",
    )
    page.press(reason, Keys.TAB, "the bench", Keys.ENTER)
