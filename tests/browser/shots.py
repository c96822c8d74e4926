"""Remakes docs/screenshots/ from the demo data, at 1280x800, with a stopped clock."""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from selenium.webdriver import Keys

from browser.conftest import ROOT, open_browser, open_simulated, start_server
from browser.page import BenchPage
from browser.test_kitchen import acknowledge
from browser.walk import act, take_at_bench, work
from glowdial.demo.fill import DEMO_SEED, kitchen_condition

PLACE = ROOT / "docs" / "screenshots"
PORT = 8790
# the tuner that was measured before and after
STEREO_JOB = 16


def peaking(page: BenchPage) -> None:
    """Turn the first core by keys, past its peak."""
    work(page, until="if.pass1.t2-primary")
    for _ in range(9):
        before = page.state()[0]
        page.press(Keys.ARROW_DOWN)
        page.wait("the turn", lambda before=before: page.state()[0] != before)
    page.wait("the words", lambda: page.text("peak-hold"))
    page.press(Keys.F6)
    page.click("Guard")
    page.label("At most").send_keys("260")
    page.label("At least").send_keys("180", Keys.ENTER)
    page.wait("the guard", lambda: page.text("guard"))


def half_way_up(page: BenchPage) -> None:
    """Four of six ramp steps kept, the fifth taken but not kept."""
    work(page, until="bring-up.ramp")
    for _ in range(4):
        take_at_bench(page)
        before = page.state()
        page.press(Keys.ENTER)
        page.changed_from(before)
    take_at_bench(page)
    page.wait("the echo", lambda: "read as" in page.text("echo"))


def to(step: str) -> Callable[[BenchPage], None]:
    """Work on until a step."""
    return lambda page: work(page, until=step)


def dial_read(page: BenchPage) -> None:
    """All marks read."""
    work(page, until="proof.left")
    while page.state()[1] != "dial.bc":
        before = page.state()
        page.press(Keys.PAGE_UP)
        page.wait("the step before", lambda before=before: page.state() != before)
    page.wait("the dial", lambda: page.state()[1] == "dial.bc")


# name, what brings the page there, theme
VIEWS: tuple[tuple[str, Callable[[BenchPage], None], str], ...] = (
    ("intake", lambda page: None, "lamplight"),
    ("safety-gate", to("bring-up.gate"), "lamplight"),
    ("bring-up", half_way_up, "lamplight"),
    ("if-survey", to("if.decide"), "daylight"),
    ("if-peaking", peaking, "lamplight"),
    ("oscillator-rounds", to("osc.bc.round2"), "lamplight"),
    ("dial", dial_read, "lamplight"),
)


def main() -> None:
    """Take every picture; the browser is closed even when one fails."""
    PLACE.mkdir(parents=True, exist_ok=True)
    folder = Path(tempfile.mkdtemp())
    server = start_server(folder / "data", PORT, demo=True)
    driver = open_browser(folder / "profile")
    page = BenchPage(driver)
    try:
        simple(page, server.address)
        page.open(f"{server.address}/jobs/2")
        for name, reach, theme in VIEWS:
            page.wait_for("job")
            reach(page)
            dress(page, theme)
            save(page, name)
        tracing(page, server.address)
        kitchen(page, server.address)
        page.open(f"{server.address}/jobs/2")
        page.wait_for("job")
        page.press(Keys.F9)
        page.wait("the proof", lambda: page.state()[1].startswith("proof"))
        work(page)
        page.open(f"{server.address}/jobs/2/report")
        page.wait_for("report")
        dress(page, "daylight")
        save(page, "report")
    finally:
        driver.quit()
        server.process.terminate()


def kitchen(page: BenchPage, address: str) -> None:
    """The kitchen set as it was found: nothing renewed, its parts, its supply, its volts."""
    letters = {"Runs from": "t", "School": "p", "decision": "k"}
    page.open(open_simulated(address, "Pantry Five", kitchen_condition(DEMO_SEED + 2)))
    page.wait_for("job")
    work(page, until="parts.resistors", letters=letters)
    acknowledge(page)
    page.wait("what would do", lambda: page.text("proposals"))
    dress(page, "lamplight")
    save(page, "parts")
    work(page, until="bring-up.diagnosis", letters={**letters, "School": "l"})
    for _ in range(2):
        act(page, take_at_bench, letters)
    page.wait("the advice", lambda: "re-forming" in page.text("advice"))
    save(page, "supply-diagnosis")
    work(page, until="bring-up.chart", letters=letters)
    while page.text("status") != "▲ outside":
        act(page, take_at_bench, letters)
    page.wait("the advice", lambda: "ballast" in page.text("advice"))
    dress(page, "daylight")
    save(page, "voltage-chart")
    alarmed(page)


def tracing(page: BenchPage, address: str) -> None:
    """The portable after its first test: a second fault begins to show behind the first."""
    page.open(f"{address}/jobs/8")
    page.wait_for("job")
    acknowledge(page)
    for _ in range(2):
        act(page, take_at_bench, {})
    page.wait("the diagram", lambda: page.find("diagram-picture"))
    dress(page, "lamplight")
    save(page, "tracing")


def alarmed(page: BenchPage) -> None:
    """Smoke: said with one key, switched off, and its cause asked for."""
    page.press(Keys.F10)
    page.wait("what is seen", lambda: page.focused() == "sign")
    page.press("smoke", Keys.TAB, "at the first filter capacitor", Keys.ENTER)
    page.wait("the alarm", lambda: page.find("switched-off"))
    page.press(Keys.ENTER)
    page.wait("the cause", lambda: page.focused() == "cause")
    page.press("C31 shorted", Keys.TAB)
    dress(page, "lamplight")
    save(page, "alarm")


def simple(page: BenchPage, address: str) -> None:
    """Pages that need no work on a job."""
    page.open(address + "/instruments")
    register(page, "attic generator", least="2u", step="10", known="display", error="1")
    page.label("Kind").send_keys("multimeter")
    register(page, "high-impedance meter", input="11M")
    for name, path, theme in (
        ("shelf", "/", "lamplight"),
        ("instruments", "/instruments", "lamplight"),
        ("registers", "/jobs/1/registers", "daylight"),
        ("sums", "/sums/supply-and-ramp", "daylight"),
        ("chassis", "/jobs/1/chassis", "daylight"),
    ):
        page.open(address + path)
        if path in SEEN_BY:
            page.wait_for(SEEN_BY[path])
        else:
            page.label("Host")
        dress(page, theme)
        save(page, name)
    page.open(f"{address}/jobs/{STEREO_JOB}?step=proof.fm-left.selectivity")
    page.wait_for("job")
    page.wait("a step", page.settled)
    while page.find("acknowledge"):
        acknowledge(page)
        page.wait("a step", page.settled)
    page.wait("its figures", lambda: "-300 kHz" in page.driver.page_source)
    dress(page, "lamplight")
    save(page, "proof")


# what a page has once it is there
SEEN_BY = {
    "/": "shelf-card",
    "/jobs/1/registers": "register-line",
    "/sums/supply-and-ramp": "sentence",
    "/jobs/1/chassis": "board",
}
LABELS = {
    "least": "Least level",
    "step": "Attenuator step",
    "known": "Frequency known by",
    "error": "Its error",
    "input": "Input resistance",
}


def register(page: BenchPage, name: str, **limits: str) -> None:
    """Register an instrument that is worked by hand, with its limits."""
    page.fill("Name", name)
    page.label("Host").send_keys(Keys.CONTROL, "a", Keys.DELETE)
    for key, text in limits.items():
        page.fill(LABELS[key], text)
    page.click("Register")
    page.wait("the row", lambda: name in " ".join(page.texts("instrument")))


def dress(page: BenchPage, theme: str) -> None:
    """Put the page into a theme without reading it anew."""
    page.driver.execute_script(
        "const [theme] = arguments, held = document.activeElement;"
        "const button = [...document.querySelectorAll('header button')]"
        ".find(b => b.textContent.toLowerCase() === theme);"
        "if (button) { button.click(); held.focus(); }",
        theme,
    )


def save(page: BenchPage, name: str) -> None:
    """One picture, when fonts, plots and the pointer have come to rest."""
    page.driver.execute_async_script(
        "const done = arguments[0]; document.fonts.ready.then(() => setTimeout(done, 700))"
    )
    page.driver.save_screenshot(str(PLACE / f"{name}.png"))
    print(f"  {name}.png")


if __name__ == "__main__":
    main()
