"""The parts as a table, and a row of it typed as one line."""

from __future__ import annotations

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.pictures import ReadingTable, TableCell
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask
from glowdial.core.language.errors import BadInput
from glowdial.core.model.parts import PartUse
from glowdial.core.stages.parts.measured import measured_window
from glowdial.core.stages.parts.state import SAFETY_USES, order_of, part_states, parts_of
from glowdial.core.stages.parts.steps import parts_before_power, parts_under_test

FACTS = tidewater_facts()
SCHOOL = an_answer(1, "parts.school", "school", school="all at once")


def steps_of(record: JobRecord) -> list[Ask]:
    situation = Situation(FACTS, record)
    steps = [*parts_before_power(situation), *parts_under_test(situation)]
    return [a for s in steps for a in ((s.ask,) if s.ask else ()) + s.others]


def table_of(record: JobRecord) -> ReadingTable:
    situation = Situation(FACTS, record)
    tables = [s.table for s in parts_before_power(situation) if s.table]
    return tables[0]


def cell(table: ReadingTable, ref: str, column: str) -> TableCell:
    row = next(r for r in table.rows if r.label == ref)
    return next(c for c in row.cells if c.column == column)


def test_every_part_has_its_row_with_what_is_expected_and_leakage_where_it_can_leak() -> None:
    record = a_record(SCHOOL)
    table = table_of(record)
    assert [r.label for r in table.rows] == [p.ref for p in parts_of(FACTS, record)]
    for part in parts_of(FACTS, record):
        columns = [c.column for r in table.rows if r.label == part.ref for c in r.cells]
        assert ("leakage" in columns) is not part.is_resistor
        assert part.value_text in cell(table, part.ref, "measured").expected


@pytest.mark.parametrize("share", [0.5, 1.0, 3.0])
def test_what_was_measured_stands_in_its_cell_with_the_verdict_of_its_window(share: float) -> None:
    part = FACTS.parts[0]
    window = measured_window(part)
    value = share * part.value
    batch = order_of(FACTS, a_record(SCHOOL))[0].key
    answer = an_answer(2, f"parts.{batch}", part.ref, {"measured": value}, decision="keep")
    read = cell(table_of(a_record(SCHOOL, answer)), part.ref, "measured")
    assert window.low is not None and window.high is not None
    wanted = "low" if value < window.low else "high" if value > window.high else "inside"
    assert read.read and read.verdict == wanted


def test_a_part_that_bridges_the_mains_is_outside_until_it_is_settled() -> None:
    unrated = [s for s in part_states(FACTS, a_record(SCHOOL)) if s.unrated]
    bridging = [p for p in parts_of(FACTS, a_record()) if p.use in SAFETY_USES]
    assert [s.part for s in unrated] == bridging


def line_for(use_safety: bool) -> Ask:
    asks = steps_of(a_record(SCHOOL))
    return next(a for a in asks if any(f.name == "reason" for f in a.fields) is use_safety)


def test_a_row_is_typed_as_one_line_with_dashes_for_what_was_not_read() -> None:
    ask = next(a for a in steps_of(a_record(SCHOOL)) if any(f.name == "leakage" for f in a.fields))
    entry = read_entry(ask, "keep - 2uA", {})
    assert entry.texts["decision"] == "keep"
    assert entry.values == {"leakage": pytest.approx(2e-6)}
    second = read_entry(ask, "f - - 2", {})
    assert second.texts["proposal"] == "2" and second.values == {}
    with pytest.raises(BadInput):
        read_entry(ask, "perhaps 12n", {})


def test_of_what_bridges_the_mains_the_reason_is_the_rest_of_the_line() -> None:
    part = next((p for p in FACTS.parts if p.use is PartUse.MAINS), None)
    assert part is not None
    ask = next(a for a in steps_of(a_record(SCHOOL)) if a.key == part.ref)
    entry = read_entry(ask, "k 47n - - X2 fitted in 1990 by the owner, keep it", {})
    assert entry.values == {"measured": pytest.approx(47e-9)}
    assert entry.texts["class"] == "X2"
    assert entry.texts["reason"] == "fitted in 1990 by the owner, keep it"
    with pytest.raises(BadInput):
        read_entry(ask, "k 47n - - X3 made so", {})
