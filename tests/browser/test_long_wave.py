"""A long-wave set of one's own with its oscillator below the signal, by typed readings alone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver import Keys

from browser.page import BenchPage
from browser.test_kitchen import acknowledge
from browser.test_own_set import Hands
from browser.walk import work
from glowdial.core.stages.dial.points import dial_curve
from glowdial.demo.fill import START
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop

pytestmark = pytest.mark.browser
SEED = 31


def make_the_sheet(page: BenchPage, address: str) -> None:
    """A sheet with little more than an IF and a band, the oscillator below."""
    page.open(address)
    page.wait_for("empty-shelf")
    page.click("Make a sheet")
    page.wait("the form", lambda: page.label("Maker"))
    for label, text in (
        ("Maker", "Orlwick"),
        ("Model", "Kelp Two"),
        ("IF (kHz)", "465"),
        ("Band", "Long wave"),
        ("From (kHz)", "150"),
        ("To (kHz)", "300"),
    ):
        page.fill(label, text)
    page.label("Oscillator").send_keys("b")
    page.label("IF (kHz)").send_keys(Keys.ENTER)
    # which figure stands against which
    page.wait("the refusal", lambda: "465 kHz below 160 kHz" in page.text("trouble"))
    page.fill("IF (kHz)", "50")
    page.press(Keys.ENTER)
    page.wait("the job form", lambda: page.label("Name to tell the set by"))
    page.wait("the sheet in the list", lambda: "Kelp" in page.label("Model").text)
    page.fill("Name to tell the set by", "Ferry receiver")
    page.press(Keys.ENTER)
    page.wait_for("job")


def test_an_oscillator_below_the_signal_is_brought_home_by_typing(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=False)
    make_the_sheet(page, address)
    database = Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite"))
    workshop = Workshop(database, lambda: START)
    facts = job_page(workshop, 1).facts
    (band,) = facts.bands
    assert not band.tracked.high_side
    hands = Hands(workshop, SimulatedReceiver(facts, neglected(facts, SEED)))
    # what comes before is worked without the page, which has its own tests of it
    Volunteer(workshop, 1, source=hands.reading_of).work(lambda s: s.key == "osc.band1.survey")
    page.open(f"{address}/jobs/1")
    page.wait_for("job")
    page.wait("the survey", lambda: page.state()[1] == "osc.band1.survey")
    acknowledge(page)

    # the image of a low-side set stands two IFs below: it is asked about before it is believed
    mark = band.high_mark_hz / 1e3
    before = page.state()
    page.type_over(f"{mark - 100.0:.1f}")
    page.press(Keys.ENTER)
    page.wait("the question", lambda: "image" in page.text("trouble"))
    assert page.state() == before
    work(page, until="proof.left", typist=hands.type_reading)

    view = job_page(workshop, 1)
    curve = dial_curve(view.record, band)
    assert curve is not None
    ends = {band.low_mark_hz, band.high_mark_hz}
    off = [m for m in curve.marks if m.dial_hz in ends and abs(m.error_hz) > 0.005 * m.dial_hz]
    assert off == []
    database.close()
