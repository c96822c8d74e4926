"""The simulated bench of a job: turning with the peak held, measuring once, moves in the ledger."""

from __future__ import annotations

import itertools
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from api.conftest import Caller, open_job
from builders import a_workshop
from glowdial.api.app import create_app
from glowdial.core.bench.watch import guard_of
from glowdial.core.language.errors import Conflict
from glowdial.demo.volunteer import Volunteer
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.bench_work import live_values

CORE = "if.pass1.t2-secondary"


@pytest.fixture(scope="module")
def before_the_first_core(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data file with one job, worked up to its first core."""
    folder = tmp_path_factory.mktemp("peaking")
    made = a_workshop(folder)
    with TestClient(create_app(made), base_url="http://127.0.0.1") as http:
        # keys that no test of its copies uses again
        job = open_job(Caller(http, itertools.count(10**6)), simulated_seed=1962)
    Volunteer(made, job).work(until=lambda step: step.key == CORE)
    made.lines.close()
    made.database.close()
    return folder


@pytest.fixture
def workshop(before_the_first_core: Path, tmp_path: Path) -> Iterator[Workshop]:
    """A workshop over a copy of that file."""
    for file in before_the_first_core.glob("test.sqlite*"):
        shutil.copy(file, tmp_path)
    made = a_workshop(tmp_path)
    yield made
    made.lines.close()


@pytest.fixture
def peaking(caller: Caller) -> int:
    """The job that stands before its first core."""
    (job,) = caller.http.get("/api/jobs").json()["jobs"]
    caller.see_to(int(job["job_id"]))
    return int(job["job_id"])


def bench(caller: Caller, job: int) -> Any:
    answer = caller.http.get(f"/api/jobs/{job}/bench")
    assert answer.status_code == 200
    return answer.json()


def turn(caller: Caller, job: int, turns: float, key: str | None = None) -> Any:
    done = caller.into(job, "bench/turns", key=key, step=CORE, turns=turns)
    assert done.status_code == 201, done.text
    return done.json()


def test_the_bench_shows_what_is_connected_and_live_values(caller: Caller, peaking: int) -> None:
    view = bench(caller, peaking)
    assert view["link"] == "simulated" and "mixer grid" in view["generator"]
    assert {m["key"] for m in view["meters"]} == {"avc", "b-plus", "line"}
    assert next(m for m in view["meters"] if m["key"] == "line")["text"] == "230 V"


def test_turning_holds_the_peak_and_says_when_it_is_past(caller: Caller, peaking: int) -> None:
    readings = [turn(caller, peaking, 0.25) for _ in range(6)]
    held = max(r["held"] for r in readings)
    assert readings[-1]["held"] == held >= max(r["avc"] for r in readings)
    back = [turn(caller, peaking, -0.25) for _ in range(14)]
    assert any("past it, go back" in r["words"] for r in (*readings, *back))
    view = bench(caller, peaking)
    assert view["held_step"] == CORE and view["turned"] == "2 turns counter-clockwise"
    trace = view["trace"]
    tried = [p["turns"] for p in trace["points"]]
    assert tried == [n / 4 for n in (*range(7), *range(5, -9, -1))]
    # the best is the highest of what the turns were answered with, not of the trace itself
    highest = max(r["held"] for r in (*readings, *back))
    assert trace["best"]["value"] == pytest.approx(highest, abs=1e-9)
    assert trace["back_turns"] == trace["best"]["turns"] + 2.0


def test_a_turn_sent_twice_is_made_once(caller: Caller, peaking: int, workshop: Workshop) -> None:
    version = caller.job(peaking)["version"]
    body = {"step": CORE, "turns": 0.25, "version": version}
    first, again = (
        caller.into(peaking, "bench/turns", key="one-twist-of-the-wrist", **body) for _ in range(2)
    )
    assert first.json() == again.json()
    assert job_page(workshop, peaking).record.turns_of("t2-secondary") == 0.25


def test_the_whole_movement_is_one_entry_and_the_ledger_has_its_net(
    caller: Caller, peaking: int, workshop: Workshop
) -> None:
    turn(caller, peaking, 0.5)
    done = caller.into(peaking, "bench/measurements", step=CORE).json()
    before, after, turns = (float(v) for v in done["line"].split())
    assert after <= before < 0.0  # the AVC line is negative: deeper is more
    body = {"step": CORE, "ask": "peak", "line": done["line"]}
    assert caller.into(peaking, "answers", **body).status_code == 201
    record = job_page(workshop, peaking).record
    assert record.turns_of("t2-secondary") == pytest.approx(turns, abs=1e-3)
    answer = record.latest(CORE, "peak")
    assert answer is not None and answer.values["turns"] == pytest.approx(turns, abs=1e-3)
    line = next(x for x in caller.job(peaking)["log"] if x["seq"] == answer.seq)
    assert line["text"].startswith("Peak the T2 secondary core (pass 1)")


def test_measuring_twice_with_one_key_gives_one_answer(caller: Caller, peaking: int) -> None:
    version = caller.job(peaking)["version"]
    body = {"step": CORE, "version": version}
    first, again = (
        caller.into(peaking, "bench/measurements", key="one-measurement", **body) for _ in range(2)
    )
    assert first.json() == again.json()


def test_a_simulated_set_is_watched_guarded_and_switched_off(
    caller: Caller, peaking: int, workshop: Workshop
) -> None:
    turn(caller, peaking, 0.25)
    seen = next(live_values(workshop, peaking, guard_of("b-plus", "10", "20")))
    assert seen.guard is not None and seen.guard.alarm and seen.value > 0.0
    assert caller.http.post(f"/api/jobs/{peaking}/bench/stop").json() == {"failed": []}
    off = next(live_values(workshop, peaking, guard_of("line current", "", "10")))
    assert off.value == 0.0 and off.guard is not None and not off.guard.alarm
    by_hand = open_job(caller)
    with pytest.raises(Conflict, match="by hand"):
        next(live_values(workshop, by_hand))


def test_what_is_watched_is_what_the_job_peaks_by(
    caller: Caller, peaking: int, workshop: Workshop
) -> None:
    body = {"step": "if.survey", "ask": "indicator", "line": "audio output"}
    assert caller.into(peaking, "answers", **body).status_code == 201
    Volunteer(workshop, peaking).work(until=lambda step: step.key == CORE)
    assert turn(caller, peaking, 0.25)["avc"] > 0.0
    values = live_values(workshop, peaking)
    seen = next(values)
    assert seen.label == "audio" and float(seen.typed) == pytest.approx(seen.value, abs=1e-3)
    # one that is chosen meanwhile is watched from then on, and its own peak is held
    body["line"] = "AVC volts"
    assert caller.into(peaking, "answers", **body).status_code == 201
    line = next(values)
    assert line.label == "AVC" and line.typed == f"{-line.value:.3f}"
    assert line.held == line.value


@pytest.mark.parametrize(
    ("document", "status", "words"),
    [
        ('{"seed": 7, "faults": [{"kind": "device", "stage": "V2", "strength": 0}]}', 201, ""),
        ('{"seed": 7, "faults": [{"kind": "device", "stage": "V8", "strength": 0}]}', 422, "V8"),
        ("{", 422, "is not JSON"),
        ('{"seed": "x"}', 422, "seed"),
    ],
)
def test_a_job_may_be_opened_on_a_condition(
    caller: Caller, document: str, status: int, words: str
) -> None:
    sheet = open_job(caller)  # its sheet is the first
    body = {"sheet_id": sheet, "set_name": "sick one", "simulated_condition": document}
    answer = caller.write("/api/jobs", body)
    assert answer.status_code == status and words in answer.text


def test_what_the_bench_has_not_is_refused(caller: Caller, peaking: int) -> None:
    early = caller.into(peaking, "bench/turns", step="if.survey", turns=0.1)
    assert early.status_code == 409 and "nothing to measure" in early.json()["detail"]
    other = caller.into(peaking, "bench/measurements", step="osc.xx")
    assert other.status_code == 404
