"""Dear inferences run beside the writes: the page shows what is known, and hears of the rest."""

from __future__ import annotations

import json
import logging
import threading
from collections.abc import Callable, Hashable
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

import pytest
from fastapi.testclient import TestClient

from glowdial.api.app import create_app
from glowdial.core.journey.memory import AtOnce
from glowdial.core.journey.record import Closure
from glowdial.core.journey.steps import Status
from glowdial.core.plan.journey import journey, journey_after
from glowdial.core.stages.handover.steps import HAND_OVER
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.inference import Beside
from glowdial.workshop.base.jobs import job_page, known_within
from workshop.conftest import Bench, a_simulated_job

T = TypeVar("T")
DIAGNOSIS = "bring-up.diagnosis"
PATIENCE_S = 60.0
TIRED_SUPPLY = 77


def test_it_is_not_known_until_it_was_worked_out() -> None:
    beside, may_end = Beside(), threading.Event()

    def compute() -> str:
        may_end.wait(PATIENCE_S)
        return "a leaky capacitor"

    assert beside.recall("key", compute) is None
    assert beside.recall("key", compute) is None
    may_end.set()
    assert beside.wait_for_more(0, PATIENCE_S) == 1
    assert beside.recall("key", compute) == "a leaky capacitor"
    beside.close()


def test_the_same_evidence_is_worked_out_once() -> None:
    beside, calls = Beside(), []

    def compute() -> int:
        calls.append(1)
        return 7

    beside.recall("one", compute)
    beside.wait_for_more(0, PATIENCE_S)
    for _ in range(20):
        assert beside.recall("one", compute) == 7
    beside.recall("other", compute)
    beside.wait_for_more(1, PATIENCE_S)
    assert len(calls) == 2
    beside.close()


def settled(beside: Beside, key: str, compute: Callable[[], object]) -> None:
    """Wait until it is known what came of an inference."""
    while beside.recall(key, compute) is None and not beside.failure(key):
        beside.wait_for_more(beside.known, 0.05)


def test_one_that_fails_is_told_logged_with_its_inputs_and_can_be_tried_again(
    caplog: pytest.LogCaptureFixture,
) -> None:
    beside, calls = Beside(), []

    def compute() -> int:
        calls.append(1)
        if len(calls) == 1:
            raise ValueError("no convergence")
        return 3

    with caplog.at_level(logging.ERROR):
        settled(beside, "volts of V1", compute)
    assert beside.failure("volts of V1") == "no convergence"
    assert "volts of V1" in caplog.text and "no convergence" in caplog.text
    # it is not tried again by itself, for ever
    assert beside.recall("volts of V1", compute) is None and len(calls) == 1
    before = beside.known
    beside.try_again()
    assert beside.known > before
    settled(beside, "volts of V1", compute)
    assert beside.recall("volts of V1", compute) == 3 and beside.failure("volts of V1") == ""
    beside.close()


def test_one_that_hangs_is_given_up_and_holds_nobody_else_up() -> None:
    beside, hold = Beside(limit_s=0.2), threading.Event()
    beside.recall("hangs", lambda: hold.wait(PATIENCE_S))
    beside.recall("behind it", lambda: 5)
    settled(beside, "hangs", lambda: 1)
    assert "longer than" in beside.failure("hangs")
    settled(beside, "behind it", lambda: 5)
    assert beside.recall("behind it", lambda: 5) == 5
    hold.set()
    beside.close()


class Failing:
    """A memory that works out everything but a diagnosis, until it is told otherwise."""

    def __init__(self) -> None:
        self.works = False
        self._of = AtOnce()

    def _fails(self, key: Hashable) -> bool:
        return not self.works and isinstance(key, tuple) and key[0] == "diagnosis"

    def recall(self, key: Hashable, compute: Callable[[], T]) -> T | None:
        """Nothing, or what is worked out."""
        return None if self._fails(key) else self._of.recall(key, compute)

    def failure(self, key: Hashable) -> str:
        """Why."""
        return "no convergence" if self._fails(key) else ""


def test_a_failed_inference_is_a_state_that_is_told_and_can_be_passed(tmp_path: Path) -> None:
    bench = at_the_diagnosis(tmp_path)
    record = job_page(bench.workshop, bench.job).record
    facts, memory = job_page(bench.workshop, bench.job).facts, Failing()
    state = journey(facts, record, memory=memory)
    step = state.step(DIAGNOSIS)
    assert not state.thinking and state.waits
    assert step.failed == "no convergence" and not step.thinking
    assert step.status is Status.OPEN and step.closable
    # a person goes on without it, and what it would have told opens nothing
    last = max(a.seq for a in record.answers)
    gone_on = replace(record, closures=(Closure(last + 1, DIAGNOSIS, "enough", "", "bench"),))
    passed = journey_after(state, facts, gone_on, memory=memory)
    assert passed.standing(DIAGNOSIS).status is Status.CLOSED
    assert passed.next_key != DIAGNOSIS
    assert "Still being worked out" not in " ".join(passed.standing(HAND_OVER).blocked_by)
    memory.works = True
    again = journey_after(state, facts, record, memory=memory)
    assert again.standing(DIAGNOSIS).failed == "" and again.standing(DIAGNOSIS).advice
    bench.workshop.lines.close()


def at_the_diagnosis(folder: Path) -> Bench:
    """A job whose ramp was read, and whose supply is judged from it."""
    bench = a_simulated_job(folder / "set.sqlite", TIRED_SUPPLY)
    Volunteer(bench.workshop, bench.job).work(lambda step: step.key.startswith("bring-up.chart"))
    return bench


def test_a_page_says_that_it_is_thinking_and_is_told_when_it_is_known(tmp_path: Path) -> None:
    bench = at_the_diagnosis(tmp_path)
    at_once = job_page(bench.workshop, bench.job).journey.step(DIAGNOSIS)
    beside, hold = Beside(), threading.Event()
    # the one thread is busy until the test lets it go
    beside.recall("something dearer", lambda: hold.wait(PATIENCE_S))
    workshop = replace(
        bench.workshop, memory=beside, derivations=type(bench.workshop.derivations)()
    )
    with TestClient(create_app(workshop), base_url="http://127.0.0.1") as http:
        page = http.get(f"/api/jobs/{bench.job}", params={"step": DIAGNOSIS}).json()
        assert page["thinking"] and not known_within(workshop, bench.job, 0.0)
        assert page["step"]["advice"] != list(at_once.advice)
        # a write does not wait for it
        note = {"version": page["version"], "step": "", "text": "kept meanwhile"}
        headers = {"Idempotency-Key": "kept-meanwhile"}
        kept = http.post(f"/api/jobs/{bench.job}/notes", json=note, headers=headers)
        assert kept.status_code == 201
        hold.set()
        with http.stream("GET", f"/api/jobs/{bench.job}/known") as told:
            events = [m for m in told.iter_lines() if m.startswith("data:")]
        assert [json.loads(e.removeprefix("data:")) for e in events]
        page = http.get(f"/api/jobs/{bench.job}", params={"step": DIAGNOSIS}).json()
        assert not page["thinking"] and page["step"]["advice"] == list(at_once.advice)
    bench.workshop.lines.close()


def test_an_entry_that_it_does_not_read_leaves_it_known(tmp_path: Path) -> None:
    bench = at_the_diagnosis(tmp_path)
    beside = Beside()
    workshop = replace(
        bench.workshop, memory=beside, derivations=type(bench.workshop.derivations)()
    )
    while job_page(workshop, bench.job).journey.thinking:
        beside.wait_for_more(beside.known, 0.2)
    known = beside.known
    volunteer = Volunteer(workshop, bench.job)
    before = len(job_page(workshop, bench.job).record.answers)
    volunteer.work(lambda _: len(job_page(workshop, bench.job).record.answers) > before + 2)
    assert not job_page(workshop, bench.job).journey.thinking and beside.known == known
    beside.close()
    bench.workshop.lines.close()
