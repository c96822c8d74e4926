"""The rules of the journey: gates, stale readings, decisions, registers, windows."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, held, report_of, slipway_facts, tidewater_facts, walked
from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import (
    Acknowledgement,
    Answer,
    Change,
    Closure,
    JobRecord,
    Move,
    SwitchedOff,
    TemporaryConnection,
)
from glowdial.core.journey.steps import Ask, Status
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.plan.gates import missing_cautions
from glowdial.core.plan.journey import Journey, journey
from glowdial.core.plan.scale import SCALE
from glowdial.core.safety.cautions import Activity, Danger, caution, dangers_for

FACTS = tidewater_facts()
RAMP = {"25": 0.0, "40": 0.0, "55": 139.0, "70": 157.0, "85": 187.0, "100": 218.0}


def through_ramp(**changed: float) -> list[Answer]:
    """Answers of a job that has come up to full line."""
    answers = [
        an_answer(1, "intake.story", "story", complaint="weak"),
        an_answer(2, "intake.controls", "controls", control0="works"),
        an_answer(3, "cold.b-plus", "resistance", {"resistance": 148e3}),
        an_answer(4, "bring-up.gate", "ready"),
        an_answer(5, "bring-up.set-up", "ready"),
    ]
    for n, (share, volts) in enumerate((RAMP | changed).items()):
        line = 230.0 * float(share) / 100.0
        answers.append(
            an_answer(6 + n, "bring-up.ramp", held(share), {"ac": line, "b_plus": volts})
        )
    return answers


OWN_STEPS = ("intake.story", "intake.controls", "cold.b-plus", "bring-up.gate", "bring-up.set-up")
# everything else on the way to the first volts, answered plainly and first
ON_THE_WAY = tuple(
    replace(a, seq=1) for a in walked(FACTS, "bring-up.ramp").answers if a.step not in OWN_STEPS
)


def at(record: JobRecord) -> Journey:
    return journey(FACTS, replace(record, answers=(*ON_THE_WAY, *record.answers)))


def ask_of(state: Journey, key: str) -> Ask:
    ask = state.step(key).ask
    assert ask is not None
    return ask


def test_the_first_step_is_the_complaint_and_everything_powered_waits_for_the_gate() -> None:
    state = at(JobRecord())
    assert state.next_key == "intake.story"
    powered = [s for s in state.steps if s.powered]
    assert powered and all(s.status is Status.BLOCKED for s in powered)
    assert "Pass the safety gate first." in powered[0].blocked_by
    assert [s.stage for s in state.stages()] == list(SCALE)


def test_cautions_wait_in_the_step_where_the_danger_is() -> None:
    state = at(JobRecord())
    gate = state.step("bring-up.gate")
    assert missing_cautions(gate, JobRecord()) == dangers_for(FACTS, Activity.POWER)
    seen = a_record(acknowledgements=(Acknowledgement(1, gate.key, "mains"),))
    assert "mains" not in missing_cautions(gate, seen)
    assert "Follow your local electrical codes" in caution(Danger.MAINS).sentences[-1]


def test_low_resistance_keeps_the_power_off_until_it_is_explained() -> None:
    answers = through_ramp()[:5]
    answers[2] = an_answer(3, "cold.b-plus", "resistance", {"resistance": 800.0})
    state = at(a_record(*answers))
    cold = state.step("cold.b-plus")
    assert cold.status is Status.TROUBLE and cold.retake and "before power" in cold.advice[0]
    assert (
        "Measure B+ to chassis, set switched off: first."
        in state.step("bring-up.ramp").blocked_by[0]
    )
    closed = Closure(6, "cold.b-plus", "bleeder renewed to 1 k by the maker", "", "bench")
    opened = at(a_record(*answers, closures=(closed,)))
    assert opened.step("cold.b-plus").status is Status.CLOSED
    assert opened.step("bring-up.ramp").status is Status.OPEN


def test_a_good_ramp_is_understood_cold_rectifier_and_all() -> None:
    step = at(a_record(*through_ramp())).step("bring-up.ramp")
    assert step.status is Status.DONE
    assert [r.judgement.verdict.outside for r in step.results] == [False] * 6
    assert "still cold" in ask_of(at(a_record(*through_ramp()[:5])), step.key).expected_text
    assert any("of its data-sheet emission" in line for line in step.advice)


@pytest.mark.parametrize(
    ("changed", "word"),
    [({"100": 150.0}, "too low"), ({"100": 330.0}, "higher than it can be")],
)
def test_b_plus_outside_is_trouble_with_a_cause_and_a_cost(
    changed: dict[str, float], word: str
) -> None:
    step = at(a_record(*through_ramp(**changed))).step("bring-up.ramp")
    assert step.status is Status.TROUBLE
    assert any(word in line for line in step.advice)
    assert "beyond the window at 230 V line" in step.cost


def test_a_changed_filter_makes_supply_readings_stale_and_queues_them_again() -> None:
    record = a_record(*through_ramp(), changes=(Change(20, "supply", "filter renewed"),))
    state = at(record)
    assert state.next_key == "cold.b-plus"
    assert state.step("cold.b-plus").status is Status.RECHECK
    assert state.step("cold.b-plus").results[0].stale
    # what is new may be short: no power before it was measured again
    assert state.step("bring-up.ramp").status is Status.BLOCKED
    again = an_answer(21, "cold.b-plus", "resistance", {"resistance": 150e3})
    measured = at(replace(record, answers=(*record.answers, again)))
    assert measured.next_key == "bring-up.ramp"
    assert measured.step("bring-up.ramp").status is Status.RECHECK
    assert all(r.stale for r in measured.step("bring-up.ramp").results)


def test_a_jumper_blocks_power_unless_it_is_wanted_there() -> None:
    jumper = TemporaryConnection("1", "jumper", "V2 grid", "", 20)
    answers = through_ramp()[:5]
    blocked = at(a_record(*answers, temporaries=(jumper,))).step("bring-up.ramp")
    assert "jumper (V2 grid) is still on" in blocked.blocked_by[0]
    wanted = replace(jumper, wanted_under_power=True)
    assert at(a_record(*answers, temporaries=(wanted,))).step("bring-up.ramp").ask is not None
    off = replace(jumper, removed_seq=21)
    assert at(a_record(*answers, temporaries=(off,))).step("bring-up.ramp").ask is not None


def test_handover_lists_everything_that_stands_in_its_way() -> None:
    record = a_record(
        *through_ramp(**{"100": 150.0}),
        temporaries=(TemporaryConnection("1", "jumper", "V2 grid", "", 20, None, True),),
        switched_off=(SwitchedOff("1", "volume turned right down", "if.set-up", 21),),
        changes=(Change(2, "supply", "early"),),
    )
    last = at(record).step("handover.report")
    text = " ".join(last.blocked_by)
    assert last.status is Status.BLOCKED
    for words in ("Still on: jumper", "Still switched off: volume", "neither mended", "Not done"):
        assert words in text


def survey(peak_hz: float, seq: int = 30) -> list[Answer]:
    """A survey of the IF as found that peaks where asked."""
    answers = [an_answer(seq, "if.survey", "reference", {"level": 400e-6})]
    for n in range(-4, 5):
        f = 465e3 + n * 4e3
        volts = 2.0 / (1.0 + ((f - peak_hz) / 12e3) ** 2)
        answers.append(
            an_answer(seq + 5 + n, "if.survey", f"point@generator_hz={f}", {"avc": -volts})
        )
    return answers


@pytest.mark.parametrize(("peak_hz", "align"), [(461e3, True), (465.6e3, False)])
def test_the_if_is_aligned_only_when_it_is_off(peak_hz: float, align: bool) -> None:
    state = at(a_record(*through_ramp(), *survey(peak_hz)))
    step = state.step("if.decide")
    assert bool(step.cost) == align
    assert ("align it" in step.advice[0]) == align
    assert step.leave


def in_first_pass(*more: Answer, gains: dict[int, float] | None = None) -> list[Answer]:
    """An aligned IF: every core peaked once a pass, and the passes' levels as given."""
    answers = [
        *through_ramp(),
        *survey(461e3),
        an_answer(45, "if.decide", "decision", decision="align"),
    ]
    seq = 50
    for number, level in (gains or {}).items():
        for core in FACTS.if_adjusters():
            values = {"before": -1.0, "after": -2.0, "turns": 0.5}
            answers.append(an_answer(seq, f"if.pass{number}.{core}", "peak", values))
            seq += 1
        answers.append(an_answer(seq, f"if.pass{number}.gain", "level", {"level": level}))
        seq += 1
    return [*answers, *more]


def test_passes_go_on_while_they_gain_and_stop_below_two_tenths() -> None:
    going_on = at(a_record(*in_first_pass(gains={1: 200e-6})))
    assert "+6.0 dB" in going_on.step("if.pass1.gain").results[0].text
    assert going_on.step("if.pass2.t2-secondary").ask is not None
    done = at(a_record(*in_first_pass(gains={1: 200e-6, 2: 197e-6})))
    with pytest.raises(NotFound):
        done.step("if.pass3.t2-secondary")
    assert done.step("if.survey-left").ask is not None


def test_order_is_last_transformer_first() -> None:
    cores = FACTS.if_adjusters()
    assert cores == ("t2-secondary", "t2-primary", "t1-secondary", "t1-primary")


def test_a_core_turned_afterwards_makes_the_pass_stale() -> None:
    answers = in_first_pass(gains={1: 200e-6, 2: 197e-6})
    last = answers[-1].seq
    moved = at(a_record(*answers, moves=(Move(last + 5, "t1-primary", 0.5, "osc.bc.aerial"),)))
    assert moved.step("if.pass2.gain").status is Status.RECHECK


def test_every_core_is_peaked_from_the_same_reading_with_the_other_winding_damped() -> None:
    state = at(a_record(*in_first_pass()))
    for core, other in (("t2-secondary", "t2-primary"), ("t1-primary", "t1-secondary")):
        recipe = ask_of(state, f"if.pass1.{core}").recipe
        assert recipe is not None and recipe.target_v == 2.0  # as the record of old was matched
        assert recipe.change.get("damped") == (other,)
        assert recipe.change.get("generator_emf_v") == 400e-6
    new = at(a_record(an_answer(1, "if.survey", "reference@reading=0.5", {"level": 90e-6})))
    reference = ask_of(new, "if.survey")
    assert reference.key == "point"
    begun = ask_of(at(a_record()), "if.survey").recipe
    assert begun is not None and begun.target_v == pytest.approx(0.45)  # 11 Mohm on 1.2 Mohm


def tracking(high_hz: float, low_hz: float, *more: Answer, **lists: object) -> Journey:
    answers = (
        *in_first_pass(gains={1: 200e-6, 2: 197e-6}),
        an_answer(90, "osc.bc.set-up", "ready"),
        an_answer(91, "osc.bc.survey", "high", {"frequency": high_hz}),
        an_answer(92, "osc.bc.survey", "low", {"frequency": low_hz}),
        an_answer(93, "osc.bc.decide", "decision", decision="align"),
        *more,
    )
    return at(a_record(*answers, **lists))


def between(hz: float) -> Answer:
    """The mark between the ends, which is read before anything is turned."""
    return an_answer(94, "osc.bc.round1.middle", "check", {"frequency": hz})


def test_what_stands_between_is_read_before_anything_is_turned_and_not_where_nothing_is() -> None:
    step = tracking(1430e3, 600e3).step("osc.bc.round1.middle")
    assert step.ask is not None and step.ask.key == "check" and step.adjuster is None
    assert "read 1000 kHz too" in step.title
    read = tracking(1430e3, 600e3, between(1010e3)).step("osc.bc.round1.middle")
    assert "read 1000 kHz too" in read.title and read.status is Status.DONE
    assert "Before anything is turned" in step.advice[0]
    with pytest.raises(NotFound):
        tracking(1430e3, 600e3).step("osc.bc.round1.high")
    with pytest.raises(NotFound):
        tracking(1401e3, 600e3).step("osc.bc.round1.middle")
    # closed by somebody, it is not asked for again
    closed = Closure(94, "osc.bc.round1.middle", "no signal there", "none", "the owner")
    ask = ask_of(tracking(1430e3, 600e3, closures=(closed,)), "osc.bc.round1.high")
    assert ask.recipe is not None and ask.recipe.doing is Doing.TURN_AND_FIND


def test_what_stands_between_is_brought_inside_where_the_ends_already_are() -> None:
    moved = an_answer(95, "osc.bc.round1.high", "move1", {"turns": 0.5, "frequency": 1403e3})
    low = an_answer(96, "osc.bc.round1.low", "check", {"frequency": 601e3})
    middle = [
        an_answer(97 + n, "osc.bc.round2.middle", ask, {"frequency": 1008e3})
        for n, ask in enumerate(("check", "again1", "again2"))
    ]
    state = tracking(1430e3, 600.5e3, between(1015e3), moved, low, *middle)
    due = next(s for s in state.steps if ".round" in s.key and s.ask is not None)
    assert due.adjuster is not None and due.ask is not None and due.ask.recipe is not None
    assert "It is turned for 1000 kHz, which is outside" in " ".join(due.advice)
    assert "1000 kHz falls by" in " ".join(due.advice)


def test_the_trimmer_is_advised_the_way_that_takes_the_error_away() -> None:
    ask = ask_of(tracking(1430e3, 600e3, between(1010e3)), "osc.bc.round1.high")
    assert ask.recipe is not None and ask.recipe.doing is Doing.TURN_AND_FIND
    # 1430 comes in at the 1400 mark: the oscillator is too high, more capacity, clockwise
    assert ask.recipe.turns is not None and ask.recipe.turns > 0
    lower = ask_of(tracking(1370e3, 600e3, between(990e3)), "osc.bc.round1.high").recipe
    assert lower is not None and lower.turns is not None and lower.turns < 0


def test_moving_one_end_asks_for_the_other_again_until_both_are_close() -> None:
    moved = an_answer(95, "osc.bc.round1.high", "move1", {"turns": 0.5, "frequency": 1401e3})
    state = tracking(1430e3, 600.5e3, moved)
    check = ask_of(state, "osc.bc.round1.low")
    assert check.key == "check" and check.recipe is not None
    checked = an_answer(96, "osc.bc.round1.low", "check", {"frequency": 600.4e3})
    done = tracking(1430e3, 600.5e3, moved, checked)
    assert [s.key for s in done.steps if ".round" in s.key and not s.status.finished] == []
    # the cabinet spoils both ends
    spoiled = tracking(1430e3, 600.5e3, moved, checked, changes=(Change(97, "cabinet", "in"),))
    assert ask_of(spoiled, "osc.bc.round2.high").key == "check"


def test_an_end_at_its_edge_is_read_again_before_it_is_turned() -> None:
    # near its edge a reading decides, not a screw
    assert ask_of(tracking(1405.8e3, 600e3), "osc.bc.round1.high").key == "check"
    again = (
        an_answer(
            95 + n, "osc.bc.round1.high", f"{'again' if n else 'check'}{n or ''}", {"frequency": hz}
        )
        for n, hz in enumerate((1407.2e3, 1407.4e3))
    )
    seen = between(1002e3)
    assert ask_of(tracking(1406.8e3, 600e3, seen, *again), "osc.bc.round1.high").key == "move1"
    with pytest.raises(NotFound):
        tracking(1403e3, 600e3).step("osc.bc.round1.high")


def test_a_step_closed_by_decision_says_why_by_whom_and_at_what_cost() -> None:
    closed = Closure(96, "osc.bc.round1.high", "one station only", "+30 kHz", "the owner")
    step = tracking(1430e3, 600e3, closures=(closed,)).step("osc.bc.round1.high")
    assert step.status is Status.CLOSED
    assert step.closed_because == "one station only (the owner). Cost: +30 kHz."


def test_a_sheet_that_says_little_asks_for_a_test_move_and_names_its_gaps() -> None:
    facts = slipway_facts()
    assert {g.stage for g in facts.gaps} <= set(SCALE)
    answers = (
        an_answer(91, "osc.band1.survey", "high", {"frequency": 1500e3}),
        an_answer(92, "osc.band1.survey", "low", {"frequency": 610e3}),
        an_answer(93, "osc.band1.decide", "decision", decision="align"),
        an_answer(94, "osc.band1.round1.middle", "check", {"frequency": 980e3}),
    )
    step = journey(facts, a_record(*answers)).step("osc.band1.round1.high")
    assert "a small test move" in " ".join(step.advice)
    # 1500 comes in at 1540: less capacity, counter-clockwise on the commonest trimmer
    assert "counter-clockwise" in step.title and "Foretold: 1540 kHz comes to" in step.advice[1]


def test_an_entry_a_thousand_times_off_is_doubted_and_a_strange_field_refused() -> None:
    ask = ask_of(at(a_record(*through_ramp()[:10])), "bring-up.ramp")
    assert read_entry(ask, "230 221", {}).texts == {"seen": ""}
    assert read_entry(ask, "230 221", {}).doubts == ()
    assert "Is the unit right?" in read_entry(ask, "230 0.22", {}).doubts[0]
    assert read_entry(ask, "230 V 221 V", {}).values == {"ac": 230.0, "b_plus": 221.0}
    with pytest.raises(BadInput, match="not asked for here"):
        read_entry(ask, None, {"volts": "3"})
    with pytest.raises(BadInput, match="line: '-230' is an AC reading"):
        read_entry(ask, "-230 221", {})


@pytest.mark.parametrize("text", ["x", "works fails", ""])
def test_a_choice_takes_only_its_options(text: str) -> None:
    ask = ask_of(at(a_record(an_answer(1, "intake.story", "story", complaint="x"))), "if.decide")
    with pytest.raises(BadInput, match="must be one of align, leave it"):
        read_entry(ask, None, {"decision": text})


def test_a_withdrawn_answer_opens_its_question_again() -> None:
    answers = through_ramp()
    answers[-1] = replace(answers[-1], withdrawn=True)
    step = at(a_record(*answers)).step("bring-up.ramp")
    assert step.ask is not None and step.ask.name == held(100).replace(".0", "")


def test_the_report_sets_as_found_beside_as_left() -> None:
    again = an_answer(40, "bring-up.ramp", held(100), {"ac": 230.0, "b_plus": 226.0})
    record = a_record(*through_ramp(**{"100": 201.0}), again)
    report = report_of(FACTS, record)
    row = next(r for r in report.rows if r.what.startswith("B+"))
    assert (row.found, row.left, row.verdict) == ("201 V", "226 V", "inside")
    assert "Orlwick" in report.title and report.cautions
    assert [r.words for r in report.rows if "dial" in r.what] == ["not read"] * 10
