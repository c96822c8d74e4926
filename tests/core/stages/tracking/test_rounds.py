"""The rounds of the oscillator whatever is typed into them: a machine of random hands."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import Answer, Change, Closure, JobRecord, Move
from glowdial.core.journey.steps import Status, Step
from glowdial.core.stages.tracking.round_advice import MOST_VISITS
from glowdial.core.stages.tracking.rounds import round_steps

FACTS = tidewater_facts()
BAND = FACTS.bands[0]
HIGH, LOW, MIDDLE = BAND.high_mark_hz, BAND.low_mark_hz, 1000e3
MARKS = {"high": HIGH, "low": LOW, "middle": MIDDLE}


def begun(high_hz: float, low_hz: float, middle_hz: float | None = None) -> list[Answer]:
    """As found, and to be aligned; the mark between read too, where that is due."""
    answers = [
        an_answer(1, "osc.bc.survey", "high", {"frequency": high_hz}),
        an_answer(2, "osc.bc.survey", "low", {"frequency": low_hz}),
        an_answer(3, "osc.bc.decide", "decision", decision="align"),
    ]
    if middle_hz is not None:
        read = {"frequency": middle_hz}
        answers.append(an_answer(4, "osc.bc.round1.middle", "check", read))
    return answers


def due(record: JobRecord) -> Step | None:
    """The step that wants something: one, or all marks where they stand outside at the last."""
    steps = round_steps(FACTS, record, BAND)
    waiting = [s for s in steps if not s.status.finished]
    outside = [s for s in waiting if s.status is Status.TROUBLE]
    # what stands outside at the last can be read again, or closed by somebody
    assert all(s.closable and s.retake for s in outside)
    assert len(waiting) == len(outside) <= 3 if outside else len(waiting) <= 1
    return waiting[0] if waiting and not outside else None


def left_outside(record: JobRecord) -> set[float]:
    """Marks whose last reading is outside, by the readings alone."""
    last: dict[float, float] = {}
    for answer in record.answers:
        if "frequency" in answer.values:
            name = answer.ask if answer.ask in MARKS else answer.step.rpartition(".")[2]
            last[MARKS[name]] = answer.values["frequency"]
    return {m for m, hz in last.items() if abs(hz - m) > 1.5 * BAND.tolerance_hz(m)}


def mark_of(step: Step) -> float:
    return MARKS[step.key.rpartition(".")[2]]


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.floats(-0.04, 0.04), min_size=14, max_size=14),
    st.lists(st.sampled_from([-1.0, -0.25, 0.0, 0.25, 1.0, 3.0]), min_size=14, max_size=14),
    st.integers(0, 13),
)
def test_any_readings_leave_one_question_and_a_turn_within_the_travel(
    offs: list[float], turned: list[float], housed_at: int
) -> None:
    """Readings that fit no circuit, turns that were not advised, a cabinet in between."""
    answers = begun(HIGH * (1.0 + offs[0]), LOW * (1.0 + offs[1]))
    changes: list[Change] = []
    seen: list[str] = []
    for n, (off, turns) in enumerate(zip(offs[2:], turned[2:], strict=True)):
        if n == housed_at:
            changes.append(Change(10 * n + 9, "cabinet", "in"))
        record = a_record(*answers, changes=tuple(changes))
        keys = [s.key for s in round_steps(FACTS, record, BAND)]
        assert len(set(keys)) == len(keys) <= MOST_VISITS + 1
        # a visit that holds an entry stays where it was
        assert [k for k in keys if k in seen] == seen
        step = due(record)
        if step is None or step.ask is None:
            # nothing is due, and nothing that is outside is quietly done
            shouting = {mark_of(s) for s in round_steps(FACTS, record, BAND) if s.status.shouts}
            assert left_outside(record) <= shouting
            return
        values = {"frequency": mark_of(step) * (1.0 + off)}
        if step.ask.key.startswith("move"):
            values["turns"] = turns
            assert step.ask.recipe is not None and step.ask.recipe.turns is not None
            assert math.isfinite(step.ask.recipe.turns)
            assert abs(step.ask.recipe.turns) <= FACTS.adjuster(step.adjuster or "").travel_turns
        answers.append(an_answer(10 * n + 10, step.key, step.ask.key, values))
        if step.key not in seen:
            seen.append(step.key)


@settings(max_examples=25, deadline=None)
@given(st.floats(-0.6, 0.6), st.floats(-0.5, 0.5))
def test_a_band_that_is_inside_is_not_touched(high: float, low: float) -> None:
    answers = begun(HIGH + high * BAND.tolerance_hz(HIGH), LOW + low * BAND.tolerance_hz(LOW))
    step = due(a_record(*answers))
    assert step is None or (step.ask is not None and not step.ask.key.startswith("move"))


def test_a_turn_of_the_bench_does_not_change_the_step_under_the_hand() -> None:
    answers = begun(HIGH * 1.02, LOW, MIDDLE * 1.006)
    before = due(a_record(*answers))
    assert before is not None and before.ask is not None and before.adjuster is not None
    moves = (Move(5, before.adjuster, 0.25, before.key), Move(6, before.adjuster, 0.25, before.key))
    during = due(a_record(*answers, moves=moves))
    assert during is not None and during.ask is not None
    assert (during.key, during.ask.key, during.title) == (before.key, before.ask.key, before.title)
    # read, they count, and once: by the ledger, not by the typed turn again
    read = {"frequency": HIGH * 1.001, "turns": 0.5}
    after = a_record(*answers, an_answer(7, before.key, before.ask.key, read), moves=moves)
    typed = a_record(*answers, an_answer(7, before.key, before.ask.key, read))
    titles = [[s.title for s in round_steps(FACTS, r, BAND)] for r in (after, typed)]
    assert titles[0] == titles[1]


def test_an_adjuster_that_does_nothing_is_said_with_what_is_missing() -> None:
    answers = begun(HIGH * 1.02, LOW, MIDDLE * 1.006)
    step = due(a_record(*answers))
    assert step is not None and step.ask is not None and step.key.endswith(".high")
    for n, off in enumerate((1.0203, 1.0198)):
        read = {"frequency": HIGH * off, "turns": 0.5}
        answers.append(an_answer(10 + n, step.key, f"move{n + 1}", read))
        now = due(a_record(*answers))
        told = " ".join(now.advice) if now is not None else ""
        # after one futile turn already
        assert "changed nothing" in told or now is None or now.adjuster != BAND.high_adjuster
    stuck = due(a_record(*answers))
    assert stuck is not None and "pF more across it" in " ".join(stuck.advice)
    # by the tank itself: what takes 2 % off the mark at the high end
    lo = BAND.tracked.oscillator
    gang = float(lo.gang_capacity_f(HIGH + BAND.tracked.offset_hz))
    said = float(" ".join(stuck.advice).split("is about ")[1].split(" pF")[0]) * 1e-12
    more = float(lo.resonance_hz(gang)) - float(lo.resonance_hz(gang + said))
    assert more == pytest.approx(0.02 * HIGH, rel=0.2)


def test_an_adjuster_that_does_nothing_is_named_also_where_its_mark_is_not_asked_for() -> None:
    answers = begun(HIGH * 1.02, LOW, MIDDLE * 1.006)
    read = {"frequency": HIGH * 1.0203, "turns": 0.5}
    answers.append(an_answer(10, "osc.bc.round1.high", "move1", read))
    # closed at the end that it should move: the rounds go on, or end, at the others
    closed = (Closure(11, "osc.bc.round1.high", "no screw turns it", "+28 kHz", "the owner"),)
    told = " ".join(
        words
        for step in round_steps(FACTS, a_record(*answers, closures=closed), BAND)
        for words in step.advice
    )
    name = FACTS.adjuster(BAND.high_adjuster).name
    assert f"The last turn of the {name} changed little" in told


def test_a_reading_that_was_typed_anew_tells_nothing_any_more() -> None:
    wrong, right = begun(HIGH * 1.02, LOW), begun(HIGH, LOW)
    again = an_answer(5, "osc.bc.survey", "high", {"frequency": HIGH})
    corrected = round_steps(FACTS, a_record(*wrong, again), BAND)
    assert corrected == round_steps(FACTS, a_record(*right), BAND) == []


def test_enough_tried_is_said_and_not_done() -> None:
    answers = begun(HIGH * 1.03, LOW * 1.03)
    for n in range(80):
        step = due(a_record(*answers))
        if step is None or step.ask is None:
            break
        values = {"frequency": mark_of(step) * (1.03 if n % 2 else 0.97)}
        if step.ask.key.startswith("move"):
            values["turns"] = 0.5
        answers.append(an_answer(10 + n, step.key, step.ask.key, values))
    shouting = [s for s in round_steps(FACTS, a_record(*answers), BAND) if s.status.shouts]
    assert {mark_of(s) for s in shouting} >= {HIGH, LOW} and all(s.closable for s in shouting)


def test_an_end_that_nothing_turns_is_not_passed_over() -> None:
    single = replace(BAND, low_adjuster=None)
    facts = replace(FACTS, bands=(single, *FACTS.bands[1:]))
    answers = begun(HIGH, LOW * 1.03)
    for n in range(12):
        steps = round_steps(facts, a_record(*answers), single)
        step = next((s for s in steps if not s.status.finished), None)
        if step is None or step.ask is None or step.status is Status.TROUBLE:
            break
        # the trimmer moves the high end alone, and is put back
        values = {"frequency": HIGH if mark_of(step) == HIGH else LOW * 1.03}
        if step.ask.key.startswith("move"):
            values["turns"] = 0.0
        answers.append(an_answer(10 + n, step.key, step.ask.key, values))
    shouting = [s for s in round_steps(facts, a_record(*answers), single) if s.status.shouts]
    assert [mark_of(s) for s in shouting] == [LOW] and shouting[0].closable
