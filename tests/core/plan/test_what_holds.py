"""What safety and verdicts hang on: each of these was once changed without any test noticing."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.activities import activities_of
from glowdial.core.journey.record import Change, Closure, JobRecord, Reopening
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Lead, Status, Step
from glowdial.core.language.verdicts import Verdict, Window, judge
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.plan.journey import journey
from glowdial.core.safety.cautions import Activity, Danger, dangers_for
from glowdial.core.stages.handover.steps import handover_steps
from glowdial.core.stages.intermediate.gain import another_pass, shown_db
from glowdial.core.stages.intermediate.steps import if_steps
from glowdial.core.stages.parts.needs import need_of
from glowdial.core.stages.parts.order import School
from glowdial.core.stages.parts.state import PartState

FACTS = tidewater_facts()
BRIDGE = Part("C9", "mains bypass", PartKind.PAPER, PartUse.MAINS, 10e-9, 600.0)
COUPLING = replace(BRIDGE, use=PartUse.COUPLING)
B_PLUS = "cold.b-plus"


def of(part: Part, decision: str, safety: str = "", reason: str = "") -> PartState:
    return PartState(part, "parts.first", decision, None, None, "", safety, reason)


@pytest.mark.parametrize(
    ("state", "unrated"),
    [
        (of(BRIDGE, ""), True),
        (of(BRIDGE, "keep"), True),
        (of(BRIDGE, "keep", "X2"), True),
        (of(BRIDGE, "keep", "", "renewed last year"), True),
        (of(BRIDGE, "keep", "a paper one", "renewed last year"), True),
        (of(BRIDGE, "keep", " x2 ", "renewed last year"), False),
        (of(BRIDGE, "fit"), False),
        (of(replace(BRIDGE, use=PartUse.CHASSIS), "keep"), True),
        (of(COUPLING, "keep"), False),
    ],
)
def test_what_bridges_the_mains_stays_only_with_class_and_reason(
    state: PartState, unrated: bool
) -> None:
    assert state.unrated is unrated


def test_a_mains_capacitor_kept_without_a_reason_holds_power_back() -> None:
    facts = replace(FACTS, parts=(BRIDGE,))
    school = an_answer(49, "parts.school", "school", school=School.DANGEROUS.value)
    kept = an_answer(50, "parts.first", BRIDGE.ref, decision="keep")
    rated = {**kept.texts, "class": "X2", "reason": "renewed last year"}
    for answer, held in ((kept, True), (replace(kept, texts=rated), False)):
        step = journey(facts, a_record(school, answer)).standing("parts.first")
        assert bool(step.holds_power) is held


def test_a_resistor_is_replaced_by_one_for_twice_what_it_sheds() -> None:
    sheds = Part(
        "R7", "filter", PartKind.RESISTOR, PartUse.RESISTANCE, 1e3, watts=0.5, dissipation_w=1.5
    )
    need = need_of(sheds, None, transformer=True)
    assert need.wanted.rating == pytest.approx(2 * 1.5) and "twice" in need.why
    unknown = replace(sheds, dissipation_w=None, watts=2.0)
    assert need_of(unknown, None, transformer=True).wanted.rating == pytest.approx(2.0)


@pytest.mark.parametrize(
    ("state", "stops"),
    [("good", False), ("weak", False), ("bad", True), ("shorted", True), ("air or gas", True)],
)
def test_a_tube_that_harms_others_stops_before_power(state: str, stops: bool) -> None:
    said = {t.position: "good" for t in FACTS.tubes} | {"V4": state}
    step = journey(FACTS, a_record(an_answer(1, "cold.tubes", "tubes", **said))).step("cold.tubes")
    assert (step.status is Status.TROUBLE) is stops
    assert ("V4" in step.cost) is stops
    assert bool(step.holds_power) is (state == "shorted")


def b_plus(record: JobRecord) -> Step:
    return journey(FACTS, record).standing(B_PLUS)


def test_a_decision_on_b_plus_ends_with_a_change_in_the_supply() -> None:
    closed = a_record(closures=(Closure(5, B_PLUS, "no meter here", "", "bench"),))
    assert b_plus(closed).status is Status.CLOSED
    assert b_plus(replace(closed, changes=(Change(6, "if"),))).status is Status.CLOSED
    assert not b_plus(replace(closed, changes=(Change(6, "supply"),))).status.finished
    assert b_plus(replace(closed, changes=(Change(4, "supply"),))).status is Status.CLOSED


def test_an_entry_in_a_closed_step_undoes_the_decision() -> None:
    low = an_answer(7, B_PLUS, "resistance", {"resistance": 500.0})
    closure = (Closure(8, B_PLUS, "known", "", "bench"),)
    assert b_plus(a_record(low, closures=closure)).status is Status.CLOSED
    later = replace(low, seq=9)
    assert b_plus(a_record(low, later, closures=closure)).status is Status.TROUBLE


def test_what_was_handed_over_is_handed_over_again_once_it_was_opened() -> None:
    given = a_record(an_answer(9, "handover.report", "handed-over", done="done"))
    assert handover_steps(Situation(FACTS, given))[0].status is Status.DONE
    again = replace(given, reopenings=(Reopening(10, "came back"),))
    assert handover_steps(Situation(FACTS, again))[0].status is not Status.DONE


@pytest.mark.parametrize(
    ("value", "verdict"),
    [
        (9.9, Verdict.LOW),
        (10.5, Verdict.NEAR_EDGE),
        (11.1, Verdict.INSIDE),
        (18.9, Verdict.INSIDE),
        (19.5, Verdict.NEAR_EDGE),
        (20.1, Verdict.HIGH),
    ],
)
def test_both_edges_of_a_window_are_near(value: float, verdict: Verdict) -> None:
    assert judge(value, Window(10.0, 20.0)).verdict is verdict


def test_passes_go_on_until_less_than_two_tenths_of_a_decibel_was_gained() -> None:
    assert another_pass(0.21) and another_pass(1.5) and not another_pass(0.19)
    # an indicator that shows everything: no coarser
    assert shown_db(0.01, 10.0) == pytest.approx(0.2, abs=0.1)


@pytest.mark.parametrize(
    ("after_v", "turns", "nothing"),
    [(0.401, 0.5, True), (0.44, 0.5, False), (0.48, 0.5, False), (0.401, 0.1, False)],
)
def test_a_core_that_works_is_not_called_one_that_does_nothing(
    after_v: float, turns: float, nothing: bool
) -> None:
    record = walked(FACTS, "if.pass1")
    first = next(s for s in if_steps(Situation(FACTS, record)) if s.key.startswith("if.pass1."))
    seq = max(a.seq for a in record.answers) + 1
    values = {"before": -0.4, "after": -after_v, "turns": turns}
    peaked = an_answer(seq, first.key, "peak", values)
    worked = replace(record, answers=(*record.answers, peaked))
    step = next(s for s in if_steps(Situation(FACTS, worked)) if s.key == first.key)
    assert step.results and ("nothing changed" in " ".join(step.advice)) is nothing


@pytest.mark.parametrize(
    "activity", [Activity.LIFTING, Activity.COLD_CHECKS, Activity.POWER, Activity.REPLACING]
)
def test_capacitors_are_discharged_before_a_hand_goes_in(activity: Activity) -> None:
    assert Danger.CAPACITORS in dangers_for(FACTS, activity)


def test_what_a_step_does_that_can_hurt_is_data_and_agrees_with_its_words() -> None:
    """No caution hangs on a word; but where the words speak of it, the data does."""
    record = walked(FACTS, "if.pass1")
    steps = journey(FACTS, record).steps
    fed = [lead for s in steps for lead in s.leads if "generator" in lead.source]
    assert fed and all(lead.signal for lead in fed)
    renamed = replace(
        steps[0], powered=True, leads=(Lead("the box", "10 nF", "grid", signal=True),)
    )
    assert Activity.SIGNAL_IN in activities_of(renamed)
    named = replace(renamed, leads=(Lead("generator, switched off", "-", "bench"),))
    assert Activity.SIGNAL_IN not in activities_of(named)
    lifts = Ask("lift", "?", (), "", does=(Activity.LIFTING,))
    assert Activity.LIFTING in activities_of(replace(steps[0], others=(lifts,)))
    assert Activity.LIFTING not in activities_of(
        replace(steps[0], others=(replace(lifts, does=()),))
    )
