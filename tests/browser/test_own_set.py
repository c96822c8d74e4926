"""A user's own five-tube set: sheet from the template, every reading typed, the same advice."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver import Keys

from browser.beside import worked_beside
from browser.page import BenchPage
from browser.walk import work
from glowdial.bench.hands import carry_out
from glowdial.bench.simulated import SimulatedBench
from glowdial.bench.wording import typed_line
from glowdial.core.bench.movements import movement_of
from glowdial.core.journey.steps import Step
from glowdial.core.stages.dial.points import dial_curve
from glowdial.core.stages.intermediate.work import DECIDE
from glowdial.demo.fill import START
from glowdial.sim.condition import neglected
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.bench_work import as_it_stands

pytestmark = pytest.mark.browser
SEED = 77


class Hands:
    """Somebody with a set of their own on the table, typing what its meters show."""

    def __init__(self, workshop: Workshop, receiver: SimulatedReceiver) -> None:
        self._workshop = workshop
        self._bench = SimulatedBench(receiver, BenchState())

    def type_reading(self, page: BenchPage) -> str:
        """Do at the table what the step asks, and say what to type."""
        return self.reading_of(job_page(self._workshop, 1).journey.step(page.state()[1]))

    def reading_of(self, step: Step) -> str:
        """The same of a step."""
        view, ask = job_page(self._workshop, 1), step.ask
        assert ask is not None
        if ask.recipe is None:
            return ask.example
        self._bench.apply(as_it_stands(view.record))
        adjuster = ask.recipe.adjuster
        step, reach = movement_of(view.facts.adjuster(adjuster) if adjuster else None)
        done = carry_out(ask, self._bench, already_turned=0.0, step_turns=step, reach_turns=reach)
        return typed_line(ask, done.values)


def make_the_sheet(page: BenchPage, address: str) -> None:
    page.open(address)
    page.wait_for("empty-shelf")
    page.click("Make a sheet")
    page.wait("the form", lambda: page.label("Maker"))
    for label, text in (
        ("Maker", "Orlwick"),
        ("Model", "Slipway Five"),
        ("IF (kHz)", "4 MHz"),
        ("From (kHz)", "540"),
        ("To (kHz)", "1600"),
    ):
        page.fill(label, text)
    page.press(Keys.ENTER)
    page.wait("the refusal", lambda: "50 kHz to 2 MHz" in page.text("trouble"))
    page.fill("IF (kHz)", "455")
    page.press(Keys.ENTER)
    page.wait("the job form", lambda: page.label("Name to tell the set by"))
    page.wait("the sheet in the list", lambda: "Slipway" in page.label("Model").text)
    page.fill("Name to tell the set by", "Boathouse receiver")
    page.press(Keys.ENTER)
    page.wait_for("job")


def test_bands_and_if_are_enough_and_typed_readings_alone_do(
    page: BenchPage, serve: Callable[..., str], tmp_path: Path
) -> None:
    address = serve(demo=False)
    make_the_sheet(page, address)
    assert page.text("link") == "by hand"

    database = Database(sqlite_url(tmp_path / "data" / "glowdial.sqlite"))
    workshop = Workshop(database, lambda: START)
    facts = job_page(workshop, 1).facts
    assert facts.supply is None and facts.intermediate_frequency_hz == 455e3
    receiver = SimulatedReceiver(facts, neglected(facts, SEED))
    hands = Hands(workshop, receiver)
    # typing a stage is the long wave's test, working all of them the demo's journey
    worked_beside(page, workshop, 1, "proof.left", hands.reading_of)
    work(page, typist=hands.type_reading)

    view = job_page(workshop, 1)
    decided = view.record.latest(DECIDE, "decision")
    assert view.closed_at is not None
    assert decided is not None and decided.texts["decision"] == "align"
    curve = dial_curve(view.record, facts.bands[0])
    assert curve is not None
    assert {m.dial_hz: m.error_hz for m in curve.marks if abs(m.error_hz) > 0.005 * m.dial_hz} == {}
    page.click("Open the report")
    page.wait_for("report")
    database.close()
