"""An alarm by keyboard: raised within a line, held over every page, ended with its cause."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from api.conftest import Caller, open_job
from browser.page import BenchPage
from glowdial.api.app import create_app
from glowdial.demo.fill import START
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop

pytestmark = pytest.mark.browser
RAMP = "bring-up.ramp"


@pytest.fixture
def at_the_ramp(serve: Callable[..., str], tmp_path: Path) -> tuple[str, Workshop]:
    """A set of one's own, typed by hand, brought up to its ramp."""
    address = serve(demo=False)
    workshop = Workshop(Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite")), lambda: START)
    with TestClient(create_app(workshop), base_url="http://127.0.0.1") as http:
        caller = Caller(http, itertools.count(10**6))
        job = open_job(caller)
        caller.up_to_the_ramp(job)
    return f"{address}/jobs/{job}", workshop


def test_smoke_in_the_ramp_is_held_everywhere_until_its_cause_is_said(
    page: BenchPage, at_the_ramp: tuple[str, Workshop]
) -> None:
    address, workshop = at_the_ramp
    page.open(address)
    for _ in range(12):
        page.wait("a step to act on", page.settled)
        if not page.find("acknowledge"):
            break
        before = page.state()
        page.press(Keys.ENTER)
        page.changed_from(before)
    assert page.state()[1] == RAMP
    before = page.state()
    page.type_over("57.5 0 smoke")
    page.press(Keys.ENTER)
    page.changed_from(before)
    assert "smoke" in page.wait_for("alarm").text and "Switch off now" in page.text("alarm")
    # what was read with it is not lost
    read = job_page(workshop, 1).record.latest(RAMP, "held@line_v=57.5")
    assert read is not None and read.values["b_plus"] == 0.0
    assert "Alarm: smoke" in page.text("blocked") and page.find("line") is None
    for place in ("/registers", "/report", "/questions", "?step=intake.story"):
        page.open(f"{address}{place}")
        page.wait(f"the alarm on {place}", lambda: "smoke" in page.text("alarm"))
    page.wait_for("job")
    assert page.driver.execute_script(
        "return arguments[0].compareDocumentPosition(arguments[1]) & 4",
        page.find("alarm"),
        page.find("job"),
    )
    page.open(address)
    page.wait(
        "the focus", lambda: page.find("switched-off") == page.driver.switch_to.active_element
    )
    page.press(Keys.ENTER)
    page.wait("the cause", lambda: page.focused() == "cause")
    page.press(Keys.ENTER)
    page.wait("the refusal", lambda: "power comes back only with it" in page.text("trouble"))
    page.press("C12 shorted", Keys.TAB, "C12 renewed", Keys.ENTER)
    page.wait("the end of the alarm", lambda: page.find("alarm") is None and page.find("line"))
    log = [(line.kind, line.text) for line in job_page(workshop, 1).log[:3]]
    assert log[0] == ("alarm settled", "cause: C12 shorted; done: C12 renewed")
    assert log[1][0] == "switched off" and log[2][0] == "alarm"


def test_one_key_raises_it_from_any_step(
    page: BenchPage, at_the_ramp: tuple[str, Workshop]
) -> None:
    address, _ = at_the_ramp
    page.open(f"{address}?step=intake.label")
    page.wait_for("job")
    page.press(Keys.F10)
    page.wait("the dialog", lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"))
    page.wait("its focus", lambda: page.focused() == "sign")
    page.press("arc", Keys.TAB, "at the mains switch", Keys.ENTER)
    page.wait("the alarm", lambda: "arcing: at the mains switch" in page.text("alarm"))
    assert page.faults() == []
