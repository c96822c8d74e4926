"""A job of five bands with ever more observations: what an entry, the page and a preview take.

The job is worked once at a simulated bench to just before its handover; longer ones are the same
work done over and over, as in a set that was aligned in many rounds. Everything goes through the
application as a page's calls do.
"""

from __future__ import annotations

import itertools
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from fastapi.testclient import TestClient
from sqlalchemy import insert, select

from glowdial.api.app import create_app
from glowdial.demo.fill import START, DemoClock
from glowdial.demo.volunteer import Volunteer, before_stage
from glowdial.sheets.template_form import BandForm, TemplateForm
from glowdial.sim.condition import neglected
from glowdial.store.database import Database, sqlite_url
from glowdial.store.tables import (
    AnswerRow,
    JobRow,
    MoveRow,
    ObservationRow,
    TellingRow,
)
from glowdial.workshop.base.inference import Beside
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, make_sheet, one_sheet
from glowdial.workshop.base.workshop import Workshop

SIZES = (100, 1_000, 5_000, 20_000)
REPEATS = 60
BANDS = (
    ("Long", "150", "350"),
    ("Broadcast", "540", "1600"),
    ("Marine", "1700", "4200"),
    ("Short 1", "4500", "11000"),
    ("Short 2", "11000", "26000"),
)
JOB = 1


@dataclass(frozen=True)
class Times:
    """What a job of so many observations takes, each in ms at the 95th percentile."""

    observations: int
    kept_answer: float
    page: float
    preview: float


@dataclass
class Page:
    """A page's calls into one job."""

    http: TestClient
    keys: Iterator[int] = field(default_factory=itertools.count)

    def read(self, step: str = "") -> Any:
        """The job as its page reads it."""
        return self.http.get(f"/api/jobs/{JOB}", params={"step": step} if step else {}).json()

    def write(self, what: str, body: dict[str, Any]) -> Any:
        """One write with a key of its own."""
        headers = {"Idempotency-Key": f"long-job-{next(self.keys)}"}
        answer = self.http.post(f"/api/jobs/{JOB}/{what}", json=body, headers=headers)
        assert answer.status_code in (200, 201), answer.text
        return answer.json()


def worked_job(folder: Path) -> Path:
    """A data file with the job of five bands, just before its handover."""
    file = folder / "five-bands.sqlite"
    database = Database(sqlite_url(file))
    database.migrate()
    workshop = Workshop(database, DemoClock())
    form = TemplateForm(
        maker="Orlwick",
        model="Headland Five-band",
        intermediate_frequency="465",
        bands=[BandForm(name=n, low=low, high=high) for n, low, high in BANDS],
        mains="230",
        secondary="290",
        b_plus="235",
        b_plus_current="60",
    )
    sheet = make_sheet(workshop, "five-bands", form)
    facts = facts_of(one_sheet(workshop, sheet).document)
    command = OpenCommand(sheet, "Headland receiver", condition=neglected(facts, 3))
    Volunteer(workshop, open_job(workshop, "open-five-bands", command)).work(
        before_stage("handover")
    )
    database.close()
    return file


def lengthened(worked: Path, file: Path, observations: int) -> int:
    """A copy in which the readings were taken in as many rounds as it needs; the earlier rounds are
    numbered below one, so that what was really done stays the last. Returns how many observations
    there are then."""
    shutil.copy(worked, file)
    database = Database(sqlite_url(file))
    with database.writing() as session:
        span = session.get_one(JobRow, JOB).seq
        tables = (AnswerRow, ObservationRow, TellingRow, MoveRow)
        done = {table: list(session.scalars(select(table))) for table in tables}
        one_round = len(done[ObservationRow])
        rounds = max(round(observations / one_round) - 1, 0)
        ids = max(a.id for a in done[AnswerRow])
        for n in range(1, rounds + 1):
            earlier = [_plain(a, seq=a.seq - n * span, id=a.id + n * ids) for a in done[AnswerRow]]
            session.execute(insert(AnswerRow), earlier)
            for table, by, shift in (
                (ObservationRow, "answer_id", n * ids),
                (TellingRow, "answer_seq", -n * span),
                (MoveRow, "seq", -n * span),
            ):
                again = [_plain(r, id=None, **{by: getattr(r, by) + shift}) for r in done[table]]
                session.execute(insert(table), again)
    database.close()
    return (rounds + 1) * one_round


def _plain(row: Any, **changed: Any) -> dict[str, Any]:
    values = {c.name: getattr(row, c.name) for c in row.__table__.columns} | changed
    return {k: v for k, v in values.items() if k != "id" or v is not None}


def p95_ms(act: Callable[[int], float]) -> float:
    """The 95th percentile of what ``act`` says it took in seconds, in ms, warmed up."""
    for n in range(3):
        act(n)
    return float(np.percentile([1e3 * act(n) for n in range(REPEATS)], 95))


def timed(act: Callable[[], Any]) -> float:
    """Seconds that a call takes."""
    begin = time.perf_counter()
    act()
    return time.perf_counter() - begin


def last_mark(workshop: Workshop, step: str) -> int:
    """The entry of the mark that was read last in a step."""
    answers = job_page(workshop, JOB).record.of_step(step)
    return [a.seq for a in answers if a.point][-1]


def times_of(file: Path, observations: int) -> Times:
    """A lengthened job, measured as its page calls it."""
    database = Database(sqlite_url(file))
    workshop = Workshop(database, lambda: START, memory=Beside())
    # what the client takes to unpack a body is none of the application's time
    plain = {"accept-encoding": "identity"}
    with TestClient(create_app(workshop), base_url="http://127.0.0.1", headers=plain) as http:
        page = Page(http)
        marked = {
            a.step for a in job_page(workshop, JOB).record.answers if "dial_hz" in dict(a.point)
        }
        steps = [s["key"] for s in page.read()["steps"] if s["key"] in marked]

        def kept(n: int) -> float:
            """A mark of the dial is taken back and read again; the reading is timed."""
            step, version = steps[n % len(steps)], page.read()["version"]
            body = {"version": version, "seq": last_mark(workshop, step)}
            version = page.write("withdrawals", body)["version"]
            ask = page.read(step)["step"]["ask"]
            body = {"version": version, "step": step, "ask": ask["key"], "line": ask["example"]}
            return timed(lambda: page.write("answers", body))

        def preview(n: int) -> float:
            step = page.read(asked)["step"]
            line = f"{float(step['ask']['example']) + 0.1 * n:.1f}"
            body = {"step": asked, "ask": step["ask"]["key"], "line": line}
            return timed(lambda: page.write("previews", body))

        answer = p95_ms(kept)
        shown = p95_ms(lambda n: timed(lambda: page.read(steps[n % len(steps)])))
        asked = steps[0]
        body = {"version": page.read()["version"], "seq": last_mark(workshop, asked)}
        page.write("withdrawals", body)
        found = Times(observations, answer, shown, p95_ms(preview))
    database.close()
    return found


def long_job_times() -> list[Times]:
    """Every size, measured."""
    found = []
    with tempfile.TemporaryDirectory() as folder:
        worked = worked_job(Path(folder))
        for size in SIZES:
            file = Path(folder) / f"{size}.sqlite"
            found.append(times_of(file, lengthened(worked, file, size)))
    return found
