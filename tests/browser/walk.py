"""Working a job through the pages with keys, by doing what each step asks."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

from browser.page import BenchPage

TEXTS = {
    "Complaint": "Weak on every station",
    "What the owner": "a tube",
    "Our first guess": "the cores were turned",
    "Condition": "case sound",
    "safety class": "X2",
    "reason": "renewed last year",
}
# the letter for a choice, by the label of its row; the first letter there is otherwise
LETTERS = {"Runs from": "m", "School": "s", "decision": "f"}
MOST_ACTIONS = 400
TWO_ANSWERS = "Two answers stand"

Typist = Callable[[BenchPage], str | None]


def take_at_bench(page: BenchPage) -> str | None:
    """Let the bench take the reading: nothing to type. What no bench measures is typed as its own
    example."""
    if page.wait_for("job").get_attribute("data-measurable") != "true":
        return (page.find("line") or _missing()).get_attribute("placeholder")
    page.press(Keys.F2)
    page.wait("the reading", lambda: (page.find("line") or _missing()).get_attribute("value"))
    return None


def _missing() -> WebElement:
    raise AssertionError("the input is gone")


def work(
    page: BenchPage,
    until: str = "",
    typist: Typist = take_at_bench,
    letters: Mapping[str, str] | None = None,
) -> None:
    """Go on until the step shown begins with ``until``, or the journey is at its end."""
    for _ in range(MOST_ACTIONS):
        _, step, _ = page.state()
        if until and step.startswith(until):
            return
        if page.text("step-title") and page.find("report"):
            return
        if not act(page, typist, letters):
            return
    raise AssertionError(f"the journey did not end; it stands at {page.state()}")


def act(page: BenchPage, typist: Typist, letters: Mapping[str, str] | None = None) -> bool:
    """Do the one thing that the page asks for now; False when there is nothing more."""
    before = page.state()
    page.wait("a step to act on", page.settled)
    if page.find("acknowledge") or page.find("confirm"):
        page.press(Keys.ENTER)
    elif page.text("status") == "▲ outside":
        close_with_reason(page, "good enough for the open day")
    elif page.find("fields") and before[2] == "decision":
        page.press("a" if "lign it" in page.text("advice") else "l")
    elif page.find("fields"):
        fill_fields(page, letters or {})
    elif page.find("line"):
        part = before[1].startswith("parts.") and before[2] != "test"
        line = part_line(page, letters or {}) if part else typist(page)
        before = page.state()  # a reading at the bench is a write of its own
        two = TWO_ANSWERS in page.driver.find_element(By.TAG_NAME, "main").text
        if line is not None:
            page.type_over(line)
        page.press(Keys.ENTER)
        if two:
            # the other one was looked for: this is the right one
            page.wait("what is asked of it", lambda: TWO_ANSWERS in page.text("trouble"))
            page.press(Keys.ENTER)
    else:
        return False
    page.changed_from(before)
    return True


def part_line(page: BenchPage, letters: Mapping[str, str]) -> str:
    """What is typed for a part: the decision, and why the old one stays where it bridges the
    mains."""
    asked = (page.find("line") or _missing()).get_attribute("placeholder") or ""
    line = letters.get("decision", asked)
    kept = line.startswith("k") and "safety class" in page.text("echo")
    return f"k - - - {TEXTS['safety class']} {TEXTS['reason']}" if kept else line


def acknowledge(page: BenchPage) -> list[str]:
    """Acknowledge every caution of the step; returns what they said."""
    said = []
    while page.find("acknowledge"):
        said.append(page.driver.find_element(By.TAG_NAME, "main").text)
        before = page.state()
        page.press(Keys.ENTER)
        page.changed_from(before)
    return said


def fill_fields(page: BenchPage, letters: Mapping[str, str]) -> None:
    """Fill a form from its first control to its button, by keys alone."""
    before = page.state()
    page.wait("the focus", lambda: page.driver.execute_script(IN_FORM))
    for _ in range(30):
        kind, label, offered = page.driver.execute_script(FOCUSED)
        if kind == "radio":
            wanted = {**LETTERS, **letters}
            named = (k for w, k in wanted.items() if label.startswith(w) and k in offered)
            page.press(next(named, offered[0]))
            if page.driver.execute_script(ONLY_ONE):
                return
        elif kind in ("input", "textarea"):
            text = next((t for w, t in TEXTS.items() if label.startswith(w)), "")
            page.press(text, Keys.TAB)
        elif kind == "select":
            page.press(Keys.TAB)
        else:
            break
    if page.state() == before:
        page.press(Keys.ENTER)


IN_FORM = "return document.querySelector('[data-testid=fields]').contains(document.activeElement)"
ONLY_ONE = (
    "const form = document.querySelector('[data-testid=fields]');"
    "return !form || !form.querySelector('[type=submit]')"
)
FOCUSED = """
const e = document.activeElement;
const label = e.closest('[role=radiogroup]')?.getAttribute('aria-label')
  ?? document.querySelector(`label[for="${e.id}"]`)?.textContent ?? '';
if (e.getAttribute('role') === 'radio') {
  const offered = [...e.closest('[role=radiogroup]').querySelectorAll('[role=radio]')];
  return ['radio', label, offered.map(o => o.textContent.trim()[0]).join('')];
}
const kind = e.type === 'submit' ? 'submit' : e.tagName.toLowerCase();
return [kind, label, ''];
"""


def close_with_reason(page: BenchPage, reason: str) -> None:
    """Close the step as it is."""
    page.press(Keys.F4)
    page.wait("the dialog", lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"))
    page.wait(
        "the dialog's focus",
        lambda: page.focused() == "reason",
    )
    page.press(reason, Keys.TAB, "the bench", Keys.ENTER)
