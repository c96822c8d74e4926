"""The interface against its own description, by a contract tester: 10,000 requests.

python -m benchmarks.contract [REQUESTS]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from glowdial.api.app import create_app
from glowdial.demo.fill import DemoClock, tidewater_sheet
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.base.workshop import Workshop

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]
# streams, that end only with their page
ENDLESS = ("/api/jobs/{job_id}/known", "/api/jobs/{job_id}/bench/live")
HOST = {"host": "127.0.0.1"}


def described(folder: Path) -> schemathesis.BaseSchema:
    """The application over a file with one job, by its description."""
    database = Database(sqlite_url(folder / "contract.sqlite"))
    database.migrate()
    made = Workshop(database, DemoClock())
    sheet = import_sheet(made, "the-first-sheet", tidewater_sheet())
    open_job(made, "the-first-job", OpenCommand(sheet, "Reading room receiver"))
    app = create_app(made)
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", app, headers=HOST)
    return schema.exclude(path=list(ENDLESS))


def tried(schema: schemathesis.BaseSchema, examples: int, seed: int | None = None) -> int:
    """Call every operation with generated requests; raises on the first answer that is not
    described or is an error of ours. Returns how many requests were made."""
    made = 0
    for found in schema.get_all_operations():
        operation = found.ok()

        @settings(
            max_examples=examples,
            deadline=None,
            derandomize=seed is None,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def call(case: schemathesis.Case) -> None:
            nonlocal made
            made += 1
            case.headers = {**(case.headers or {}), **HOST}
            case.call_and_validate(checks=CHECKS, base_url="http://127.0.0.1")

        call()
    return made


def main(requests: int) -> None:
    """Make so many requests over all operations, and say how it went."""
    with tempfile.TemporaryDirectory() as folder:
        schema = described(Path(folder))
        operations = sum(1 for _ in schema.get_all_operations())
        made = tried(schema, max(2 * requests // operations, 1), seed=1)
    print(f"{made} requests to {operations} calls: nothing undocumented, no error of ours")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000)
