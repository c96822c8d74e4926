"""What an entry costs: one derivation, few statements; what is looked at costs nothing new."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import event

from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.jobs import job_page, job_report
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.entries import AnswerCommand, preview, record_answer, write_note
from glowdial.workshop.instruments import RegisterCommand, register
from workshop.conftest import Bench, a_simulated_job, over

MOST_STATEMENTS = 20
RAMP = "bring-up.ramp"


@contextmanager
def statements(workshop: Workshop) -> Iterator[list[str]]:
    """The SQL statements that are carried out meanwhile."""
    seen: list[str] = []

    def note(_: Any, __: Any, statement: str, *___: Any) -> None:
        seen.append(statement)

    event.listen(workshop.database.engine, "before_cursor_execute", note)
    yield seen
    event.remove(workshop.database.engine, "before_cursor_execute", note)


@pytest.fixture(scope="module")
def on_the_ramp(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Bench]:
    """A job that has the first reading of its ramp."""
    bench = a_simulated_job(tmp_path_factory.mktemp("ramp") / "ramp.sqlite")
    workshop, job = bench.workshop, bench.job
    Volunteer(workshop, job).work(lambda _: bool(job_page(workshop, job).record.of_step(RAMP)))
    yield bench
    workshop.lines.close()


def next_line(bench: Bench) -> AnswerCommand:
    step = job_page(bench.workshop, bench.job).journey.standing(RAMP)
    assert step.ask is not None
    return AnswerCommand(step.key, step.ask.name, step.ask.example, ())


def test_a_kept_answer_derives_the_journey_once(on_the_ramp: Bench) -> None:
    workshop, job = on_the_ramp.workshop, on_the_ramp.job
    command, stamp = next_line(on_the_ramp), on_the_ramp.stamp("counted")
    before = workshop.derivations.count
    with statements(workshop) as seen:
        record_answer(workshop, job, stamp, command)
    assert workshop.derivations.count == before + 1
    assert 0 < len(seen) <= MOST_STATEMENTS, "\n".join(seen)
    assert any(s.startswith("INSERT INTO observations") for s in seen)
    # and what is shown of it afterwards was filled by the write
    job_page(workshop, job)
    job_report(workshop, job)
    assert workshop.derivations.count == before + 1


def test_a_retry_derives_nothing(on_the_ramp: Bench) -> None:
    workshop, job = on_the_ramp.workshop, on_the_ramp.job
    stamp = on_the_ramp.stamp("again")
    first = write_note(workshop, job, stamp, "", "smells of hot wax")
    before = workshop.derivations.count
    assert write_note(workshop, job, stamp, "", "smells of hot wax") == first
    assert workshop.derivations.count == before


def test_a_preview_reads_what_was_derived(on_the_ramp: Bench) -> None:
    workshop, job = on_the_ramp.workshop, on_the_ramp.job
    command = next_line(on_the_ramp)
    before = workshop.derivations.count
    with statements(workshop) as seen:
        assert preview(workshop, job, command.step, command.ask, str(command.line))
    assert workshop.derivations.count == before
    assert not [s for s in seen if "FROM observations" in s or "FROM answers" in s]


def test_after_a_start_the_record_is_read_once(on_the_ramp: Bench) -> None:
    command, stamp = next_line(on_the_ramp), on_the_ramp.stamp("cold")
    workshop = over(Path(str(on_the_ramp.workshop.database.engine.url.database)))
    with statements(workshop) as seen:
        record_answer(workshop, on_the_ramp.job, stamp, command)
    # what the entry was read against, and what came of it
    assert workshop.derivations.count == 2
    assert len([s for s in seen if "FROM observations" in s]) == 1
    assert len(seen) <= MOST_STATEMENTS, "\n".join(seen)
    workshop.lines.close()


def test_a_write_of_another_process_is_seen(on_the_ramp: Bench) -> None:
    other = over(Path(str(on_the_ramp.workshop.database.engine.url.database)))
    write_note(other, on_the_ramp.job, on_the_ramp.stamp("elsewhere"), "", "from elsewhere")
    assert job_page(on_the_ramp.workshop, on_the_ramp.job).log[0].text == "from elsewhere"
    other.lines.close()


def test_a_new_meter_is_seen_by_the_next_page(on_the_ramp: Bench) -> None:
    workshop, job = on_the_ramp.workshop, on_the_ramp.job
    job_page(workshop, job)
    before = workshop.derivations.count
    command = RegisterCommand("old needle", "multimeter", "", 0, "", (("input", "200k"),))
    register(workshop, "a-late-meter", command)
    assert job_page(workshop, job).situation.equipment.meter is not None
    assert workshop.derivations.count == before + 1
