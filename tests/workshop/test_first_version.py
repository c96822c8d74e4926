"""A data file made by the first version opens, and tells everybody what it told them then."""

from __future__ import annotations

import gzip
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from glowdial.api.stages.handover import ReportShape
from glowdial.core.journey.steps import Status
from glowdial.core.language.errors import Conflict
from glowdial.core.plan.gates import missing_cautions
from glowdial.core.stages.bring_up.gate_steps import GATE
from glowdial.demo.fill import DemoClock
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import JobPage, job_page, job_report, shelf
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.entries import (
    acknowledge,
    reopen,
    write_note,
)
from glowdial.workshop.export import job_document, readings_csv
from glowdial.workshop.stages.intake import photo
from glowdial.workshop.upgrade import bring_up_to_date

DATA = Path(__file__).resolve().parents[1] / "data"
# what each job showed in the version that made the file
THEN: dict[str, dict[str, Any]] = json.loads((DATA / "first-version.json").read_text("utf-8"))
CLOSED = [int(job) for job, told in THEN.items() if told["closed"]]
EVERY = [int(job) for job in THEN]
ASKS_THE_OWNER = 1


@pytest.fixture(scope="module")
def opened(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Workshop]:
    """The file of the first version, migrated and brought up as the server does it."""
    workshop = a_copy(tmp_path_factory.mktemp("first"))
    assert bring_up_to_date(workshop) == len(THEN)
    yield workshop
    workshop.lines.close()


def a_copy(folder: Path) -> Workshop:
    file = folder / "first-version.sqlite"
    file.write_bytes(gzip.decompress((DATA / "first-version.sqlite.gz").read_bytes()))
    database = Database(sqlite_url(file))
    database.migrate()
    return Workshop(database, DemoClock())


def then(job: int) -> dict[str, Any]:
    return THEN[str(job)]


def key(former: str) -> str:
    """A sensitivity's step was named by its frequency, and is by its number."""
    return re.sub(r"^(proof\.\w+\.\w+)\.\d+$", r"\1", former)


# a set with transistors is asked about its junctions now, and its chart is of transistors
SOLID_STATE, JUNCTIONS = 5, "cold.filaments"
# steps that there were not, and the stages that have them
SINCE_THEN = re.compile(
    r"osc\.mechanics|osc\.unknown|osc\..+\.(rock|move)|dial\.air|dial\..+\.drift"
    r"|proof\.path|proof\.\w+\.(conditions|output|noise)|proof\.\w+\..+\.answers"
)
GREW = ("oscillator and RF", "dial", "proof")


def without_amount(words: str) -> str:
    """Per cents were of the limit, and are of what is expected: only the report is kept in words
    by that version, so steps and logs are told anew."""
    return re.sub(r" by [\d.e+-]+ %( of the limit|, [\d.e+-]+ allowed)?", "", words)


def as_then(job: int, line: list[Any]) -> list[Any]:
    """A line with its device called what it was called."""
    if job != SOLID_STATE:
        return line
    then_called = {"transistor": "tube", "collector heat": "plate heat"}
    for now, before in then_called.items():
        line = [x.replace(now, before) if isinstance(x, str) else x for x in line]
    return line


def steps_of(page: JobPage) -> list[list[str]]:
    return [
        [key(s.key), s.stage, s.title, s.status.value, s.closed_because] for s in page.journey.steps
    ]


def results_of(page: JobPage) -> list[list[Any]]:
    return [
        [key(s.key), r.label, r.text, r.judgement.verdict.value, r.judgement.words, r.stale]
        for s in page.journey.steps
        for r in s.results
    ]


def gate_passed_again(folder: Path, job: int) -> Workshop:
    """A modification was left to the owner, and is still one to be traced before power: that is
    asked now, and everything else stands as it did."""
    workshop = a_copy(folder)
    bring_up_to_date(workshop)
    page = job_page(workshop, job)
    assert page.journey.next_key == GATE and page.journey.step(GATE).status is Status.RECHECK
    seen = acknowledge(
        workshop, job, Stamp("seen-to-it", page.version), GATE, "unknown modification"
    )
    for other in missing_cautions(page.journey.step(GATE), page.record, page.working_day):
        if other != "unknown modification":
            stamp = Stamp(f"seen-{other}", seen["version"])
            seen = acknowledge(workshop, job, stamp, GATE, other)
    return workshop


def test_the_fixture_has_open_and_closed_jobs_a_photo_and_instruments(opened: Workshop) -> None:
    assert len(CLOSED) >= 2 and len(EVERY) - len(CLOSED) >= 4
    documents = [job_document(opened, job) for job in EVERY]
    pictured = [
        (job, d["photos"][0]["id"]) for job, d in zip(EVERY, documents, strict=True) if d["photos"]
    ]
    assert pictured
    assert photo(opened, *pictured[0], small=False)[:2] == b"\xff\xd8"


@pytest.mark.parametrize("job", CLOSED)
def test_a_closed_job_shows_the_same_report_word_for_word(opened: Workshop, job: int) -> None:
    shown = ReportShape.model_validate(job_report(opened, job)).model_dump(mode="json")
    told = {name: shown[name] for name in then(job)["report"]}
    # times go out with their zone now; the moments are the same
    for name in ("opened_at", "closed_at"):
        assert told[name] and told.pop(name)[:19] == then(job)["report"][name][:19]
    assert told == {k: v for k, v in then(job)["report"].items() if not k.endswith("ed_at")}


@pytest.mark.parametrize("job", EVERY)
def test_a_job_stands_where_it_stood(opened: Workshop, job: int, tmp_path: Path) -> None:
    if job == ASKS_THE_OWNER:
        opened = gate_passed_again(tmp_path, job)
    page = job_page(opened, job)
    added = {JUNCTIONS} if job == SOLID_STATE else set()
    stood = [s for s in steps_of(page) if s[0] not in added and not SINCE_THEN.fullmatch(s[0])]
    assert [as_then(job, s) for s in stood] == [[key(s[0]), *s[1:]] for s in then(job)["steps"]]
    new = page.journey.next_key in added or SINCE_THEN.fullmatch(page.journey.next_key)
    assert new or key(page.journey.next_key) == key(then(job)["next"])
    shown, told = results_of(page), [[key(r[0]), *r[1:]] for r in then(job)["results"]]
    assert [as_then(job, [*r[:4], without_amount(r[4]), *r[5:]]) for r in shown] == [
        [*r[:4], without_amount(r[4]), *r[5:]] for r in told
    ]
    line = next(line for line in shelf(opened, limit=100)[0] if line.job_id == job)
    assert line.closed == then(job)["closed"]
    if not added and not new:
        told = then(job)["standing"]
        assert {n: old_stages(line.standing[n]) for n in told} == {
            n: old_stages(v) for n, v in told.items()
        }


def old_stages(told: object) -> object:
    """What was told of a standing, without the stages that have gained steps."""
    if not isinstance(told, list):
        return told
    return [x for x in told if not (isinstance(x, dict) and x.get("stage") in GREW)]


@pytest.mark.parametrize("job", EVERY)
def test_the_log_says_what_it_said(opened: Workshop, job: int) -> None:
    log = job_page(opened, job).log
    shown = [[m.seq, m.kind, m.text, m.verdict, without_amount(m.words), m.struck] for m in log]
    assert [as_then(job, line) for line in shown] == [
        [*line[:4], without_amount(line[4]), *line[5:]] for line in then(job)["log"]
    ]


@pytest.mark.parametrize("job", EVERY)
def test_every_measured_value_has_its_place(opened: Workshop, job: int) -> None:
    for seen in job_document(opened, job)["observations"]:
        assert seen["place"] and seen["kind"], seen


def test_points_are_values_and_no_constant_is_part_of_a_key(opened: Workshop) -> None:
    answers = [a for job in EVERY for a in job_document(opened, job)["answers"]]
    assert not [a for a in answers if re.search(r"\d{3,}", a["ask"] + a["step"])]
    survey = [a for a in answers if (a["step"], a["ask"]) == ("if.survey", "point")]
    assert survey and all(400e3 < a["point"]["generator_hz"] < 500e3 for a in survey)


def test_it_is_brought_up_once(opened: Workshop) -> None:
    before = [readings_csv(opened, job) for job in EVERY]
    opened.database.migrate()
    assert bring_up_to_date(opened) == 0
    assert [readings_csv(opened, job) for job in EVERY] == before


def test_a_job_of_then_is_worked_on_and_a_closed_one_is_opened_first(tmp_path: Path) -> None:
    workshop = a_copy(tmp_path)
    bring_up_to_date(workshop)
    job = CLOSED[0]
    version = job_page(workshop, job).version
    with pytest.raises(Conflict, match="handed over"):
        write_note(workshop, job, Stamp("a-first-note", version), "", "hums again")
    reopen(workshop, job, Stamp("opened-again", version), "hums again")
    page = job_page(workshop, job)
    assert page.closed_at is None and page.journey.next_key.startswith("handover")
    write_note(workshop, job, Stamp("a-second-note", page.version), "", "hums after an hour")
    assert job_page(workshop, job).log[0].text == "hums after an hour"
    workshop.lines.close()
