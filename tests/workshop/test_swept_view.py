"""A core of a simulated set turned while its curve is looked at: nothing is kept, nothing allowed
that the step does not allow."""

from __future__ import annotations

import pytest

from glowdial.core.journey.record import JobRecord
from glowdial.core.language.errors import BadInput, Conflict, NotFound
from glowdial.core.plan.gates import missing_cautions
from glowdial.core.stages.intermediate.sweep_traces import samples_of
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.alarms import something_is_wrong
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.entries import AnswerCommand, acknowledge, record_answer
from glowdial.workshop.sweeping import SweptView, swept_view
from workshop.conftest import Bench

SWEEP, CORE = "if.sweep1", "t1-primary"


def at_the_sweep(bench: Bench, *, careful: bool = True) -> None:
    """A job up to its first sweep, its cautions acknowledged or not."""
    Volunteer(bench.workshop, bench.job).work(lambda s: s.key == "if.baseline")
    chosen = AnswerCommand("if.set-up", "indicator", None, (("indicator", "swept curve"),))
    record_answer(bench.workshop, bench.job, bench.stamp("chosen"), chosen)
    if careful:
        take_care(bench)


def take_care(bench: Bench) -> None:
    page = job_page(bench.workshop, bench.job)
    missing = missing_cautions(
        page.journey.standing(SWEEP), page.record, bench.workshop.working_day
    )
    for danger in missing:
        acknowledge(bench.workshop, bench.job, bench.stamp(danger), SWEEP, danger)


def look(bench: Bench, core: str = "", turned: float = 0.0) -> SweptView:
    return swept_view(bench.workshop, bench.job, SWEEP, "trace", core, turned)


def record(bench: Bench) -> JobRecord:
    return job_page(bench.workshop, bench.job).record


def test_looking_turns_nothing_and_the_turn_entered_is_the_curve_that_was_seen(
    begun: Bench,
) -> None:
    at_the_sweep(begun)
    before = job_page(begun.workshop, begun.job).version
    as_found = look(begun)
    turned = look(begun, CORE, 0.75)
    assert turned.words != as_found.words and turned.typed == "+3/4"
    assert look(begun).words == as_found.words
    assert job_page(begun.workshop, begun.job).version == before
    trace = samples_of({"trace": as_found.table}, {})
    assert len(trace.frequency_hz) == 201
    kept = AnswerCommand(SWEEP, "trace", None, (("trace", as_found.table),))
    record_answer(begun.workshop, begun.job, begun.stamp("trace"), kept)
    decided = AnswerCommand("if.decide", "decision", "align", ())
    record_answer(begun.workshop, begun.job, begun.stamp("align"), decided)
    turn = AnswerCommand(SWEEP, f"turned {CORE}", turned.typed, ())
    record_answer(begun.workshop, begun.job, begun.stamp("turn"), turn)
    step = job_page(begun.workshop, begun.job).journey.next_key
    view = swept_view(begun.workshop, begun.job, step or "", _open_ask(begun), "", 0.0)
    assert view.words == turned.words.split(": ", 1)[1]


def _open_ask(bench: Bench) -> str:
    page = job_page(bench.workshop, bench.job)
    ask = page.journey.standing(page.journey.next_key or "").ask
    assert ask is not None
    return ask.name


def test_without_the_caution_or_in_an_alarm_nothing_is_swept(begun: Bench) -> None:
    at_the_sweep(begun, careful=False)
    page = job_page(begun.workshop, begun.job)
    if missing_cautions(page.journey.standing(SWEEP), page.record, begun.workshop.working_day):
        with pytest.raises(Conflict):
            look(begun)
    take_care(begun)
    look(begun)
    stamp = begun.stamp("alarm")
    something_is_wrong(begun.workshop, begun.job, stamp, step=SWEEP, sign="smoke", words="")
    with pytest.raises(Conflict):
        look(begun)


@pytest.mark.parametrize(("core", "turned"), [("no-core", 0.1), (CORE, 5.5), (CORE, float("nan"))])
def test_what_cannot_be_turned_is_refused(begun: Bench, core: str, turned: float) -> None:
    at_the_sweep(begun)
    with pytest.raises(BadInput):
        look(begun, core, turned)


def test_a_step_that_is_not_open_shows_nothing(begun: Bench) -> None:
    with pytest.raises((Conflict, NotFound)):
        look(begun)
