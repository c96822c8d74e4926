"""Bringing a set up by each school: what is asked, predicted, refused, and shouted."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_supply, aligned, an_answer, held, tidewater_facts, walked
from glowdial.core.journey.consequences import RaiseAlarm
from glowdial.core.journey.record import Change, JobRecord
from glowdial.core.journey.room import Entering
from glowdial.core.journey.steps import Ask, Status
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import Waveform, silicon_rectifier
from glowdial.core.physics.supply.limiter import Lamp
from glowdial.core.physics.supply.line_current import behind_lamp_v, expected_line_a
from glowdial.core.physics.supply.rampup import expectation
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.plan.journey import Journey, journey, journey_of, situation_of
from glowdial.core.plan.order import room_of
from glowdial.core.stages.bring_up.ramp_schools import PROTECTS, RampSchool
from glowdial.core.stages.bring_up.ramp_step import check_ramp_entry, moving_words
from glowdial.core.stages.bring_up.stop_rules import (
    RampReading,
    check_order,
    check_possible,
    stop_reasons,
)
from glowdial.demo.fill import demo_sheet
from glowdial.sim.state import BenchState
from glowdial.workshop.base.sheets import facts_of, read_sheet

FACTS = tidewater_facts()
KITCHEN = facts_of(read_sheet(demo_sheet("pantry-five")).model_dump(mode="json"))


def at_ramp(school: RampSchool, facts: ReceiverFacts = FACTS, **values: float) -> JobRecord:
    start = walked(facts, "bring-up.school")
    seq = max(a.seq for a in start.answers) + 1
    chosen = an_answer(seq, "bring-up.school", "school", values, school=school.value)
    return walked(facts, "bring-up.ramp", replace(start, answers=(*start.answers, chosen)))


def read(record: JobRecord, ask: str, **values: float) -> JobRecord:
    seq = max([a.seq for a in record.answers] + [c.seq for c in record.changes]) + 1
    texts = {"seen": "nothing"}
    answer = an_answer(seq, "bring-up.ramp", ask, values, **texts)
    return replace(record, answers=(*record.answers, answer))


def ramp_ask(state: Journey) -> Ask:
    ask = state.step("bring-up.ramp").ask
    assert ask is not None
    return ask


def test_every_school_says_what_it_protects_against() -> None:
    step = journey(FACTS, walked(FACTS, "bring-up.school")).step("bring-up.school")
    assert len(step.advice) == len(RampSchool) == len(PROTECTS)
    assert len(set(PROTECTS.values())) == len(RampSchool)


def test_a_gliding_ramp_takes_any_volts_and_ends_at_full_line() -> None:
    assert FACTS.supply is not None
    record = at_ramp(RampSchool.CONTINUOUS)
    for n, ac in enumerate((63.0, 101.0, 148.0, 190.0, 226.0), start=1):
        ask = ramp_ask(journey(FACTS, record))
        assert ask.key == f"c{n}"
        nominal = expectation(FACTS.supply, ac).window.nominal or 0.0
        record = read(record, ask.key, ac=ac, b_plus=nominal)
    step = journey(FACTS, record).step("bring-up.ramp")
    assert step.status is Status.DONE and len(step.results) == 5
    assert step.plot is not None and step.plot.lines[-1].x == (63.0, 101.0, 148.0, 190.0, 226.0)
    # the expectation of each reading is that of its own volts
    windows = [r.window for r in step.results]
    assert [w.nominal for w in windows if w] == [
        expectation(FACTS.supply, ac).window.nominal for ac in (63.0, 101.0, 148.0, 190.0, 226.0)
    ]


def test_the_expectation_moves_along_with_the_volts_typed() -> None:
    ask = ramp_ask(journey(FACTS, at_ramp(RampSchool.CONTINUOUS)))
    low, high = (moving_words(FACTS, ask, text) for text in ("150", "200 170"))
    assert low.startswith("at 150 V:") and high.startswith("at 200 V:") and low != high
    for text in ("", "x", "900"):
        assert moving_words(FACTS, ask, text) == ""


def test_the_lamps_share_is_predicted_as_the_richer_simulation_finds_it() -> None:
    assert KITCHEN.supply is not None
    # a lamp that leaves the heaters half warm is known less well
    for watts, within in ((40.0, 0.08), (60.0, 0.04), (100.0, 0.04)):
        left = behind_lamp_v(KITCHEN.supply, KITCHEN.circuit.heaters, 230.0, Lamp(watts, 230.0))
        simulated = aligned(KITCHEN).power.at(BenchState(line_v=230.0, lamp_w=watts)).set_v
        assert left == pytest.approx(simulated, rel=within)
    record = at_ramp(RampSchool.LAMP, KITCHEN, lamp=60.0)
    ask = ramp_ask(journey(KITCHEN, record))
    assert ask.key == "lamp" and "left for the set" in ask.expected_text
    assert ask.recipe is not None and ask.recipe.change.get("lamp_w") == 60.0
    after = ramp_ask(journey(KITCHEN, read(record, "lamp", ac=162.0, b_plus=120.0)))
    assert after.name == "held@line_v=230" and after.recipe is not None
    assert after.recipe.change.get("lamp_w") == 0.0


def test_capacitors_first_says_when_they_are_not_yet_new() -> None:
    record = at_ramp(RampSchool.CAPACITORS)
    assert ramp_ask(journey(FACTS, record)).name == "held@line_v=115"
    told = journey(FACTS, record).step("bring-up.school")
    assert any("do that first" in line for line in told.advice) is False  # all were fitted
    kept = tuple(
        replace(a, texts={**a.texts, "decision": "keep"}) if a.ask == "C20a" else a
        for a in record.answers
    )
    told = journey(FACTS, replace(record, answers=kept)).step("bring-up.school")
    assert any("do that first" in line for line in told.advice)


def test_line_current_is_predicted_for_this_set() -> None:
    assert KITCHEN.supply is not None
    for line_v in (160.0, 200.0, 230.0):
        simulated = aligned(KITCHEN).power.at(BenchState(line_v=line_v)).line_a
        predicted = expected_line_a(KITCHEN.supply, KITCHEN.circuit.heaters, line_v)
        assert predicted == pytest.approx(simulated, rel=0.05)
    step = journey(KITCHEN, at_ramp(RampSchool.CAPACITORS, KITCHEN)).step("bring-up.ramp")
    assert step.ask is not None and "mA from the line" in step.ask.expected_text


@pytest.mark.parametrize(
    ("reading", "before", "words"),
    [
        (RampReading(230, 165, 0.40), None, "2.0 times the current"),
        (RampReading(230, 140), RampReading(230, 150), "falls at steady AC"),
    ],
)
def test_reasons_to_stop(reading: RampReading, before: RampReading | None, words: str) -> None:
    found = stop_reasons(reading, lowest_v=150.0, most_a=0.3, before=before)
    assert len(found) == 1 and words in found[0]


@pytest.mark.parametrize(
    ("reading", "before"),
    [
        (RampReading(230, 165, 0.22), RampReading(200, 150)),
        (RampReading(230, 149), RampReading(230, 150)),  # low, but it stands
        (RampReading(230, 160), RampReading(230, 170)),  # falls, but inside
        (RampReading(200, 120), RampReading(230, 150)),  # the line went down
    ],
)
def test_no_reason_to_stop(reading: RampReading, before: RampReading) -> None:
    assert stop_reasons(reading, lowest_v=150.0, most_a=0.3, before=before) == ()


@pytest.mark.parametrize(("current", "alarms"), [(0.9, True), (0.05, False)])
def test_a_reading_past_a_stop_rule_raises_the_alarm(current: float, alarms: bool) -> None:
    situation = situation_of(KITCHEN, at_ramp(RampSchool.STEPS, KITCHEN))
    step = journey_of(situation).step("bring-up.ramp")
    assert step.ask is not None
    kept = Entering({"ac": 57.5, "b_plus": 0.0, "current": current}, {})
    follows = room_of(step.stage).follows(situation, step, step.ask, kept)
    assert [type(f) for f in follows] == ([RaiseAlarm] if alarms else [])
    if alarms:
        assert "times the current" in follows[0].words  # type: ignore[union-attr]


def test_another_filter_begins_a_new_ramp() -> None:
    record = read(at_ramp(RampSchool.STEPS, KITCHEN), held(25), ac=57.5, b_plus=0.0, current=0.9)
    seq = max(a.seq for a in record.answers)
    changed = replace(record, changes=(Change(seq + 1, "supply", "C21a renewed"),))
    step = journey(KITCHEN, changed).step("bring-up.ramp")
    assert step.results[0].stale


@pytest.mark.parametrize(
    ("ac", "b_plus", "field"),
    [
        (230.0, 520.0, "B+"),
        (57.5, 200.0, "B+"),
        (230.0, -20.0, "B+"),
    ],
)
def test_b_plus_that_no_winding_gives_is_refused(ac: float, b_plus: float, field: str) -> None:
    with pytest.raises(BadInput) as refused:
        check_possible(a_supply(), RampReading(ac, b_plus))
    assert refused.value.field == field


def test_readings_come_in_the_order_of_the_ramp() -> None:
    check_order(120.0, 118.0, 230.0)
    check_order(115.0, 118.0, 230.0)  # a needle's width is no way back
    with pytest.raises(BadInput, match="below the 118 V"):
        check_order(90.0, 118.0, 230.0)
    with pytest.raises(BadInput, match="over 125 %"):
        check_order(300.0, None, 230.0)
    record = read(at_ramp(RampSchool.CONTINUOUS), "c1", ac=120.0, b_plus=60.0)
    ask = ramp_ask(journey(FACTS, record))
    with pytest.raises(BadInput, match="order of the ramp"):
        check_ramp_entry(FACTS, record, ask, {"ac": 60.0, "b_plus": 30.0})
    step = ramp_ask(journey(FACTS, at_ramp(RampSchool.STEPS)))
    with pytest.raises(BadInput, match="not the step that is asked for"):
        check_ramp_entry(FACTS, record, step, {"ac": 160.0, "b_plus": 160.0})


def test_solid_state_gives_volts_from_the_first_and_no_warm_up_is_waited_for() -> None:
    supply = a_supply(rectifier=silicon_rectifier(), exponent=1.4)
    tubes = expectation(supply, 58.0)
    assert (tubes.window.nominal or 0.0) > 60.0  # the load is cold: near the unloaded peak
    cold = replace(supply, load=replace(supply.load, heated=False))
    transistors = expectation(cold, 58.0)
    assert (transistors.window.nominal or 0.0) < (tubes.window.nominal or 0.0)
    assert transistors.phase.value == "warm"


def test_a_load_that_cannot_be_fed_is_refused_in_words() -> None:
    greedy = a_supply(rectifier=silicon_rectifier())
    with pytest.raises(BadInput, match="no periodic state"):
        steady_state(greedy, 58.0)


def test_a_car_sets_six_volts_are_set_in_tenths() -> None:
    supply = replace(
        a_supply(exponent=1.4),
        line_v=6.0,
        line_hz=100.0,
        waveform=Waveform.SQUARE,
        secondary_v=230.0,
    )
    car = replace(FACTS, supply=supply, line_v=6.0, chassis="battery")
    record = at_ramp(RampSchool.STEPS, car)
    for key in ("25", "40", "55", "70", "85", "100"):
        ask = ramp_ask(journey(car, record))
        assert ask.key == "held" and f"({key} %)" in ask.prompt
        ac, b_plus = (float(v) for v in ask.example.split())
        # its own example is a right entry
        check_ramp_entry(car, record, ask, {"ac": ac, "b_plus": b_plus})
        record = read(record, ask.name, ac=ac, b_plus=b_plus)
    assert "1.50 V (25 %)" in ramp_ask(journey(car, at_ramp(RampSchool.STEPS, car))).prompt
    assert journey(car, record).step("bring-up.ramp").status is Status.DONE
