"""Evidence: what was read, where, with what, by whom, from where, and what was said of it then."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest

from builders import aligned, tidewater_facts
from glowdial.core.journey.entry import LEAVE_IT
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.measurands import check_place, electrode
from glowdial.core.plan.rules_version import RULES_VERSION
from glowdial.core.stages.intermediate.work import DECIDE
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.condition import neglected
from glowdial.sim.state import BenchState
from glowdial.workshop.base.jobs import OpenCommand, job_page, open_job
from glowdial.workshop.base.writing import Stamp
from glowdial.workshop.bench_work import measure
from glowdial.workshop.entries import (
    AnswerCommand,
    close_step,
    make_temporary,
    record_answer,
    remove_temporary,
)
from glowdial.workshop.export import job_document, readings_csv
from glowdial.workshop.instruments import RegisterCommand, register
from glowdial.workshop.stages.stock import StockCommand, put_in_stock
from workshop.conftest import Bench

RAMP = "bring-up.ramp"


def rows(bench: Bench, step: str) -> list[dict[str, str]]:
    table = csv.DictReader(io.StringIO(readings_csv(bench.workshop, bench.job)))
    return [row for row in table if row["step"] == step]


def document(bench: Bench) -> dict[str, Any]:
    return job_document(bench.workshop, bench.job)


def to(bench: Bench, key: str) -> None:
    Volunteer(bench.workshop, bench.job).work(lambda step: step.key.startswith(key))


def typed(bench: Bench, key: str, line: str, who: str = "") -> dict[str, Any]:
    """Somebody types a line into the open question of a step."""
    step = job_page(bench.workshop, bench.job).journey.standing(key)
    assert step.ask is not None
    stamp = bench.stamp("typed")
    command = AnswerCommand(key, step.ask.name, line, ())
    return record_answer(bench.workshop, bench.job, Stamp(stamp.key, stamp.version, who), command)


def test_a_simulated_reading_is_simulated_and_a_typed_one_is_by_hand(begun: Bench) -> None:
    to(begun, RAMP)
    Volunteer(begun.workshop, begun.job).work(
        lambda _: bool(job_page(begun.workshop, begun.job).record.of_step(RAMP))
    )
    taken = measure(begun.workshop, begun.job, begun.stamp("measured"), RAMP)["line"]
    line_v, b_plus = taken.split()
    typed(begun, RAMP, f"{line_v} {float(b_plus) + 1.0:.1f}")
    by_field = {(r["question"], r["field"]): r["source"] for r in rows(begun, RAMP)}
    first, second = list(dict.fromkeys(q for q, _ in by_field))
    assert {s for (q, _), s in by_field.items() if q == first} == {"simulated"}
    # the corrected value is the person's, the other one still the bench's
    assert by_field[second, "b_plus"] == "hand"


def test_conditions_and_instruments_are_kept_as_they_were(begun: Bench) -> None:
    workshop = begun.workshop
    limits = (("input", "1M"),)
    register(workshop, "needle-one", RegisterCommand("needle one", "multimeter", "", 0, "", limits))
    generator = (("known", "counter"), ("error", "0.01"))
    command = RegisterCommand("box", "generator", "", 0, "", generator)
    register(workshop, "generator", command)
    to(begun, DECIDE)
    limits = (("input", "200k"),)
    register(workshop, "needle-two", RegisterCommand("needle two", "multimeter", "", 0, "", limits))
    survey = rows(begun, "if.survey")
    assert {r["meter"] for r in survey} == {"needle one"}
    answers = document(begun)["answers"]
    kept = next(a for a in answers if (a["step"], a["ask"]) == ("if.survey", "point"))
    assert kept["instruments"]["meter_ohm"] == 1e6
    assert kept["instruments"]["frequency_error"] == pytest.approx(1e-4)
    conditions = next(json.loads(r["conditions"]) for r in survey if r["seq"] == str(kept["seq"]))
    assert conditions["injection"] == "mixer grid" and conditions["line_v"] == 230.0
    assert conditions["generator_hz"] == kept["point"]["generator_hz"]
    assert conditions["clipped_on"][0].startswith("clip lead stops the oscillator")
    assert conditions["temperature_c"] == 21.0 and conditions["switched_off"]


def test_what_was_said_is_kept_with_the_version_of_the_rules(begun: Bench) -> None:
    to(begun, RAMP)
    Volunteer(begun.workshop, begun.job).work(
        lambda _: bool(job_page(begun.workshop, begun.job).record.of_step(RAMP))
    )
    answer = typed(begun, RAMP, "92 0.0", who="Ada at the left bench")
    page = job_page(begun.workshop, begun.job)
    entry = page.record.answers[-1]
    assert entry.who == "Ada at the left bench"
    assert entry.told.rules == RULES_VERSION
    said = entry.told.judged
    assert said is not None and (said.verdict, said.words) == (answer["verdict"], answer["words"])
    # the window in whose words it was judged
    assert said.low or said.high
    line = next(m for m in page.log if m.seq == entry.seq)
    assert (line.verdict, line.words) == (said.verdict, said.words)


def test_an_unknown_place_is_an_error_with_its_name() -> None:
    facts = tidewater_facts()
    check_place(facts, "V2 plate")
    with pytest.raises(NotFound, match="V9 plate"):
        check_place(facts, "V9 plate")
    with pytest.raises(NotFound, match="V9 plate"):
        aligned(facts).read(BenchState(), electrode("V9", "plate"))


def test_a_connection_of_another_job_stays_on(begun: Bench) -> None:
    workshop = begun.workshop
    facts = job_page(workshop, begun.job).facts
    command = OpenCommand(1, "Boathouse receiver", condition=neglected(facts, 5))
    other = Bench(workshop, open_job(workshop, "the-other-job", command))
    for bench in (begun, other):
        stamp = bench.stamp("clip")
        make_temporary(workshop, bench.job, stamp, what="clip", place="V2 grid", wanted=False)
    (mine,) = job_page(workshop, begun.job).record.temporaries
    with pytest.raises(NotFound):
        remove_temporary(workshop, other.job, other.stamp("off"), int(mine.key))
    assert all(job_page(workshop, b.job).record.temporaries[0].on for b in (begun, other))
    remove_temporary(workshop, begun.job, begun.stamp("off"), int(mine.key))
    assert not job_page(workshop, begun.job).record.temporaries[0].on
    assert job_page(workshop, other.job).record.temporaries[0].on


def test_leaving_it_outside_needs_a_reason(begun: Bench) -> None:
    to(begun, DECIDE)
    step = job_page(begun.workshop, begun.job).journey.standing(DECIDE)
    assert step.cost and step.ask is not None
    command = AnswerCommand(DECIDE, step.ask.name, None, (("decision", LEAVE_IT),))
    with pytest.raises(BadInput, match="needs a reason"):
        record_answer(begun.workshop, begun.job, begun.stamp("left"), command)
    stamp = begun.stamp("closed")
    close_step(begun.workshop, begun.job, stamp, DECIDE, "the owner hears one station", "bench")
    closed = job_page(begun.workshop, begun.job).journey.step(DECIDE)
    assert closed.status.finished and closed.closed_because


def test_stock_is_the_benchs_and_not_the_jobs(begun: Bench) -> None:
    before = document(begun)
    put_in_stock(begun.workshop, "one-more-part", StockCommand("resistor", "1k", "1", 4, ""))
    assert document(begun) == before
