"""Cold checks as steps: tubes, windings brought to twenty degrees, B+, the unpowered path."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts, walked
from glowdial.core.journey.steps import Status, Step
from glowdial.core.physics.resonance import resonating_inductance_h
from glowdial.core.plan.journey import journey
from glowdial.core.stages.cold.steps import bridged_hz

FACTS = tidewater_facts()
ROOM = an_answer(1, "cold.windings", "room", {"temperature": 21.0, "leads": 0.3})


def tubes(**states: str) -> Step:
    said = {t.position: "good" for t in FACTS.tubes} | states
    return journey(FACTS, a_record(an_answer(1, "cold.tubes", "tubes", **said))).step("cold.tubes")


def test_a_shorted_tube_is_trouble_a_weak_one_is_noted() -> None:
    assert tubes().status is Status.DONE
    weak = tubes(V3="weak", misplaced="V2 holds the output tube")
    assert weak.status is Status.DONE
    assert "V3 weak" in weak.advice[0] and "Put right before power" in weak.advice[1]
    shorted = tubes(V4="shorted")
    assert shorted.status is Status.TROUBLE and shorted.retake and "V4" in shorted.cost


def windings(**ohms: float) -> Step:
    answers = [
        an_answer(n + 2, "cold.windings", k, {"ohm": v}) for n, (k, v) in enumerate(ohms.items())
    ]
    return journey(FACTS, a_record(ROOM, *answers)).step("cold.windings")


def as_measured(sheet_ohm: float, temperature_c: float, leads_ohm: float) -> float:
    return sheet_ohm * (1.0 + 0.00393 * (temperature_c - 20.0)) + leads_ohm


def test_a_winding_is_judged_without_its_leads_and_at_twenty_degrees() -> None:
    good = {
        w.key.replace("-", "-"): as_measured(w.resistance_ohm, 21.0, 0.3) for w in FACTS.windings
    }
    step = windings(**good)
    assert step.status is Status.DONE
    for found, sheet in zip(step.results, FACTS.windings, strict=True):
        assert found.value == pytest.approx(sheet.resistance_ohm, rel=1e-9)
        assert found.judgement.verdict.value == "inside"


def test_an_open_winding_is_trouble_and_any_can_be_taken_next() -> None:
    keys = [w.key for w in FACTS.windings]
    begun = windings(**{keys[2]: 381.0})
    assert begun.ask is not None and begun.ask.key == keys[0]
    assert [a.key for a in begun.others] == [keys[1], *keys[3:]]
    good = {w.key: as_measured(w.resistance_ohm, 21.0, 0.3) for w in FACTS.windings}
    broken = windings(**{**good, keys[2]: 1e9})
    assert broken.status is Status.TROUBLE and broken.ask is not None
    assert broken.ask.key == keys[2] and "Open: a broken wire" in broken.advice[0]


def test_b_plus_is_measured_to_the_rail_that_is_common() -> None:
    assert "B+ to chassis" in journey(FACTS, a_record()).step("cold.b-plus").title
    live = replace(FACTS, chassis="transformerless")
    step = journey(live, a_record()).step("cold.b-plus")
    assert "B+ to B-" in step.title and "may not be the chassis" in step.reason


@pytest.mark.parametrize(
    ("given_ohm", "read_ohm", "stops"),
    [
        # no figure on the sheet: below ten kilohms no power is applied
        (None, 9.5e3, True),
        (None, 1.5e3, True),
        (None, 10.5e3, False),
        # a sheet's figure, less what a meter and old resistors differ by
        (40e3, 30e3, True),
        (40e3, 33e3, False),
    ],
)
def test_a_low_b_plus_holds_the_power_back(
    given_ohm: float | None, read_ohm: float, stops: bool
) -> None:
    facts = replace(FACTS, b_plus_resistance_ohm=given_ohm)
    before = walked(facts, "cold.b-plus")
    read = an_answer(9999, "cold.b-plus", "resistance", {"resistance": read_ohm})
    passed = an_answer(10_000, "bring-up.gate", "ready")
    state = journey(facts, a_record(*before.answers, read, passed))
    assert state.step("cold.b-plus").results[0].judgement.verdict.outside is stops
    powered = [s for s in state.steps if s.powered and not s.opens_power]
    assert powered
    held_back = [any("Measure B+" in why for why in s.blocked_by) for s in powered]
    assert all(held_back) if stops else not any(held_back)


@pytest.mark.parametrize("bridge_f", [0.5e-12, 2e-12, 10e-12])
def test_a_bridge_pulls_its_can_as_the_resonance_formula_says(bridge_f: float) -> None:
    capacitance_f = FACTS.transformers[0].capacitance_f
    coil_h = resonating_inductance_h(frequency_hz=465e3, capacitance_f=capacitance_f)
    wanted = 1.0 / (2.0 * math.pi * math.sqrt(coil_h * (capacitance_f + bridge_f)))
    assert bridged_hz(465e3, capacitance_f, bridge_f) == pytest.approx(wanted, rel=1e-12)
    first_order = 465e3 * bridge_f / (2 * capacitance_f)
    assert 465e3 - wanted == pytest.approx(first_order, rel=bridge_f / capacitance_f)


def test_the_unpowered_path_makes_its_bridges_known_and_takes_them_off() -> None:
    step = journey(FACTS, a_record()).step("cold.path")
    assert step.ask is not None and step.ask.key == "wanted"
    answers = [an_answer(1, "cold.path", "wanted", wanted="follow it")]
    bridge = journey(FACTS, a_record(*answers)).step("cold.path")
    assert (
        bridge.ask is not None
        and bridge.ask.makes
        and "0.5 pF pulls by 1.0 kHz" in bridge.ask.expected_text
    )
    answers.append(an_answer(2, "cold.path", "bridge", {"bridge": 0.5e-12}))
    for n, can in enumerate(reversed(FACTS.transformers)):
        now = journey(FACTS, a_record(*answers)).step("cold.path")
        assert now.ask is not None and now.ask.key == can.key
        answers.append(an_answer(3 + n, "cold.path", can.key, {"frequency": 462e3 - 60e3 * n}))
    last = journey(FACTS, a_record(*answers)).step("cold.path")
    assert last.ask is not None and last.ask.key == "off" and last.undoes == "cold.path"
    assert len(last.advice) == 1 and "far from the IF" in last.advice[0]
    answers.append(an_answer(9, "cold.path", "off", done="done"))
    assert journey(FACTS, a_record(*answers)).step("cold.path").status is Status.DONE
