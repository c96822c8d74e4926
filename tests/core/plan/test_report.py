"""The report: as found and as left, decisions, ledger, and what is not settled."""

from __future__ import annotations

import builders
from builders import a_record, an_answer, held, tidewater_facts
from glowdial.core.journey.record import (
    Change,
    Closure,
    JobRecord,
    Move,
    SwitchedOff,
    TemporaryConnection,
)
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.plan.report import Report

FACTS = tidewater_facts()


def report_of(record: JobRecord) -> Report:
    return builders.report_of(FACTS, record)


def ramp(emission: float) -> list:
    """Answers of a ramp on a set whose rectifier has kept that share of its emission."""
    assert FACTS.supply is not None
    answers = []
    for n, share in enumerate((25, 40, 55, 70, 85, 100)):
        line = 2.3 * share
        warm = steady_state(FACTS.supply, line, emission=emission).node_v[-1]
        volts = 0.0 if share < 50 else 139.0 if share < 70 else warm
        answers.append(
            an_answer(n + 1, "bring-up.ramp", held(share), {"ac": line, "b_plus": volts})
        )
    return answers


def test_an_empty_job_has_a_page_that_says_so() -> None:
    report = report_of(JobRecord())
    assert {r.words for r in report.rows} == {"not read"}
    assert report.ledger == report.decisions == report.changes == report.still_on == ()
    assert report.cautions and report.next_check


def test_a_tired_rectifier_decides_when_to_look_again() -> None:
    assert "half a year" in report_of(a_record(*ramp(0.5))).next_check
    assert "in a year" in report_of(a_record(*ramp(1.0))).next_check


def test_the_ledger_gives_net_turns_and_leaves_out_what_was_never_touched() -> None:
    moves = (
        Move(1, "bc-padder", 0.5, ""),
        Move(2, "bc-padder", -0.125, ""),
        Move(3, "t1-primary", 0.25, ""),
        Move(4, "t1-primary", -0.25, ""),
    )
    ledger = {row.adjuster: row.turns for row in report_of(a_record(moves=moves)).ledger}
    assert ledger == {
        "broadcast padder": "3/8 turn clockwise",
        "T1 primary core": "a hair, less than 1/16 turn",
    }


def test_what_is_still_on_off_changed_or_decided_is_listed() -> None:
    record = a_record(
        an_answer(1, "intake.story", "story", complaint="weak", belief="a tube"),
        temporaries=(TemporaryConnection("1", "jumper", "V2 grid", "", 2),),
        switched_off=(SwitchedOff("1", "volume turned right down", "if.set-up", 3),),
        changes=(Change(4, "supply", "first filter renewed"),),
        closures=(Closure(5, "intake.controls", "no knobs", "", "the owner"),),
    )
    report = report_of(record)
    assert report.still_on == ("jumper, V2 grid", "volume turned right down")
    assert report.changes == ("supply: first filter renewed",)
    assert report.decisions == ("Try every control by hand: no knobs (the owner).",)
    assert report.story[0] == "Complaint, in the owner's words: weak"


def test_dial_rows_set_both_ends_as_found_beside_all_marks_as_left() -> None:
    band = FACTS.band("bc")
    marks = [
        an_answer(10 + n, "dial.bc", f"mark@dial_hz={mark}", {"frequency": mark + 1e3 * n})
        for n, mark in enumerate(band.dial_marks_hz)
    ]
    found = an_answer(5, "osc.bc.survey", "high", {"frequency": 1433e3})
    rows = {r.what: r for r in report_of(a_record(found, *marks)).rows}
    high, low = rows["Broadcast dial at 1400 kHz"], rows["Broadcast dial at 600 kHz"]
    assert (high.found, high.left, high.words) == ("+33.0 kHz", "+4.0 kHz", "inside")
    assert (low.found, low.left, low.specified) == ("", "+0.0 kHz", "within 3 kHz")


def test_sensitivity_is_judged_against_the_sheet_as_left() -> None:
    def rows(phase: str, seq: int, level: float) -> list:
        values = {"level": level, "on": 0.95, "off": 0.3}
        return [an_answer(seq, f"proof.{phase}.bc.1", "level1", values)]

    report = report_of(a_record(*rows("found", 1, 40e-6), *rows("left", 2, 12e-6)))
    row = next(r for r in report.rows if "600 kHz (uV" in r.what)
    assert row.specified == "20.0 uV" and row.verdict == "inside"
    assert float(row.found.split()[0]) > 30 > 15 > float(row.left.split()[0])
