"""What was begun is ended as it was begun: the points of a step come from its record."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from builders import tidewater_facts, walked
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import Answer, JobRecord, question_name
from glowdial.core.journey.steps import Step
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.plan.journey import journey
from glowdial.core.stages.bring_up import ramp_schools
from glowdial.core.stages.intermediate import survey

FACTS = tidewater_facts()
Rule = Callable[[pytest.MonkeyPatch], ReceiverFacts]


def untouched(key: str) -> JobRecord:
    """A record in which the step has no entry; what a dial rests on is of no matter here."""
    return JobRecord() if key.startswith("dial") else walked(FACTS, key)


def begun(key: str, entries: int) -> JobRecord:
    """A record with so many entries in the step of a key."""
    record = untouched(key)
    for _ in range(entries):
        record = answered(record, journey(FACTS, record).standing(key))
    return record


def answered(record: JobRecord, step: Step) -> JobRecord:
    """The record with the example of a step's question entered."""
    ask = step.ask
    assert ask is not None
    seq = max((a.seq for a in record.answers), default=0) + 1
    values = dict(read_entry(ask, ask.example, {}).values)
    entry = Answer(seq, step.key, ask.key, values, {}, point=ask.point, programme=step.programme)
    return replace(record, answers=(*record.answers, entry))


def asked_to_the_end(facts: ReceiverFacts, record: JobRecord, key: str) -> list[str]:
    """The questions that the step still asks, answered one after the other."""
    asked = []
    for _ in range(40):
        step = journey(facts, record).standing(key)
        if step.ask is None or step.status.finished:
            return asked
        asked.append(question_name(step.ask.key, step.ask.point))
        record = answered(record, step)
    raise AssertionError(f"{key} did not end: {asked}")


def other_survey(patch: pytest.MonkeyPatch) -> ReceiverFacts:
    patch.setattr(survey, "STEPS_OF_IF", 29.0)
    patch.setattr("glowdial.core.stages.intermediate.steps.SURVEY_POINTS", 2)
    return FACTS


def other_ramp(patch: pytest.MonkeyPatch) -> ReceiverFacts:
    patch.setattr(ramp_schools, "RAMP_FRACTIONS", (0.5, 0.9, 1.0))
    return FACTS


def other_marks(_: pytest.MonkeyPatch) -> ReceiverFacts:
    return replace(FACTS, bands=tuple(fewer_marks(band) for band in FACTS.bands))


def fewer_marks(band: BandFacts) -> BandFacts:
    return replace(band, dial_marks_hz=(band.low_hz, band.high_hz))


STEPS = (
    ("bring-up.ramp", other_ramp, 2),
    ("if.survey", other_survey, 3),
    ("dial.bc", other_marks, 2),
)


@pytest.mark.parametrize(("key", "rule", "entries"), STEPS, ids=[s[0] for s in STEPS])
def test_a_step_that_was_begun_keeps_its_points(
    key: str, rule: Rule, entries: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    record = begun(key, entries)
    rest = asked_to_the_end(FACTS, record, key)
    facts = rule(monkeypatch)
    assert asked_to_the_end(facts, record, key) == rest
    # and one that is begun today has today's points
    assert len(asked_to_the_end(facts, untouched(key), key)) < len(rest) + entries


def test_the_same_points_may_be_read_on_another_line(monkeypatch: pytest.MonkeyPatch) -> None:
    """A point is a value: with other shares of the line no reading changes its place."""
    record = begun("bring-up.ramp", 3)
    before = journey(FACTS, record).step("bring-up.ramp").results
    other_ramp(monkeypatch)
    after = journey(FACTS, record).step("bring-up.ramp").results
    assert [(r.label, r.text, r.judgement) for r in after] == [
        (r.label, r.text, r.judgement) for r in before
    ]


def test_a_sensitivity_stays_where_it_was_begun() -> None:
    key = "proof.found.bc.1"
    record = begun(key, 1)
    moved = tuple(
        replace(p, frequency_hz=p.frequency_hz + 100e3) if p.band == "bc" else p
        for p in FACTS.sensitivity
    )
    elsewhere = replace(FACTS, sensitivity=moved)
    title = journey(FACTS, record).step(key).title
    assert journey(elsewhere, record).step(key).title == title
    assert journey(elsewhere, walked(FACTS, key)).step(key).title != title
