"""A client of the real application over a fresh data file, with a job to write into."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from httpx2 import Response

from builders import a_workshop
from glowdial.api.app import create_app
from glowdial.demo.fill import tidewater_sheet
from glowdial.workshop.base.workshop import Workshop


@dataclass
class Caller:
    """A page's side of the conversation: knows the job's version, gives each write its key."""

    http: TestClient
    keys: Iterator[int] = field(default_factory=lambda: itertools.count(1))

    def job(self, job: int, step: str = "") -> Any:
        """The job as its page would read it."""
        answer = self.http.get(f"/api/jobs/{job}", params={"step": step} if step else {})
        assert answer.status_code == 200, answer.text
        return answer.json()

    def write(self, path: str, body: dict[str, Any], key: str | None = None) -> Response:
        """One write with a key."""
        return self.http.post(path, json=body, headers=self.once(key))

    def once(self, key: str | None = None) -> dict[str, str]:
        """The header of a write, with a key of its own unless one is given."""
        return {"Idempotency-Key": key or f"test-key-{next(self.keys)}"}

    def import_sheet(self, text: str) -> Response:
        """Send a sheet as its file."""
        headers = {**self.once(), "content-type": "text/plain"}
        return self.http.post("/api/sheets", content=text, headers=headers)

    def into(self, job: int, what: str, /, key: str | None = None, **body: Any) -> Response:
        """A write into a job at the version that it has now, unless another is given."""
        version = body.pop("version", None)
        if version is None:
            version = self.job(job)["version"]
        return self.write(f"/api/jobs/{job}/{what}", {"version": version, **body}, key)

    def answer(self, job: int, line: str | None = None, **fields: str) -> Response:
        """Answer the open question of the next step, cautions acknowledged."""
        return self.answer_as_read(job, self.job(job), line, fields)

    def answer_as_read(
        self, job: int, state: Any, line: str | None, fields: dict[str, str]
    ) -> Response:
        """The same for a job that was read just now."""
        step, version = state["step"], state["version"]
        for caution in step["cautions"]:
            seen = {"step": step["key"], "danger": caution["danger"], "version": version}
            done = self.into(job, "acknowledgements", **seen)
            assert done.status_code == 201
            version = done.json()["version"]
        body = {"step": step["key"], "ask": step["ask"]["key"], "line": line, "fields": fields}
        return self.into(job, "answers", version=version, **body)

    def see_to(self, job: int) -> None:
        """Acknowledge every caution of the next step."""
        step = self.job(job)["step"]
        for caution in step["cautions"]:
            seen = {"step": step["key"], "danger": caution["danger"]}
            assert self.into(job, "acknowledgements", **seen).status_code == 201

    def up_to_the_ramp(self, job: int) -> None:
        """Intake, cold checks, parts, gate and set-up."""
        self.up_to(job, "bring-up.ramp")

    def up_to(self, job: int, key: str) -> None:
        """Everything up to a step, answered as its own examples do."""
        for _ in range(200):
            state = self.job(job)
            if state["next_step"].startswith(key):
                return
            done = self.plainly(job, state)
            assert done.status_code == 201, (state["next_step"], done.text)
        raise AssertionError(f"{key} was not reached")

    def plainly(self, job: int, state: Any) -> Response:
        """The plain answer to the question of a job that was read just now."""
        step = state["step"]
        ask, line = step["ask"], None
        fields = ask["fields"]
        if ask["confirm"]:
            line = "done"
        elif step["key"] == "cold.b-plus":
            line = "150k"
        elif any(f["unit"] and f["required"] for f in fields):
            line = ask["example"]
        if line is not None:
            return self.answer_as_read(job, state, line, {})
        said = {f["name"]: f["options"][0] for f in fields if f["required"] and f["options"]}
        said |= {f["name"]: "weak" for f in fields if f["required"] and f["multiline"]}
        return self.answer_as_read(job, state, None, said)


@pytest.fixture
def workshop(tmp_path: Path) -> Iterator[Workshop]:
    """A workshop over a fresh data file."""
    made = a_workshop(tmp_path)
    yield made
    made.lines.close()


@pytest.fixture
def caller(workshop: Workshop) -> Iterator[Caller]:
    """The application."""
    with TestClient(create_app(workshop), base_url="http://127.0.0.1") as http:
        yield Caller(http)


@pytest.fixture
def hand_job(caller: Caller) -> int:
    """A job on a set that is worked by hand."""
    return open_job(caller)


def open_job(caller: Caller, sheet: str = "", **more: Any) -> int:
    """Import the demo sheet, or another, and open a job on it."""
    kept = caller.import_sheet(sheet or tidewater_sheet())
    assert kept.status_code == 201, kept.text
    body = {"sheet_id": kept.json()["id"], "set_name": "Reading room receiver", **more}
    job = caller.write("/api/jobs", body)
    assert job.status_code == 201, job.text
    return int(job.json()["id"])
