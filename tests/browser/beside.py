"""Working a job beside the page: what a test is not about is done without its browser."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from browser.page import BenchPage
from glowdial.core.journey.steps import Step
from glowdial.demo.fill import START
from glowdial.demo.volunteer import Volunteer
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.workshop import Workshop


def workshop_of(folder: Path) -> Workshop:
    """A workshop over the data file that the server of a test has open."""
    (file,) = (folder / "data").glob("*.sqlite")
    return Workshop(Database(sqlite_url(file)), lambda: START)


def worked_beside(
    page: BenchPage,
    workshop: Workshop,
    job: int,
    until: str,
    source: Callable[[Step], str] | None = None,
) -> None:
    """Do what the steps ask up to the one that begins with ``until``, then read the page again."""
    Volunteer(workshop, job, source=source).work(lambda step: step.key.startswith(until))
    address = page.driver.current_url.partition("?")[0]
    page.open(address)
    page.wait(until, lambda: page.settled() and page.state()[1].startswith(until))
