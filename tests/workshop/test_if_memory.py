"""A set that comes back: what its IF's cores do is known from the visit before."""

from __future__ import annotations

from glowdial.core.stages.intermediate.rates import RATES, rate_of
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from workshop.conftest import SEED, Bench

# the only one in the file
SHEET = 1


def test_the_second_visit_begins_with_what_the_first_learned(handed_over: Bench) -> None:
    first = job_page(handed_over.workshop, handed_over.job)
    facts = first.situation.facts
    known = {k: rate_of(facts, first.record, k) for k in facts.if_adjusters()}
    command = OpenCommand(SHEET, "", condition=neglected(facts, SEED + 1), set_id=first.set_id)
    second = Bench(handed_over.workshop, open_job(handed_over.workshop, "the-second-job", command))
    Volunteer(second.workshop, second.job).work(lambda s: s.key == "if.baseline")
    lines = job_page(second.workshop, second.job).record.register(RATES)
    assert lines
    for line in lines:
        assert line.values["change"] == known[line.key].change
        assert line.values["doubt"] == known[line.key].doubt


def test_another_set_begins_with_the_sheet(handed_over: Bench) -> None:
    first = job_page(handed_over.workshop, handed_over.job)
    facts = first.situation.facts
    command = OpenCommand(SHEET, "Reading room receiver", "another", neglected(facts, 9))
    other = Bench(handed_over.workshop, open_job(handed_over.workshop, "other", command))
    Volunteer(other.workshop, other.job).work(lambda s: s.key == "if.baseline")
    assert not job_page(other.workshop, other.job).record.register(RATES)
