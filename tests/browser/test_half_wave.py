"""A transformerless half-wave set with its heaters in a string, made in the page and brought up."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.support.select import Select

from browser.beside import worked_beside
from browser.conftest import CLOCK, set_size
from browser.page import BenchPage
from browser.test_own_set import Hands
from browser.walk import act
from builders import aligned
from glowdial.core.physics.supply.circuit import Topology
from glowdial.core.safety.cautions import Trait, traits_of
from glowdial.core.stages.bring_up.ramp_step import RAMP
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop

pytestmark = pytest.mark.browser
FIGURES = (
    ("Maker", "Orlwick"),
    ("Model", "Wharf Five"),
    ("IF (kHz)", "455"),
    ("From (kHz)", "540"),
    ("To (kHz)", "1600"),
    ("Mains or battery (V)", "117"),
    ("Mains or reed (Hz)", "60"),
    ("To the rectifier, unloaded (V)", "117"),
    ("B+ at the last capacitor (V)", "95"),
    ("B+ current (mA)", "60"),
    ("of it at the first filter (mA)", "40"),
    ("First filter (uF)", "40"),
    ("Filter resistor or choke (ohm)", "1k"),
    ("Second filter (uF)", "40"),
    ("Rectifier drop (V)", "20"),
    ("at (mA)", "60"),
)
LINE_UP = (
    "V1 12X8 converter 12.6 V 150 mA",
    "V2 12X3 IF amplifier 12.6 V 150 mA",
    "V3 12X7 detector 12.6 V 150 mA",
    "V4 50X5 output 50 V 0,15 A",
    "V5 35X4 rectifier 35 V 0.15 A",
)
CHOICES = (
    ("Runs from", "transformerless"),
    ("Feeds the rectifier", "half-wave"),
    ("Heaters hang", "in a string"),
)


def make_the_sheet(page: BenchPage, address: str) -> None:
    page.open(f"{address}/sheets/new")
    page.wait("the form", lambda: page.label("Second filter (uF)"))
    for label, text in FIGURES:
        page.fill(label, text)
    for label, wanted in CHOICES:
        Select(page.label(label)).select_by_visible_text(wanted)
    assert page.faults() == []
    # the last heater is missing its current: said with its line, and nothing is lost
    page.label("One a line").send_keys("\n".join(LINE_UP).removesuffix(" 0.15 A"))
    page.click("Keep the sheet")
    page.wait("the refusal", lambda: "tubes, line 5" in page.text("trouble"))
    page.label("One a line").send_keys(" 0.15 A")
    page.click("Keep the sheet")
    page.wait("the job form", lambda: page.label("Name to tell the set by"))
    page.wait("the sheet in the list", lambda: "Wharf" in page.label("Model").text)
    page.fill("Name to tell the set by", "Boathouse set")
    page.press(Keys.ENTER)
    page.wait_for("job")


def test_a_half_wave_set_made_in_the_page_is_brought_up_right(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=False)
    make_the_sheet(page, address)
    database = Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite"))
    workshop = Workshop(database, lambda: datetime.fromisoformat(CLOCK))
    facts = job_page(workshop, 1).facts
    supply = facts.supply
    assert supply is not None and supply.topology is Topology.HALF_WAVE
    assert supply.load.current_a == pytest.approx(0.020) and supply.line_hz == 60.0
    assert {Trait.TRANSFORMERLESS, Trait.SERIES_STRING} <= traits_of(facts)
    # a sound set: every volt as it should be
    hands = Hands(workshop, aligned(facts))
    letters = {"Runs from": "t"}
    worked_beside(page, workshop, 1, RAMP, hands.reading_of)
    folded = "//summary[contains(., 'Leads')]"
    page.wait("the leads", lambda: page.driver.find_elements(By.XPATH, folded))
    page.driver.find_element(By.XPATH, folded).click()
    leads = page.text("leads")
    assert "isolation transformer" in leads and "B-" in leads
    drawn = str(page.wait_for("supply-table").get_attribute("textContent"))
    for width in (820, 1280):
        set_size(page.driver, width, 800)
        for theme in ("Daylight", "Lamplight"):
            page.click(theme)
            assert page.faults() == [], (width, theme)
    page.wait_for("line").click()
    assert "half-wave" in drawn and "V5" in drawn and "to B-" in drawn
    for _ in range(3):
        act(page, hands.type_reading, letters)
    worked_beside(page, workshop, 1, "proof.found", hands.reading_of)
    journey = job_page(workshop, 1).journey
    ramp = journey.step(RAMP)
    assert len(ramp.results) >= 6
    assert [r.label for r in ramp.results if r.judgement.verdict.outside] == []
    assert "tired" not in " ".join(ramp.advice)
    database.close()
