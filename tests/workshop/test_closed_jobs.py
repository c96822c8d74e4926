"""What an owner was told stays as it was told, whatever the bench and the rules become."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable

import pytest

from glowdial.core.journey.steps import looked_at
from glowdial.core.language.errors import Conflict
from glowdial.core.physics import level_search, noise_ratio
from glowdial.core.physics.supply import rampup
from glowdial.core.stages.bring_up import ramp_schools, voltage_chart
from glowdial.core.stages.intermediate import survey
from glowdial.demo.fill import tidewater_sheet
from glowdial.workshop.base.jobs import OpenCommand, job_page, job_report, open_job, shelf
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.entries import (
    acknowledge,
    book_move,
    close_step,
    make_temporary,
    note_change,
    reopen,
    withdraw,
    write_note,
)
from glowdial.workshop.export import correction_card_csv, job_document, readings_csv
from glowdial.workshop.instruments import RegisterCommand, register
from glowdial.workshop.registers import enter_line
from workshop.conftest import Bench, over

Changed = Callable[[Workshop, pytest.MonkeyPatch], None]


def told(bench: Bench) -> dict[str, str]:
    """Everything that leaves the job, as bytes would."""
    workshop, job = bench.workshop, bench.job
    page = job_page(workshop, job)
    return {
        "report": json.dumps(job_report(workshop, job)),
        "document": json.dumps(job_document(workshop, job)),
        "csv": readings_csv(workshop, job),
        "card": correction_card_csv(workshop, job),
        "steps": repr([looked_at(s) for s in page.journey.steps]),
        "log": repr(page.log),
        "shelf": repr([(m.standing, m.closed) for m in shelf(workshop)[0]]),
    }


def a_meter(workshop: Workshop, _: pytest.MonkeyPatch) -> None:
    limits = (("input", "200k"), ("ranges", "R x 1: 1.5 V 150 mA"))
    register(
        workshop, "a-new-meter", RegisterCommand("old needle", "multimeter", "", 0, "", limits)
    )


def a_generator(workshop: Workshop, _: pytest.MonkeyPatch) -> None:
    limits = (("known", "display"), ("error", "5"), ("step", "10"))
    command = RegisterCommand("old generator", "generator", "", 0, "", limits)
    register(workshop, "a-new-generator", command)


def a_new_sheet(workshop: Workshop, _: pytest.MonkeyPatch) -> None:
    sheet = json.loads(tidewater_sheet())
    sheet["intermediate_frequency_hz"] = 470_000.0
    import_sheet(workshop, "a-new-version", json.dumps(sheet))


def another_survey(_: Workshop, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(survey, "STEPS_OF_IF", 29.0)


def another_ramp(_: Workshop, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(rampup, "RAMP_FRACTIONS", (0.5, 1.0))
    patch.setattr(ramp_schools, "RAMP_FRACTIONS", (0.5, 1.0))


def another_chart_rule(_: Workshop, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(voltage_chart, "OVER_DISSIPATED", 0.1)


def another_noise_rule(_: Workshop, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(noise_ratio, "CLOSE_ENOUGH_DB", -1.0)


def another_search(_: Workshop, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(level_search, "LEAST_DOUBT_DB", 3.0)
    patch.setattr(level_search, "SLOPES", ((0.5, 1.0),))


CHANGES = (
    a_meter,
    a_generator,
    a_new_sheet,
    another_survey,
    another_ramp,
    another_chart_rule,
    another_noise_rule,
    another_search,
)


@pytest.mark.parametrize("change", CHANGES, ids=lambda c: c.__name__)
def test_a_closed_job_is_the_same_bytes_whatever_changes(
    handed_over: Bench, change: Changed, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = told(handed_over)
    change(handed_over.workshop, monkeypatch)
    # kept derivations would hide a job that is judged anew: start again over the same data
    file = handed_over.workshop.database.engine.url.database
    again = Bench(over(file), handed_over.job)
    after = told(again)
    assert {name for name in before if before[name] != after[name]} == set()
    assert told(handed_over) == before
    again.workshop.lines.close()


def test_the_next_visit_is_shown_what_the_set_was_proved_to_do(handed_over: Bench) -> None:
    workshop, job = handed_over.workshop, handed_over.job
    page = job_page(workshop, job)
    told_then = [r for r in job_report(workshop, job)["rows"] if r["what"].startswith("Sens")]
    again = open_job(workshop, "next-year", OpenCommand(1, "", set_id=page.set_id))
    (visit,) = job_page(workshop, again).visits
    assert visit.proved == tuple(f"{r['what']}: {r['left']}" for r in told_then)
    assert len(visit.proved) == len(told_then) > 0 and "±" in visit.proved[0]


def test_nothing_is_written_into_a_closed_job(handed_over: Bench) -> None:
    workshop, job = handed_over.workshop, handed_over.job
    read = next(m for m in job_page(workshop, job).log if m.kind == "read")
    before = told(handed_over)
    for n, refused in enumerate(
        (
            lambda s: write_note(workshop, job, s, "", "hums"),
            lambda s: withdraw(workshop, job, s, read.seq),
            lambda s: note_change(workshop, job, s, "supply", "capacitor"),
            lambda s: make_temporary(workshop, job, s, what="clip", place="grid", wanted=False),
            lambda s: close_step(workshop, job, s, "bring-up.ramp", "enough", "bench"),
            lambda s: acknowledge(workshop, job, s, "bring-up.ramp", "mains"),
            lambda s: book_move(workshop, job, s, "if1-top", 0.25, ""),
            lambda s: enter_line(workshop, job, s, "parked", fields={"what": "R1", "where": "V1"}),
        )
    ):
        with pytest.raises(Conflict, match="open the job again"):
            refused(handed_over.stamp(f"refused-{n}"))
    assert told(handed_over) == before


def test_opening_again_is_an_entry_and_the_handover_is_asked_again(handed_over: Bench) -> None:
    workshop, job = handed_over.workshop, handed_over.job
    report = job_report(workshop, job)
    reopen(workshop, job, handed_over.stamp("reopen"), "came back: hum after an hour")
    page = job_page(workshop, job)
    assert (page.log[0].kind, page.log[0].text) == ("opened again", "came back: hum after an hour")
    assert page.closed_at is None
    following = page.journey.standing(page.journey.next_key)
    assert following.stage == "handover" and following.ask is not None
    line = shelf(workshop)[0][0]
    assert not line.closed and line.standing["next_title"] == following.title
    assert job_report(workshop, job)["closed_at"] is None and report["closed_at"] is not None
    # what the owner holds is still there, word for word
    document = job_document(workshop, job)
    (again,) = document["reopenings"]
    (kept,) = [b for b in document["blobs"] if b["sha256"] == again["told"]]
    assert json.loads(base64.b64decode(kept["base64"]))["report"] == report
    with pytest.raises(Conflict, match="is open"):
        reopen(workshop, job, handed_over.stamp("twice"), "again")


def test_a_job_opened_again_is_judged_by_todays_rules(
    handed_over: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was read keeps the meter and the points of its day; a limit is today's."""
    workshop, job = handed_over.workshop, handed_over.job
    survey_then = [r.label for r in job_page(workshop, job).journey.step("if.survey").results]
    another_survey(workshop, monkeypatch)
    another_ramp(workshop, monkeypatch)
    a_meter(workshop, monkeypatch)
    ramp_then = job_page(workshop, job).journey.step("bring-up.ramp").results
    chart_then = job_page(workshop, job).journey.step("bring-up.chart").results
    reopen(workshop, job, handed_over.stamp("reopen"), "for another look")
    now = job_page(workshop, job).journey
    assert [r.label for r in now.step("if.survey").results] == survey_then
    assert [r.text for r in now.step("bring-up.ramp").results] == [r.text for r in ramp_then]
    assert [(r.text, r.judgement) for r in now.step("bring-up.chart").results] == [
        (r.text, r.judgement) for r in chart_then
    ]
    assert now.next_key.startswith("handover")
