"""The shopping list stands in one order, however its parts were ordered."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from builders import a_workshop
from glowdial.demo.fill import START, tidewater_sheet
from glowdial.store.tables import AnswerRow
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.stages.stock import shopping_list

PARTS = (
    ("R4", "resistor", 220e3, 0.5),
    ("C9", "capacitor", 100e-9, 630.0),
    ("C2", "electrolytic", 22e-6, 450.0),
    ("C7", "capacitor", 10e-9, 630.0),
    ("C8", "capacitor", 10e-9, 250.0),
)


@pytest.mark.parametrize("order", [(0, 1, 2, 3, 4), (4, 3, 2, 1, 0), (2, 4, 1, 0, 3)])
def test_by_kind_then_value_then_rating(tmp_path: Path, order: tuple[int, ...]) -> None:
    workshop = a_workshop(tmp_path)
    sheet = import_sheet(workshop, "a-sheet-key", tidewater_sheet())
    job = open_job(workshop, "a-job-key", OpenCommand(sheet, "Harbour set"))
    with workshop.database.writing() as session:
        for n, which in enumerate(order):
            ref, kind, value, rating = PARTS[which]
            item = {"kind": kind, "value": value, "rating": rating, "safety": ""}
            session.add(
                AnswerRow(
                    job_id=job,
                    seq=n + 1,
                    at=START,
                    step="parts.first",
                    ask=ref,
                    texts={"decision": "order", "items": json.dumps([item])},
                    line="o",
                )
            )
    listed = [(line.kind, line.value, line.rating) for line in shopping_list(workshop)]
    assert listed == [
        ("capacitor", 10e-9, 250.0),
        ("capacitor", 10e-9, 630.0),
        ("capacitor", 100e-9, 630.0),
        ("electrolytic", 22e-6, 450.0),
        ("resistor", 220e3, 0.5),
    ]
    assert shopping_list(workshop)[0].used_for == ("Harbour set: C8",)
    workshop.lines.close()
