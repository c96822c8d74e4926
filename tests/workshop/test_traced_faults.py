"""A fault traced on simulated sets by taking the advice: only parts fail, and boards sit badly."""

from __future__ import annotations

from pathlib import Path

import pytest

from glowdial.core.language.errors import BadInput, Conflict
from glowdial.core.stages.faults.case import HISTORY
from glowdial.core.stages.faults.complaint_steps import COMPLAINT
from glowdial.demo.fill import (
    demo_sheet,
    harbour_condition,
    portable_condition,
)
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import Condition, PartFault, SeatFault
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.store.records import get_bench
from glowdial.workshop.base.jobs import JobPage, OpenCommand, job_page, open_job
from glowdial.workshop.base.sheets import facts_of, import_sheet, read_sheet
from glowdial.workshop.entries import AnswerCommand, record_answer, withdraw
from glowdial.workshop.stages.intake import fill_cells
from workshop.conftest import Bench, over


def a_job(
    file: Path, name: str, condition: Condition, serial: str = "S-1", sheet: int | None = None
) -> Bench:
    workshop = over(file)
    sheet = sheet or import_sheet(workshop, f"sheet-{name}", demo_sheet(name))
    command = OpenCommand(sheet, "Strand receiver", serial, condition)
    return Bench(workshop, open_job(workshop, f"job-{serial}", command))


def work(bench: Bench) -> JobPage:
    """Until fault tracing is through."""
    Volunteer(bench.workshop, bench.job, keeps_parts=True).work(
        lambda s: s.stage not in BEFORE and not s.key.startswith("faults.")
    )
    return job_page(bench.workshop, bench.job)


BEFORE = ("intake", "cold checks", "parts", "bring-up")


def complain(bench: Bench, words: str) -> None:
    Volunteer(bench.workshop, bench.job, keeps_parts=True).work(lambda s: s.key == COMPLAINT)
    answer = AnswerCommand(COMPLAINT, "what", None, (("what", words),))
    record_answer(bench.workshop, bench.job, bench.stamp("complaint"), answer)


def mended(view: JobPage) -> list[str]:
    asks = [a.ask for a in view.record.answers if not a.withdrawn]
    return [a.removeprefix("mended ") for a in asks if a.startswith("mended ")]


def test_two_faults_of_which_one_hides_the_other(tmp_path: Path) -> None:
    bench = a_job(tmp_path / "d.sqlite", "causeway-portable", portable_condition(1))
    cells = {("lw AM", "plays"): "w", ("mw AM", "plays"): "w", ("vhf FM", "plays"): "f"}
    fill_cells(bench.workshop, bench.job, bench.stamp("cells"), cells)
    complain(bench, "dead")
    view = work(bench)
    assert mended(view) == ["socket-fm", "fm-if-2"]
    with bench.workshop.database.reading() as session:
        row = get_bench(session, bench.job)
        assert row is not None and row.condition["faults"] == []
    changed = [c.note for c in view.record.changes if c.note.endswith("mended")]
    assert changed == ["FM IF board's socket mended", "FM IF Q10 mended"]


def test_the_next_set_of_the_model_begins_with_what_the_first_had(tmp_path: Path) -> None:
    file = tmp_path / "d.sqlite"
    first = a_job(file, "causeway-portable", portable_condition(1))
    fill_cells(first.workshop, first.job, first.stamp("c"), {("vhf FM", "plays"): "f"})
    complain(first, "dead")
    work(first)
    sister = a_job(file, "causeway-portable", portable_condition(2), serial="S-2")
    fill_cells(sister.workshop, sister.job, sister.stamp("c"), {("vhf FM", "plays"): "f"})
    complain(sister, "dead")
    lines = job_page(sister.workshop, sister.job).record.register(HISTORY)
    assert {(x.texts["of"], x.texts["block"]) for x in lines} >= {("this model", "socket-fm")}
    # what was taken back was never found
    [repair] = [
        a for a in job_page(first.workshop, first.job).record.answers if a.ask == "mended socket-fm"
    ]
    withdraw(first.workshop, first.job, first.stamp("back"), repair.seq)
    third = a_job(file, "causeway-portable", portable_condition(2), serial="S-3")
    fill_cells(third.workshop, third.job, third.stamp("c"), {("vhf FM", "plays"): "f"})
    complain(third, "dead")
    lines = job_page(third.workshop, third.job).record.register(HISTORY)
    assert "socket-fm" not in {x.texts["block"] for x in lines}


def test_a_tube_set_dead_on_a_band_and_distorted_when_hot(tmp_path: Path) -> None:
    bench = a_job(tmp_path / "d.sqlite", "tidewater-six", harbour_condition(5))
    cells = {("bc AM", "plays"): "p / distorted when hot", ("sw AM", "plays"): "f"}
    fill_cells(bench.workshop, bench.job, bench.stamp("cells"), cells)
    complain(bench, "dies on a band")
    assert mended(work(bench)) == ["aerial-coil-sw"]
    answer = AnswerCommand(COMPLAINT, "what", None, (("what", "distorted when hot"),))
    record_answer(bench.workshop, bench.job, bench.stamp("second"), answer)
    assert mended(work(bench)) == ["aerial-coil-sw", "V4"]


def test_no_block_fails_only_parts_and_boards(tmp_path: Path) -> None:
    facts = facts_of(read_sheet(demo_sheet("causeway-portable")).model_dump(mode="json"))
    condition = portable_condition(3)
    assert all(isinstance(f, PartFault | SeatFault) for f in condition.faults)
    assert Condition.from_document(condition.as_document(), facts) == condition
    for wrong in (SeatFault("RF board"), PartFault("nowhere", *PART)):
        document = {**condition.as_document(), "faults": [vars_of(wrong)]}
        with pytest.raises(BadInput):
            Condition.from_document(document, facts)
    one = SimulatedReceiver(facts, condition)
    assert one.tried("reseat socket-fm").outcome == "bad"
    assert one.tried("reseat rod").outcome == "good"
    assert one.tried("reseat socket-fm") == one.tried("reseat socket-fm")


PART = (  # a contact that is open
    "contact",
    "open",
    40.0,
)


def vars_of(fault: PartFault | SeatFault) -> dict[str, object]:
    names = fault.__dataclass_fields__
    return {n: getattr(fault, n) for n in names}


def test_a_bench_tries_nothing_before_its_cautions(tmp_path: Path) -> None:
    from glowdial.workshop.bench_work import measure

    bench = a_job(tmp_path / "d.sqlite", "causeway-portable", portable_condition(1))
    fill_cells(bench.workshop, bench.job, bench.stamp("c"), {("vhf FM", "plays"): "f"})
    answer = AnswerCommand(COMPLAINT, "what", None, (("what", "dead"),))
    record_answer(bench.workshop, bench.job, bench.stamp("complaint"), answer)
    with pytest.raises(Conflict):
        measure(bench.workshop, bench.job, bench.stamp("m"), "faults.trace.1")
