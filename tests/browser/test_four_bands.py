"""A receiver of four bands by the keyboard: its bandspread half a turn wrong, its bands in order,
and a band moved for its stations."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from browser.page import BenchPage
from browser.test_kitchen import acknowledge
from browser.test_own_set import Hands
from browser.walk import act, fill_fields, take_at_bench
from glowdial.core.journey.dial_marks import brought_in_hz
from glowdial.core.stages.tracking.oscillator import band_reads
from glowdial.demo.fill import START, demo_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, keep_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop

pytestmark = pytest.mark.browser
FOUR_BANDS_JOB, MOVED_JOB = 13, 17
CATALOGUE = "frequency,name,place,weight\n1650,Harbour,north quay,3\n560,Saltmarsh,dunes,1"


def test_a_bandspread_half_a_turn_wrong_is_found_before_any_adjuster(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=False)
    database = Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite"))
    workshop = Workshop(database, lambda: START)
    sheet = read_sheet(demo_sheet("breakwater-eight"))
    with database.writing() as session:
        sheet_id = keep_sheet(session, sheet, workshop.now()).id
    facts = facts_of(sheet.model_dump(mode="json"))
    open_job(workshop, "opening", OpenCommand(sheet_id, "Lightship receiver"))
    hands = Hands(workshop, SimulatedReceiver(facts, neglected(facts, 41)))
    Volunteer(workshop, 1, source=hands.reading_of).work(lambda s: s.key == "osc.mechanics")
    page.open(f"{address}/jobs/1")
    page.wait("the mechanics", lambda: page.state()[1] == "osc.mechanics")
    acknowledge(page)
    for _ in range(2):
        before = page.state()
        fill_fields(page, {})
        page.changed_from(before)
    # off its reference at the high end it has to tune lower; this one goes higher
    assert page.state()[2] == "spread"
    page.keep_line("7.3 7.43")
    page.wait("the trouble", lambda: "half a turn wrong" in page.text("advice"))
    assert page.text("status") == "▲ outside"
    page.keep_line("7.3 7.19")
    page.wait("the next step", lambda: page.state()[1] == "osc.a.set-up")
    assert not any(
        m.adjuster.startswith(("a-", "b-", "c-", "d-")) for m in job_page(workshop, 1).record.moves
    )
    database.close()


def test_bands_are_brought_home_in_their_order_by_keys(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/jobs/{FOUR_BANDS_JOB}")
    page.wait("the step", lambda: page.state()[1].startswith("osc.d.round1"))
    seen = []
    while not page.state()[1].startswith("dial."):
        band = page.state()[1].split(".")[1]
        if band not in seen:
            seen.append(band)
        assert act(page, take_at_bench)
    # the far core of the shared can before the near one
    assert seen == ["d", "c"]
    page.open(f"{address}/jobs/{FOUR_BANDS_JOB}?step=osc.mechanics")
    page.wait("the sheet of progress", lambda: "its core is the far one" in main_text(page))
    (file,) = (tmp_path / "data").glob("*.sqlite")
    database = Database(sqlite_url(file))
    view = job_page(Workshop(database, lambda: START), FOUR_BANDS_JOB)
    for band in view.facts.bands:
        reads = dict(band_reads(view.record, band))
        for mark in (band.low_mark_hz, band.high_mark_hz):
            off = brought_in_hz(band, reads[mark], mark) - mark
            assert abs(off) <= band.tolerance_hz(mark), (band.name, mark, off)
    database.close()


def main_text(page: BenchPage) -> str:
    return page.driver.find_element(By.TAG_NAME, "main").text


def test_a_band_is_moved_for_its_stations_and_kept_in_the_log(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    page.open(f"{address}/sums/moving-a-band?job=8")
    page.wait("the answer", lambda: "gains most" in page.text("sentence"))
    stations = page.driver.find_element(By.CSS_SELECTOR, "textarea")
    stations.send_keys(Keys.CONTROL, "a")
    stations.send_keys("1650,Harbour\nnoon,Lantern Hill")
    page.wait("the refusal", lambda: "line 2" in page.text("trouble"))
    stations.send_keys(Keys.CONTROL, "a")
    stations.send_keys(CATALOGUE)
    page.wait("the new answer", lambda: "weight 1 becomes 4" in page.text("sentence"))
    lines = " ".join(page.texts("sum-line"))
    assert "Harbour 1650 kHz" in lines and "goes back" in lines
    page.click("Keep in this job")
    page.wait("it is kept", lambda: page.find("sum-kept"))
    page.open(f"{address}/jobs/8")
    page.wait_for("step")
    page.press(Keys.F8)
    page.wait("the log", lambda: "weight 1 becomes 4" in " ".join(page.texts("log-line")))


def test_a_band_is_moved_in_its_journey_taken_back_and_moved_again_by_keys(
    page: BenchPage, serve: Callable[..., str]
) -> None:
    address = serve(demo=True)
    step = f"{address}/jobs/{MOVED_JOB}?step=osc.mw.move"
    page.open(step)
    page.wait_for("step")
    acknowledge(page)
    page.wait("what was decided", lambda: "528 kHz to 1720 kHz" in main_text(page))
    page.click("leave it where it was")
    page.wait_for("fields")
    before = page.state()
    page.press("after all it stays", Keys.ENTER)
    page.changed_from(before)
    page.open(step)
    page.wait("what it would gain", lambda: "2 of 4 wanted stations" in main_text(page))
    page.click("move it")
    page.wait_for("line")
    # further than any trimmer goes: said, and nothing is lost
    page.type_over("9 MHz high yes")
    page.press(Keys.ENTER)
    page.wait("the refusal", lambda: "further than" in page.text("trouble"))
    page.keep_line("1710 both yes, the ferry too")
    page.open(step)
    page.wait("the new place", lambda: "525 kHz to 1710 kHz" in main_text(page))
    page.open(f"{address}/jobs/{MOVED_JOB}")
    page.wait("where the pointer goes", lambda: "as printed" in main_text(page))
    assert page.faults() == []
