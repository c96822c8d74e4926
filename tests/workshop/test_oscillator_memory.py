"""A set that comes back: what its oscillator's adjusters do is known from the visit before."""

from __future__ import annotations

import pytest

from glowdial.core.stages.tracking.oscillator import TURNS_LEARNED, fitted, learned
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from workshop.conftest import SEED, Bench

# the only one in the file
SHEET = 1


def test_the_second_visit_knows_what_a_turn_does(handed_over: Bench) -> None:
    first = job_page(handed_over.workshop, handed_over.job)
    facts = first.situation.facts
    known = learned(facts, first.record)
    assert known
    command = OpenCommand(SHEET, "", condition=neglected(facts, SEED + 1), set_id=first.set_id)
    second = Bench(handed_over.workshop, open_job(handed_over.workshop, "again", command))
    Volunteer(second.workshop, second.job).work(lambda s: s.key == "osc.bc.decide")
    record = job_page(second.workshop, second.job).record
    lines = {line.key: line.values for line in record.register(TURNS_LEARNED)}
    assert lines.keys() == known.keys()
    for key, turner in known.items():
        band_key, _, adjuster = key.partition(" ")
        band = facts.band(band_key)
        assert lines[key]["change"] == turner.change
        before = fitted(facts, first.record, band).turners
        now = next(t for t in fitted(facts, record, band).turners if t.key == adjuster)
        by_sheet = next(t for t in before if t.key == adjuster)
        # better known than the sheet knows it, and about what this very set was seen to do
        assert now.doubt < 0.6 * by_sheet.doubt
        assert now.change == pytest.approx(turner.change)
