"""A band moved by following the advice, on a set that nobody can see into."""

from __future__ import annotations

from pathlib import Path

import pytest

from builders import a_workshop, tidewater_facts
from glowdial.core.stages.dial.card import correction_card
from glowdial.demo.entered import entered
from glowdial.demo.fill import tidewater_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.sim.front_end import front_end
from glowdial.sim.state import BenchState
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import import_sheet


@pytest.mark.parametrize(("seed", "line"), [(11, "1720 high yes"), (12, "1700 both yes")])
def test_a_band_comes_to_where_its_owner_wants_it(tmp_path: Path, seed: int, line: str) -> None:
    facts, workshop = tidewater_facts(), a_workshop(tmp_path)
    sheet = import_sheet(workshop, "sheet", tidewater_sheet())
    condition = neglected(facts, seed)
    job = open_job(workshop, "job", OpenCommand(sheet, "a set", condition=condition))
    Volunteer(workshop, job).work(lambda step: step.key == "osc.bc.decide")
    entered(workshop, job, "osc.bc.move", "to", line)
    Volunteer(workshop, job).work()
    view = job_page(workshop, job)
    assert view.closed_at is not None
    band, made = view.situation.facts.bands[0], facts.bands[0]
    assert band.printed == made and band.high_hz > 1.04 * made.high_hz
    # its card says what comes in at the figures that the scale still shows
    card = [line for line in correction_card(view.situation.facts, view.record) if line.read]
    shown = [line.dial_hz for line in card if line.band == band.name]
    assert shown == pytest.approx(sorted(made.dial_marks_hz), abs=200.0)
    assert all(line.correction_hz > 0.0 for line in card if line.dial_hz == max(shown))
    turned = {a.key: view.record.turns_of(a.key) for a in facts.adjusters}
    # the truth, which the advice never saw: what comes in with the pointer on its printed marks
    for mark, printed in (
        (band.high_mark_hz, made.high_mark_hz),
        (band.low_mark_hz, made.low_mark_hz),
    ):
        state = BenchState(band="bc", dial_hz=printed, turns=turned, in_cabinet=True)
        front = front_end(facts, condition, made, state, rf_slope_s=2e-3)
        comes_in = front.local_oscillator_hz - made.tracked.offset_hz
        assert abs(comes_in - mark) < band.tolerance_hz(mark), (mark, comes_in)
