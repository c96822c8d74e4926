"""Dear inferences run beside the writes: the page shows what is known, and hears of the rest."""

from __future__ import annotations

import json
import logging
import threading
from dataclasses import replace
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from glowdial.api.app import create_app
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.inference import Beside
from glowdial.workshop.base.jobs import job_page, known_within
from workshop.conftest import Bench, a_simulated_job

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


def test_one_that_fails_is_logged_and_tried_again(caplog: pytest.LogCaptureFixture) -> None:
    beside, calls, failed = Beside(), [], threading.Event()

    def compute() -> int:
        calls.append(1)
        if len(calls) == 1:
            failed.set()
            raise ValueError("no convergence")
        return 3

    with caplog.at_level(logging.ERROR):
        assert beside.recall("key", compute) is None
        assert failed.wait(PATIENCE_S)
        while beside.recall("key", compute) is None:
            beside.wait_for_more(0, 0.05)
    assert "an inference failed" in caplog.text and len(calls) == 2
    beside.close()


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
