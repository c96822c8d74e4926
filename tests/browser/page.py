"""What a person at the bench can do with the pages: read them, type, press keys."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from selenium.common.exceptions import NoSuchElementException, StaleElementReferenceException
from selenium.webdriver import ActionChains, Chrome, Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

# a hang ends the test; how fast the machine is decides nothing
PATIENCE_S = 60.0
AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"
AXE_RULES = '{runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}'


@dataclass(frozen=True)
class BenchPage:
    """The page in the browser."""

    driver: Chrome

    def open(self, address: str) -> None:
        """Go to an address."""
        self.driver.get(address)

    def find(self, test_id: str) -> WebElement | None:
        """The element of that test id, if it is there."""
        found = self.driver.find_elements(By.CSS_SELECTOR, f"[data-testid={test_id}]")
        return found[0] if found else None

    def text(self, test_id: str) -> str:
        """Its text, empty when it is not there."""
        for _ in range(3):
            try:
                element = self.find(test_id)
                return element.text if element else ""
            except StaleElementReferenceException:
                continue
        return ""

    def texts(self, test_id: str) -> list[str]:
        """Texts of all elements of that test id."""
        elements = self.driver.find_elements(By.CSS_SELECTOR, f"[data-testid={test_id}]")
        return [e.text for e in elements]

    def wait(self, what: str, ready: Callable[[], object]) -> None:
        """Wait until ``ready`` is true."""
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            try:
                if ready():
                    return
            except (StaleElementReferenceException, NoSuchElementException):
                pass
            time.sleep(0.02)
        raise AssertionError(f"waited in vain for {what}; trouble says {self.text('trouble')!r}")

    def wait_for(self, test_id: str) -> WebElement:
        """Wait for an element and return it."""
        self.wait(test_id, lambda: self.find(test_id))
        element = self.find(test_id)
        assert element is not None
        return element

    def state(self) -> tuple[str, str, str]:
        """Version, step and question of the job page."""
        job = self.wait_for("job")
        return tuple(job.get_attribute(f"data-{n}") or "" for n in ("version", "step", "ask"))

    def press(self, *keys: str) -> None:
        """Press keys into whatever has the focus."""
        ActionChains(self.driver).send_keys(*keys).perform()

    def press_with(self, modifier: str, key: str) -> None:
        """Press a key while another is held."""
        chain = ActionChains(self.driver)
        chain.key_down(modifier).send_keys(key).key_up(modifier).perform()

    def type_over(self, text: str) -> None:
        """Replace what stands in the focused input."""
        self.press_with(Keys.CONTROL, "a")
        self.press(text)

    def click(self, words: str) -> None:
        """Click the button or link with these words."""
        path = f"//*[self::button or self::a][contains(normalize-space(.), {words!r})]"
        self.wait(words, lambda: self.driver.find_elements(By.XPATH, path))
        self.driver.find_element(By.XPATH, path).click()

    def label(self, words: str) -> WebElement:
        """The field with this label."""
        path = f"//label[contains(normalize-space(.), {words!r})]"
        self.wait(words, lambda: self.driver.find_elements(By.XPATH, path))
        target = self.driver.find_element(By.XPATH, path).get_attribute("for")
        return self.driver.find_element(By.ID, str(target))

    def fill(self, words: str, text: str) -> None:
        """Type into the field with this label."""
        field = self.label(words)
        field.clear()
        field.send_keys(text)

    def focused(self) -> str:
        """The name of the field that a key would go to now."""
        return str(self.driver.switch_to.active_element.get_attribute("name"))

    def changed_from(self, before: tuple[str, str, str]) -> None:
        """Wait until the job was written to and shows where it stands now."""
        self.wait("the entry to be kept", lambda: self.state() != before and self.settled())

    def settled(self) -> bool:
        """Whether the page shows a step to act on, and nothing is worked out any more."""
        job = self.find("job")
        if job is not None and job.get_attribute("data-thinking") == "true":
            return False
        return any(
            self.find(t) for t in ("acknowledge", "confirm", "line", "fields", "blocked", "status")
        ) or bool(self.driver.find_elements(By.CSS_SELECTOR, "[role=radiogroup], main textarea"))

    def keep_line(self, line: str) -> None:
        """Type a line into the one input and keep it."""
        before = self.state()
        self.wait_for("line")
        self.type_over(line)
        self.press(Keys.ENTER)
        self.changed_from(before)

    def faults(self) -> list[str]:
        """What the accessibility checker finds at WCAG 2.2 AA on the page as it is."""
        # a colour in the middle of its transition is none that anybody reads
        at_rest = "return document.getAnimations().every(a => a.playState === 'finished')"
        self.wait("transitions to end", lambda: self.driver.execute_script(at_rest))
        self.driver.execute_script(AXE.read_text("utf-8"))
        found = self.driver.execute_async_script(
            f"const done = arguments[0]; axe.run(document, {AXE_RULES}).then("
            "r => done(r.violations.map(v => v.id + ': ' + v.nodes[0].html)))"
        )
        return list(found)
