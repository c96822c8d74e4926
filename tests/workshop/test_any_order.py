"""Entries in any order: a closed job never moves; what is kept derived is what is derived."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import pytest

from glowdial.core.journey.record import CHANGEABLES
from glowdial.core.language.errors import GlowDialError
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.bench_work import measure, turn
from glowdial.workshop.entries import (
    acknowledge,
    close_step,
    make_temporary,
    note_change,
    remove_temporary,
    reopen,
    withdraw,
    write_note,
)
from glowdial.workshop.registers import enter_line
from workshop.conftest import Bench, over
from workshop.test_closed_jobs import told

ENTRIES = 40
Entry = Callable[[Bench, random.Random], None]


def a_step(bench: Bench, rng: random.Random) -> str:
    return rng.choice(job_page(bench.workshop, bench.job).journey.steps).key


def noted(bench: Bench, rng: random.Random) -> None:
    write_note(bench.workshop, bench.job, bench.stamp("note"), a_step(bench, rng), "a remark")


def taken_back(bench: Bench, rng: random.Random) -> None:
    answers = job_page(bench.workshop, bench.job).record.answers
    withdraw(bench.workshop, bench.job, bench.stamp("back"), rng.choice(answers).seq)


def changed(bench: Bench, rng: random.Random) -> None:
    stamp = bench.stamp("change")
    note_change(bench.workshop, bench.job, stamp, rng.choice(CHANGEABLES), "renewed")


def clipped(bench: Bench, rng: random.Random) -> None:
    wanted = rng.random() < 0.5
    stamp = bench.stamp("clip")
    make_temporary(bench.workshop, bench.job, stamp, what="clip", place="grid", wanted=wanted)


def taken_off(bench: Bench, rng: random.Random) -> None:
    on = job_page(bench.workshop, bench.job).record.temporaries
    key = int(rng.choice(on).key) if on else 99
    remove_temporary(bench.workshop, bench.job, bench.stamp("off"), key)


def decided(bench: Bench, rng: random.Random) -> None:
    stamp = bench.stamp("decide")
    close_step(bench.workshop, bench.job, stamp, a_step(bench, rng), "enough", "bench")


def seen(bench: Bench, rng: random.Random) -> None:
    step = rng.choice(job_page(bench.workshop, bench.job).journey.steps)
    danger = rng.choice(step.dangers) if step.dangers else "mains"
    acknowledge(bench.workshop, bench.job, bench.stamp("seen"), step.key, danger)


def parked(bench: Bench, _: random.Random) -> None:
    fields = {"what": "R14 looks browned", "where": "behind V3"}
    enter_line(bench.workshop, bench.job, bench.stamp("park"), "parked", fields=fields)


def measured(bench: Bench, rng: random.Random) -> None:
    measure(bench.workshop, bench.job, bench.stamp("measure"), a_step(bench, rng))


def turned(bench: Bench, rng: random.Random) -> None:
    turn(bench.workshop, bench.job, bench.stamp("turn"), a_step(bench, rng), 0.25)


def worked_on(bench: Bench, _: random.Random) -> None:
    """The next few entries as a volunteer makes them."""
    before = job_page(bench.workshop, bench.job).version
    volunteer = Volunteer(bench.workshop, bench.job)
    volunteer.work(lambda _: job_page(bench.workshop, bench.job).version > before + 3)


def opened_again(bench: Bench, _: random.Random) -> None:
    reopen(bench.workshop, bench.job, bench.stamp("reopen"), "came back")


WRITES: tuple[Entry, ...] = (
    noted, taken_back, changed, clipped, taken_off, decided, seen, parked, measured, turned,
    worked_on,
)  # fmt: skip


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_entries_in_any_order(handed_over: Bench, seed: int) -> None:
    rng = random.Random(seed)
    workshop, job = handed_over.workshop, handed_over.job
    kept = 0
    for n in range(ENTRIES):
        closed = job_page(workshop, job).closed_at is not None
        before = told(handed_over) if closed else {}
        entry = opened_again if closed and n % 8 == 7 else rng.choice(WRITES)
        version = job_page(workshop, job).version
        try:
            entry(handed_over, rng)
        except (GlowDialError, RuntimeError):
            # what is refused leaves nothing behind
            assert entry is worked_on or job_page(workshop, job).version == version
        now = job_page(workshop, job)
        kept += now.version > version
        if closed and entry is not opened_again:
            assert told(handed_over) == before, entry.__name__
        if now.closed_at is None:
            # power waits for every gate, whatever was entered
            for step in now.journey.steps:
                if step.powered and not step.opens_power and not step.status.finished:
                    clip = any(t.on and not t.wanted_under_power for t in now.record.temporaries)
                    assert not clip or step.blocked_by, step.key
    fresh = Bench(over(Path(str(workshop.database.engine.url.database))), job)
    assert told(fresh) == told(handed_over)
    assert kept > ENTRIES // 4
    fresh.workshop.lines.close()
