"""The swept school in the page: a file of the sweep, what it shows, and the core that it names."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.page import BenchPage
from browser.test_kitchen import acknowledge

pytestmark = pytest.mark.browser
CENTRE_HZ, POINTS = 465e3, 301
KEYS = ("t1-primary", "t1-secondary", "t2-primary", "t2-secondary")
# as the demo receiver's sheet has them
Q, COUPLING, CHANGE = (88.0, 96.0), 0.88 / np.sqrt(88.0 * 96.0), -0.006


def sweep(off: dict[str, float], place: Path, seed: int) -> Path:
    """What an oscilloscope wrote: two cans by their mesh matrices, 1 % of noise, decimal commas."""
    row = CENTRE_HZ * np.linspace(0.955, 1.045, POINTS)
    volts = np.ones(POINTS)
    for primary, secondary in (KEYS[:2], KEYS[2:]):
        u = [CENTRE_HZ * (1.0 + off.get(k, 0.0)) / row for k in (primary, secondary)]
        z = [a / q + 1j * (1.0 - a**2) for a, q in zip(u, Q, strict=True)]
        volts *= np.abs(COUPLING * u[0] ** 2 * u[1] ** 2 / (z[0] * z[1] + COUPLING**2))
    volts = volts / volts.max() + 0.01 * np.random.default_rng(seed).standard_normal(POINTS)
    lines = [f"{f / 1e3:.3f};{v:.5f}".replace(".", ",") for f, v in zip(row, volts, strict=True)]
    place.write_text("kHz;V\n" + "\n".join(lines))
    return place


def to_the_sweep(page: BenchPage, address: str) -> None:
    """The demo's set whose IF is lopsided, by the swept school."""
    page.open(f"{address}/jobs/7")
    page.wait_for("job")
    acknowledge(page)
    page.click("another indicator")
    before = page.state()
    page.press("s", Keys.ENTER)
    page.changed_from(before)
    acknowledge(page)


def bring(page: BenchPage, file: Path) -> None:
    page.wait("the question", lambda: page.state()[2] == "trace")
    page.driver.find_element(By.CSS_SELECTOR, "[data-testid=trace-file]").send_keys(str(file))
    page.wait("the file", lambda: file.name in page.text("trace-from"))
    before = page.state()
    page.driver.find_element(By.CSS_SELECTOR, "textarea").send_keys(Keys.CONTROL, Keys.ENTER)
    page.changed_from(before)


def test_a_core_is_found_by_sweeps_and_turned_by_what_the_page_says(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    to_the_sweep(page, serve(demo=True))
    page.wait_for("trace-file")
    # a table without its unit is refused, and the job is as it was
    broken = tmp_path / "broken.csv"
    broken.write_text("f,V\n" + "\n".join(f"{n},{n}" for n in range(20)))
    before = page.state()
    page.driver.find_element(By.CSS_SELECTOR, "[data-testid=trace-file]").send_keys(str(broken))
    page.wait("the file", lambda: "broken" in page.text("trace-from"))
    page.driver.find_element(By.CSS_SELECTOR, "textarea").send_keys(Keys.CONTROL, Keys.ENTER)
    page.wait("the refusal", lambda: "line 1" in page.text("trouble"))
    assert page.state() == before

    off = {"t2-secondary": -0.011}
    bring(page, sweep(off, tmp_path / "found.csv", 1))
    page.wait("the decision", lambda: page.state()[2] == "decision")
    before = page.state()
    page.press("a", Keys.ENTER)
    page.changed_from(before)
    acknowledge(page)
    for number in range(2, 8):
        while page.state()[2].startswith("turned "):
            core = page.state()[2].removeprefix("turned ")
            line = page.wait_for("line")
            turned = float(line.get_attribute("placeholder") or "0")
            off[core] = off.get(core, 0.0) + CHANGE * turned
            before = page.state()
            page.type_over(f"{turned}")
            page.press(Keys.ENTER)
            page.changed_from(before)
        if page.state()[1] == "if.restore":
            break
        bring(page, sweep(off, tmp_path / f"again{number}.csv", number))
    assert page.state()[1] == "if.restore"
    assert abs(off["t2-secondary"]) < 0.0015
    assert all(abs(v) < 0.0015 for v in off.values())


def test_a_simulated_set_is_swept_and_its_curve_moves_as_the_core_is_turned(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    to_the_sweep(page, serve(demo=True))
    page.click("Sweep the simulated set")
    page.wait("the sweep", lambda: "centre" in page.text("swept-here"))
    before = page.state()
    page.driver.find_element(By.CSS_SELECTOR, "textarea").send_keys(Keys.CONTROL, Keys.ENTER)
    page.changed_from(before)
    before = page.state()
    page.press("a", Keys.ENTER)
    page.changed_from(before)
    acknowledge(page)
    page.wait_for("line")
    title = "[data-testid=response] figcaption"
    as_found = page.driver.find_element(By.CSS_SELECTOR, title).text
    turning = "[aria-label='Turn it and see'] button"
    for _ in range(3):
        page.driver.find_elements(By.CSS_SELECTOR, turning)[3].click()
    page.wait("the turn", lambda: "3/4 turn clockwise" in page.text("as-it-turns"))
    page.wait(
        "the curve", lambda: "As it turns" in page.driver.find_element(By.CSS_SELECTOR, title).text
    )
    line = page.wait_for("line")
    page.wait("the line", lambda: line.get_attribute("value") == "+3/4")
    # looked at, not turned: back, and the curve is the one that was kept
    page.click("As it stood")
    page.wait("no turn", lambda: line.get_attribute("value") == "")
    page.wait(
        "the old curve",
        lambda: (
            "As it turns: " + as_found.partition(": ")[2].partition("\n")[0]
            in page.driver.find_element(By.CSS_SELECTOR, title).text
        ),
    )
    for _ in range(3):
        page.driver.find_elements(By.CSS_SELECTOR, turning)[0].click()
    page.wait("the other way", lambda: line.get_attribute("value") == "-3/4")
    before = page.state()
    line.send_keys(Keys.ENTER)
    page.changed_from(before)
    assert page.text("trouble") == ""
