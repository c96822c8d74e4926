"""All twenty hazards: what calls for each, on the sheet or on the set, and which steps carry it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.record import Change, Closure, Entered, JobRecord
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import Topology
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.plan.journey import journey
from glowdial.core.safety.cautions import Danger, Trait
from glowdial.core.stages.bring_up.stop_rules import RampReading, check_possible
from glowdial.core.stages.intake.steps import as_seen
from glowdial.core.stages.parts.order import School
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet

SHEET = replace(tidewater_facts(), traits=())
BATTERY = replace(SHEET, chassis="battery", supply=None)
Facts = Callable[[ReceiverFacts], ReceiverFacts]


def label(**texts: str) -> JobRecord:
    said = {"chassis": "mains transformer", "luminous": "no", **texts}
    return a_record(an_answer(1, "intake.label", "label", **said), acknowledgements=())


def found(**texts: str) -> JobRecord:
    seen = an_answer(2, "intake.label", "found", **texts)
    return replace(label(), answers=(*label().answers, seen))


def modified() -> JobRecord:
    texts = {"what": "a wire", "whose": "found", "decision": "ask the owner", "state": "as found"}
    line = Entered(1, "modifications", "1", "", {}, texts)
    return a_record(entered=(line,), acknowledgements=())


def trait(name: Trait) -> ReceiverFacts:
    return replace(SHEET, traits=(str(name),))


@dataclass(frozen=True)
class Hazard:
    """A danger: a sheet that has it, a finding on a set whose sheet has it not, steps that carry it
    and steps that do not."""

    danger: Danger
    sheet: ReceiverFacts
    seen: JobRecord | None
    carried: tuple[str, ...]
    spared: tuple[str, ...]


POWERED = ("bring-up.gate", "bring-up.ramp", "if.survey", "proof.found.bc.1", "dial.bc")
COLD = ("intake.story", "intake.label", "intake.photos")
HAZARDS = (
    Hazard(Danger.MAINS, SHEET, label(), POWERED, COLD),
    Hazard(Danger.CAPACITORS, SHEET, label(), (*POWERED, "cold.b-plus", "parts.first"), COLD),
    Hazard(
        Danger.TRANSFORMERLESS,
        replace(SHEET, chassis="transformerless"),
        label(chassis="transformerless"),
        (*POWERED, "if.set-up"),
        (*COLD, "cold.b-plus"),
    ),
    Hazard(Danger.VARIABLE_TRANSFORMER, SHEET, label(), POWERED, COLD),
    Hazard(Danger.SELENIUM, trait(Trait.SELENIUM), found(rectifier="selenium"), POWERED, COLD),
    Hazard(Danger.BRIDGING, SHEET, label(), ("parts.first",), (*COLD, "if.survey")),
    Hazard(Danger.EARTH, SHEET, label(), ("if.set-up", "proof.found.bc.1"), (*COLD, "cold.b-plus")),
    Hazard(
        Danger.OLD_OIL, SHEET, None, ("intake.look", "cold.tubes", "parts.first"), ("intake.story",)
    ),
    Hazard(
        Danger.LUMINOUS,
        trait(Trait.LUMINOUS),
        label(luminous="yes"),
        ("intake.look", "intake.controls", "cold.tubes"),
        ("bring-up.ramp",),
    ),
    Hazard(Danger.SOLVENTS, SHEET, None, ("parts.first",), ("bring-up.ramp", "cold.b-plus")),
    Hazard(
        Danger.HIGH_TENSION_OUTSIDE,
        trait(Trait.HIGH_TENSION_OUTSIDE),
        found(outside="yes"),
        POWERED,
        COLD,
    ),
    Hazard(
        Danger.SERIES_STRING,
        trait(Trait.SERIES_STRING),
        found(heaters="in a string"),
        (*POWERED, "cold.tubes"),
        COLD,
    ),
    Hazard(
        Danger.BATTERY_FILAMENTS,
        trait(Trait.BATTERY_FILAMENTS),
        found(filaments="directly heated"),
        ("cold.b-plus", "cold.windings"),
        ("if.survey",),
    ),
    Hazard(Danger.LIVE_ALIGNMENT, SHEET, None, ("if.set-up",), (*COLD, "bring-up.ramp")),
    Hazard(Danger.OUTPUT_STAGE, SHEET, None, POWERED, COLD),
    Hazard(Danger.POSTURE, SHEET, None, ("if.set-up",), (*COLD, "bring-up.ramp")),
    Hazard(Danger.BATTERY, BATTERY, label(chassis="battery"), ("bring-up.gate",), COLD),
    Hazard(
        Danger.TRANSMIT,
        trait(Trait.TRANSMIT),
        found(transmits="yes"),
        (*POWERED, "if.set-up"),
        ("cold.b-plus",),
    ),
    Hazard(
        Danger.TUNING_EYE, trait(Trait.TUNING_EYE), found(eye="yes"), (*POWERED, "cold.tubes"), COLD
    ),
    Hazard(
        Danger.MODIFICATION,
        trait(Trait.MODIFIED),
        modified(),
        ("bring-up.gate",),
        ("intake.story",),
    ),
)


def dangers(facts: ReceiverFacts, record: JobRecord) -> dict[str, tuple[str, ...]]:
    chosen = an_answer(90, "parts.school", "school", school=School.DANGEROUS.value)
    shown = journey(facts, replace(record, answers=(*record.answers, chosen)))
    return {s.key: s.dangers for s in shown.steps}


def test_the_table_is_whole() -> None:
    assert [h.danger for h in HAZARDS] == list(Danger)


@pytest.mark.parametrize("hazard", HAZARDS, ids=[h.danger.name.lower() for h in HAZARDS])
def test_a_hazard_is_carried_where_it_is_met_and_nowhere_else(hazard: Hazard) -> None:
    by_sheet = dangers(hazard.sheet, a_record(acknowledgements=()))
    # a set may have no such step; of those that it has, every one carries it
    there = [key for key in hazard.carried if key in by_sheet]
    assert there, hazard
    for key in there:
        assert hazard.danger in by_sheet[key], key
    for key in hazard.spared:
        assert hazard.danger not in by_sheet[key], key
    if hazard.seen is None:
        return
    plain = BATTERY if hazard.danger in (Danger.MAINS, Danger.CAPACITORS) else SHEET
    on_set = dangers(plain, hazard.seen)
    for key in [k for k in hazard.carried if k in on_set]:
        assert hazard.danger in on_set[key], key


def test_none_is_shown_where_it_does_not_apply() -> None:
    plain = {d for of_step in dangers(SHEET, label()).values() for d in of_step}
    assert not plain & {
        Danger.TRANSFORMERLESS, Danger.SELENIUM, Danger.LUMINOUS, Danger.SERIES_STRING,
        Danger.BATTERY, Danger.BATTERY_FILAMENTS, Danger.TRANSMIT, Danger.TUNING_EYE,
        Danger.HIGH_TENSION_OUTSIDE, Danger.MODIFICATION,
    }  # fmt: skip
    battery = {d for of in dangers(BATTERY, a_record(acknowledgements=())).values() for d in of}
    assert not battery & {Danger.MAINS, Danger.EARTH, Danger.VARIABLE_TRANSFORMER, Danger.BRIDGING}


def test_what_is_found_later_asks_for_the_gate_again() -> None:
    facts = tidewater_facts()
    passed = walked(facts, "bring-up.ramp")
    seq = max(a.seq for a in passed.answers) + 1
    seen = an_answer(seq, "intake.label", "found", transmits="yes")
    later = replace(passed, answers=(*passed.answers, seen))
    assert not journey(facts, passed).step("bring-up.ramp").blocked_by
    assert journey(facts, later).step("bring-up.gate").status.value == "re-check"
    assert journey(facts, later).step("bring-up.ramp").blocked_by


def test_a_decision_on_b_plus_ends_with_a_change_in_the_supply() -> None:
    facts = tidewater_facts()
    start = walked(facts, "cold.b-plus")
    seq = max(a.seq for a in start.answers) + 1
    low = an_answer(seq, "cold.b-plus", "resistance", {"resistance": 800.0})
    closed = Closure(seq + 1, "cold.b-plus", "bleeder of 1 k", "", "bench")
    record = replace(start, answers=(*start.answers, low), closures=(closed,))
    assert journey(facts, record).step("cold.b-plus").status.finished
    changed = replace(record, changes=(Change(seq + 2, "supply", "C21 renewed"),))
    assert not journey(facts, changed).step("cold.b-plus").status.finished
    audio = replace(record, changes=(Change(seq + 2, "audio", "C5 renewed"),))
    assert journey(facts, audio).step("cold.b-plus").status.finished


def test_a_silicon_rectifier_found_overrides_the_sheets_tube() -> None:
    facts = tidewater_facts()
    told = journey(facts, replace(found(rectifier="silicon")))
    expected = told.step("bring-up.ramp").ask
    assert expected is not None and "heater is still cold" not in expected.expected_text


def test_what_feeds_the_rectifier_is_taken_as_it_is_found() -> None:
    """A bridge where the sheet has a centre tap: the same winding, and its whole drop."""
    facts = tidewater_facts()
    assert facts.supply is not None
    seen = as_seen(facts, found(topology="bridge")).supply
    assert seen == replace(facts.supply, topology=Topology.BRIDGE)
    halved = as_seen(facts, found(topology="half-wave")).supply
    assert halved is not None
    whole_v = steady_state(facts.supply, 230.0).node_v[-1]
    assert steady_state(halved, 230.0).node_v[-1] < 0.97 * whole_v


def test_a_reversed_battery_is_said_as_such() -> None:
    farm = receiver_facts(read_sheet(demo_sheet("sheepwalk-four")))
    assert farm.supply is not None
    with pytest.raises(BadInput, match="battery is joined the wrong way round"):
        check_possible(farm.supply, RampReading(farm.supply.line_v, -88.0))
