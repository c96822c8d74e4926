"""The demo set from the door to its printed report, by keyboard, at the simulated bench."""

from __future__ import annotations

import base64
import json
import urllib.request
from collections.abc import Callable

import pytest
from selenium.webdriver import Keys

from browser.page import BenchPage
from browser.walk import work

pytestmark = pytest.mark.browser


def dial_errors_hz(address: str, job: str) -> dict[float, float]:
    """Error at each dial mark, from the job's own open document."""
    with urllib.request.urlopen(f"{address}/api/jobs/{job}/document") as answer:
        document = json.load(answer)
    withdrawn = {w["answer_seq"] for w in document["withdrawals"]}
    marks = {
        a["id"]: a["point"]["dial_hz"]
        for a in document["answers"]
        if a["step"] in ("dial.bc", "dial.sw") and a["seq"] not in withdrawn
    }
    read = [r for r in document["observations"] if r["answer_id"] in marks]
    return {marks[r["answer_id"]]: r["value"] - marks[r["answer_id"]] for r in read}


def test_from_opening_to_printed_report(page: BenchPage, serve: Callable[..., str]) -> None:
    address = serve(demo=True)
    page.open(address)
    page.click("Reading room receiver")
    page.wait_for("job")
    assert "complaint" in page.text("step-title")
    work(page)
    assert page.text("closed-because") == ""

    errors = dial_errors_hz(address, "2")
    assert len(errors) == 10
    tolerance = {mark: (0.005 if mark < 3e6 else 0.01) * mark for mark in errors}
    assert {m: e for m, e in errors.items() if abs(e) > tolerance[m]} == {}

    page.click("Report")
    page.wait_for("report")
    rows = page.texts("report-row")
    good = ("inside", "near the edge", "met")
    assert sum(any(row.endswith(w) for w in good) for row in rows) >= 14
    pdf = base64.b64decode(page.driver.print_page())
    # two pages, and one with the correction cards
    assert pdf.startswith(b"%PDF") and pdf.count(b"/Type /Page\n") <= 3


def test_the_scale_is_walked_by_keys(page: BenchPage, serve: Callable[..., str]) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/1")
    page.wait("a step", page.settled)
    page.driver.execute_script("document.querySelector('nav button[tabindex=\"0\"]').focus()")
    page.press("4")
    page.wait("bring-up", lambda: page.state()[1].startswith("bring-up"))
    page.press(Keys.PAGE_UP)
    page.wait("the step before", lambda: page.state()[1] == "bring-up.ramp")
    page.press(Keys.F9)
    page.wait("what is next", lambda: page.state()[1] == "osc.bc.round2.high")
