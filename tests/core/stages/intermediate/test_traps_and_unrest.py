"""Wave traps, stages that squeal, and compression trimmers that are looked at again."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import JobRecord, Move
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ReceiverFacts, WaveTrap
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.stages.intermediate.report import if_report
from glowdial.core.stages.intermediate.steps import if_steps
from glowdial.demo.fill import tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet

FACTS = tidewater_facts()
CORE = "t1-primary"
TRAPPED = replace(FACTS, wave_traps=(WaveTrap(CORE),))
LOST = "if.trap." + CORE


def step_of(record: JobRecord, key: str, facts: ReceiverFacts = FACTS) -> Step:
    return next(s for s in if_steps(Situation(facts, record)) if s.key == key)


def test_a_trap_comes_last_and_is_tuned_for_the_least_at_the_if() -> None:
    keys = [s.key for s in if_steps(Situation(TRAPPED, a_record()))]
    assert keys[-1] == LOST and keys.index("if.restore") < keys.index(LOST)
    step = step_of(a_record(), LOST, TRAPPED)
    assert step.ask is not None and "465 kHz" in step.ask.prompt and "least" in step.ask.prompt
    assert all(s.key != LOST for s in if_steps(Situation(FACTS, a_record())))
    own = replace(FACTS, wave_traps=(WaveTrap(CORE, 1.2e6),))
    ask = step_of(a_record(), LOST, own).ask
    assert ask is not None and "1200 kHz" in ask.prompt


@pytest.mark.parametrize(("after", "right"), [(0.1, True), (0.9, False)])
def test_a_trap_that_lets_more_through_than_before_is_not_right(after: float, right: bool) -> None:
    values = {"before": -0.5, "after": -after, "turns": 0.25}
    step = step_of(a_record(an_answer(5, LOST, "least", values)), LOST, TRAPPED)
    assert (step.status is Status.DONE) is right


def test_a_trap_is_tuned_again_when_the_if_moved() -> None:
    values = {"before": -0.5, "after": -0.1, "turns": 0.25}
    record = a_record(an_answer(5, LOST, "least", values))
    moved = replace(record, moves=(Move(9, "t2-primary", 0.5, "if.pass1.t2-primary"),))
    assert step_of(moved, LOST, TRAPPED).status is Status.RECHECK


def test_a_sheet_s_trap_names_an_adjuster_that_there_is() -> None:
    document = json.loads(tidewater_sheet())
    trap = {"source": "service manual", "adjuster": CORE}
    facts = receiver_facts(read_sheet(json.dumps({**document, "wave_traps": [trap]})))
    assert facts.wave_traps == (WaveTrap(CORE),)
    with pytest.raises(BadInput):
        read_sheet(json.dumps({**document, "wave_traps": [{**trap, "adjuster": "none"}]}))


def aligning(*more: object) -> JobRecord:
    return a_record(
        an_answer(1, "if.set-up", "ready"),
        an_answer(2, "if.baseline", "avc", {"avc": -0.05}),
        an_answer(3, "if.survey", "reference@reading=0.45", {"level": 90e-6}),
        *(
            an_answer(4 + n, "if.survey", f"point@generator_hz={449e3 + 4e3 * n}", {"avc": -v})
            for n, v in enumerate((0.1, 0.2, 0.4, 0.45, 0.42, 0.3, 0.2, 0.1, 0.05))
        ),
        an_answer(20, "if.decide", "decision", decision="align"),
        *more,  # type: ignore[arg-type]
    )


@pytest.mark.parametrize(
    ("said", "told"),
    [
        ("squeals or jumps near the peak", "regenerates"),
        ("its peak moves with the level", "input capacity follows"),
    ],
)
def test_a_stage_that_does_not_stay_calm_is_aligned_low(said: str, told: str) -> None:
    answer = an_answer(30, "if.pass1.t2-secondary", "unrest", unrest=said)
    for core in ("t2-secondary", CORE):
        notes = step_of(aligning(answer), f"if.pass1.{core}").notes
        assert any(told in n for n in notes)
    calm = an_answer(31, "if.pass1.t2-secondary", "unrest", unrest="calm")
    notes = step_of(aligning(answer, calm), f"if.pass1.{CORE}").notes
    assert not any(told in n for n in notes)


def test_compression_trimmers_are_looked_at_again() -> None:
    screws = set(FACTS.if_adjusters())
    pressed = replace(
        FACTS,
        adjusters=tuple(
            replace(a, kind=AdjusterKind.TRIMMER) if a.key in screws else a for a in FACTS.adjusters
        ),
    )
    again = if_report(Situation(pressed, aligning()), ()).next_check
    assert "4 compression trimmers" in again and "3 months" in again
    late = replace(an_answer(31, "if.pass1.t2-secondary", "peak"), at="2031-11-27T10:00:00")
    again = if_report(Situation(pressed, aligning(late)), ()).next_check
    assert "in February 2032:" in again
    assert if_report(Situation(FACTS, aligning()), ()).next_check == ""
