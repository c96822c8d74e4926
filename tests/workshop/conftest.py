"""A set that was worked to its handover once, to be copied by every test that wants one."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from glowdial.demo.fill import DemoClock, tidewater_sheet
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, import_sheet, read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import Stamp

SEED = 3


@dataclass
class Bench:
    """A workshop and the job in it that a test is about."""

    workshop: Workshop
    job: int

    def stamp(self, name: str) -> Stamp:
        """A write's stamp at the version that the job has now."""
        version = job_page(self.workshop, self.job).version
        return Stamp(f"{name}-{self.job}-{version}", version)


def over(file: Path) -> Workshop:
    """A workshop over a data file, as after a new start."""
    database = Database(sqlite_url(file))
    database.migrate()
    return Workshop(database, DemoClock())


def a_simulated_job(file: Path, seed: int = SEED) -> Bench:
    """A neglected set on a simulated bench, just opened."""
    workshop = over(file)
    sheet = import_sheet(workshop, "the-first-sheet", tidewater_sheet())
    facts = facts_of(read_sheet(tidewater_sheet()).model_dump(mode="json"))
    command = OpenCommand(sheet, "Reading room receiver", f"TS-{seed}", neglected(facts, seed))
    return Bench(workshop, open_job(workshop, "the-first-job", command))


@pytest.fixture(scope="session")
def worked_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data file with one job in it that was handed over."""
    file = tmp_path_factory.mktemp("worked") / "worked.sqlite"
    bench = a_simulated_job(file)
    Volunteer(bench.workshop, bench.job).work()
    bench.workshop.database.engine.dispose()
    return file


@pytest.fixture
def handed_over(worked_file: Path, tmp_path: Path) -> Iterator[Bench]:
    """The handed-over job in a copy of the file, opened as after a new start."""
    for file in worked_file.parent.glob("worked.sqlite*"):
        shutil.copy(file, tmp_path / file.name)
    bench = Bench(over(tmp_path / worked_file.name), 1)
    yield bench
    bench.workshop.lines.close()


@pytest.fixture
def begun(tmp_path: Path) -> Iterator[Bench]:
    """A job that was just opened on a simulated bench."""
    bench = a_simulated_job(tmp_path / "begun.sqlite")
    yield bench
    bench.workshop.lines.close()
