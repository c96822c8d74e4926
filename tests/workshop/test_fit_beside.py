"""The oscillator's fit beside the write: no entry waits for it, nothing goes on before it is known,
and nobody who reads the job whole gets half of it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import replace

import pytest

from glowdial.core.journey.memory import AtOnce
from glowdial.core.journey.steps import Step, find_ask
from glowdial.core.stages.tracking.oscillator import fitted_to
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.derived import Derivations
from glowdial.workshop.base.inference import Beside
from glowdial.workshop.base.jobs import job_page, job_report, shelf
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.entries import AnswerCommand, record_answer
from workshop.conftest import Bench, a_simulated_job

PATIENCE_S = 20.0


class HeldBack(Beside):
    """A memory whose one thread can be kept busy."""

    def __init__(self) -> None:
        super().__init__()
        self._go = threading.Event()
        self._go.set()

    def hold(self) -> None:
        """Nothing is worked out from now on."""
        self._go.clear()
        self.recall(object(), lambda: self._go.wait(PATIENCE_S))

    def let_go(self) -> None:
        """Everything that waits is worked out."""
        self._go.set()


def known(workshop: Workshop, job: int, beside: HeldBack) -> None:
    """Wait until nothing of a job is worked out any more."""
    while job_page(workshop, job).journey.thinking:
        beside.wait_for_more(beside.known, 0.1)


@pytest.fixture
def rounds(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Bench, HeldBack]]:
    """A job in the rounds of its first band, its memory beside the writes."""
    folder = tmp_path_factory.mktemp("rounds")
    bench = a_simulated_job(folder / "set.sqlite")
    Volunteer(bench.workshop, bench.job).work(lambda s: ".round" in s.key)
    beside = HeldBack()
    workshop = replace(bench.workshop, memory=beside, derivations=Derivations())
    known(workshop, bench.job, beside)
    yield Bench(workshop, bench.job), beside
    beside.let_go()
    beside.close()
    bench.workshop.lines.close()


def due(workshop: Workshop, job: int) -> Step:
    journey = job_page(workshop, job).journey
    assert journey.next_key is not None
    return journey.standing(journey.next_key)


def entered(bench: Bench, step: Step, line: str, name: str) -> dict[str, object]:
    assert step.ask is not None
    command = AnswerCommand(step.key, step.ask.name, line, (), confirmed=True)
    return record_answer(bench.workshop, bench.job, bench.stamp(name), command)


def test_a_reading_is_kept_before_it_is_known_what_it_means(
    rounds: tuple[Bench, HeldBack],
) -> None:
    bench, beside = rounds
    step = due(bench.workshop, bench.job)
    assert ".round" in step.key and step.ask is not None and not step.thinking
    beside.hold()
    fits = fitted_to.cache_info().misses
    entered(bench, step, step.ask.example, "read")
    # it was not worked out in the write, nor for the page that is read after it
    job_page(bench.workshop, bench.job)
    assert fitted_to.cache_info().misses == fits
    waits = due(bench.workshop, bench.job)
    assert waits.thinking and waits.ask is None and not waits.status.finished
    # what was read stands there already
    assert waits.results
    # nothing goes on past it
    assert waits.key == step.key
    beside.let_go()
    known(bench.workshop, bench.job, beside)
    following = due(bench.workshop, bench.job)
    assert not following.thinking and following.ask is not None
    assert fitted_to.cache_info().misses > fits


def at_once(bench: Bench) -> Workshop:
    """The same data file by a memory that works everything out there and then."""
    return replace(bench.workshop, memory=AtOnce(), derivations=Derivations())


def test_advice_beside_the_write_is_what_it_is_at_once(rounds: tuple[Bench, HeldBack]) -> None:
    bench, beside = rounds
    for n in range(4):
        known(bench.workshop, bench.job, beside)
        here = job_page(bench.workshop, bench.job).journey
        there = job_page(at_once(bench), bench.job).journey
        assert here.next_key == there.next_key is not None
        step, same = here.step(here.next_key), there.step(there.next_key)
        assert (step.title, step.advice, step.ask) == (same.title, same.advice, same.ask)
        if ".round" not in step.key or step.ask is None:
            break
        entered(bench, step, step.ask.example, f"read-{n}")


def test_an_entry_that_comes_too_early_waits_for_its_question(
    rounds: tuple[Bench, HeldBack],
) -> None:
    bench, beside = rounds
    step = due(bench.workshop, bench.job)
    assert step.ask is not None
    beside.hold()
    entered(bench, step, step.ask.example, "first")
    following = due(at_once(bench), bench.job)
    assert following.ask is not None
    assert find_ask(due(bench.workshop, bench.job), following.ask.name) is None
    threading.Timer(0.3, beside.let_go).start()
    entered(bench, following, following.ask.example, "second")
    kept = job_page(bench.workshop, bench.job).record.latest(following.key, following.ask.name)
    assert kept is not None


def test_the_report_and_the_shelf_are_whole(rounds: tuple[Bench, HeldBack]) -> None:
    bench, beside = rounds
    step = due(bench.workshop, bench.job)
    assert step.ask is not None
    beside.hold()
    entered(bench, step, step.ask.example, "read")
    (line,), _ = shelf(bench.workshop)
    assert line.standing["thinking"]
    threading.Timer(0.3, beside.let_go).start()
    report = job_report(bench.workshop, bench.job)
    assert not any("worked out" in str(g) for g in report["gaps"])
    assert not job_page(bench.workshop, bench.job).journey.thinking
    (line,), _ = shelf(bench.workshop)
    assert not line.standing["thinking"]
    assert line.standing["next_title"] == due(bench.workshop, bench.job).title
