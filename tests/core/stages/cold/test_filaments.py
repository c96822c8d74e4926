"""Which range may touch a battery filament: from the register's meter, or an ordinary one."""

from __future__ import annotations

import json

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.bench.equipment import (
    Equipment,
    MeterLimits,
    meter_limits,
    meter_words,
    ohm_ranges,
)
from glowdial.core.journey.steps import Status
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.ohmmeter import OhmmeterKind
from glowdial.core.plan.journey import journey, situation_of
from glowdial.core.safety.cautions import dangers_for
from glowdial.core.stages.cold.filament_step import FILAMENTS, filament_steps
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import check_sheet, read_sheet

FARM = receiver_facts(read_sheet(demo_sheet("sheepwalk-four")))
RANGES = "R x 1: 1.5 V 150 mA; R x 10: 1.5 V 15 mA; R x 1k: 1.5V 150uA"


def test_ranges_are_read_as_written() -> None:
    found = ohm_ranges("attic meter", RANGES + "; low ohm: 3 V 10 uA const")
    assert [r.name for r in found] == ["R x 1", "R x 10", "R x 1k", "low ohm"]
    assert found[0].internal_ohm == pytest.approx(10.0)
    assert found[2].short_a == pytest.approx(150e-6)
    assert found[3].kind is OhmmeterKind.CONSTANT_CURRENT
    kept = meter_limits("attic meter", {"ranges": RANGES})
    assert "R x 10 15.0 mA" in meter_words(kept)
    assert "ranges not entered" in meter_words(MeterLimits())


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("R x 1", "name: volts and current"),
        ("R x 1: much", "name: volts and current"),
        ("R x 1: 1.5 V 15 mA; R x 10: 1.5 V 150 mA", "the higher the range"),
        ("R x 1: 0 V 15 mA", "above zero|must be"),
    ],
)
def test_ranges_without_sense_are_refused(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        meter_limits("m", {"ranges": text})


def test_every_filament_gets_its_range_and_what_never_to_use() -> None:
    (step,) = filament_steps(situation_of(FARM, a_record(), Equipment()))
    assert len(step.advice) == 4
    assert step.advice[1].startswith("V2 (2 V, 60 mA): use old ohmmeter, R x 10")
    assert dangers_for(FARM, *step.does) == ("battery filaments",)
    assert "No meter is registered" in step.notes[0]
    only_hot = Equipment(meter=MeterLimits("buzzer", ranges=ohm_ranges("b", "buzz: 9 V 180 mA")))
    (warned,) = filament_steps(situation_of(FARM, a_record(), only_hot))
    assert "no range is safe" in warned.advice[1] and "Never buzzer, buzz" in warned.advice[1]


def test_every_meter_of_the_register_is_weighed_and_the_safe_one_named() -> None:
    hot = MeterLimits("buzzer", ranges=ohm_ranges("b", "buzz: 9 V 180 mA"))
    soft = MeterLimits("bridge", ranges=ohm_ranges("s", "low: 1 V 1 mA const"))
    (step,) = filament_steps(situation_of(FARM, a_record(), Equipment(meter=hot, others=(soft,))))
    assert all("use bridge, low" in line and "Never buzzer, buzz" in line for line in step.advice)
    # and for a mains set too, where some range could do harm
    welder = MeterLimits("welder", ranges=ohm_ranges("w", "low: 12 V 5000 mA"))
    (mains,) = filament_steps(situation_of(tidewater_facts(), a_record(), Equipment(meter=welder)))
    assert "V1 (6.3 V, 300 mA)" in mains.advice[0] and "Never welder, low" in mains.advice[0]


def test_the_step_is_there_for_battery_sets_only_and_closes_with_a_word() -> None:
    assert filament_steps(situation_of(tidewater_facts(), a_record(), Equipment())) == []
    done = a_record(an_answer(1, FILAMENTS, "ready"))
    assert journey(FARM, done).step(FILAMENTS).status is Status.DONE


def test_a_battery_set_comes_up_on_batteries() -> None:
    state = journey(FARM, a_record())
    assert "filament battery" in state.step("bring-up.set-up").leads[0].source
    assert "high tension" in state.step("bring-up.ramp").title
    dangers = state.step("bring-up.gate").dangers
    assert "battery" in dangers and "mains" not in dangers


TUNER = receiver_facts(read_sheet(demo_sheet("lintel-tuner")))


def test_small_junctions_have_their_own_limit() -> None:
    """5 mA: an old ohmmeter's lowest ranges drive more, by Ohm's law behind 0.2 V."""
    old = MeterLimits("old meter", ranges=ohm_ranges("o", RANGES))
    (step,) = filament_steps(situation_of(TUNER, a_record(), Equipment(meter=old)))
    (line,) = step.advice
    assert "Q1" in line and "at most 5 mA" in line
    assert "use old meter, R x 1k (0.13 mA)" in line
    assert f"R x 10 ({(1.5 - 0.2) / 100.0 * 1e3:.2g} mA)" in line.partition("Never")[2]
    assert "filament" not in step.title
    digital = MeterLimits("digital", ranges=ohm_ranges("d", "200 ohm: 3 V 4.9 mA const"))
    assert filament_steps(situation_of(TUNER, a_record(), Equipment(meter=digital))) == []
    hotter = MeterLimits("digital", ranges=ohm_ranges("d", "200 ohm: 3 V 5.1 mA const"))
    assert filament_steps(situation_of(TUNER, a_record(), Equipment(meter=hotter))) != []


def test_a_lamp_gets_its_verdict_as_a_filament_does() -> None:
    document = json.loads(demo_sheet("tidewater-six"))
    lamp = {
        "position": "L1",
        "function": "dial lamp",
        "type": "bayonet",
        "heater_v": 6.3,
        "heater_a": 0.15,
    }
    heaters = document["circuit"].get("heaters") if document.get("circuit") else None
    if heaters:
        heaters["heaters"].append({"tube": "L1", "volts": 6.3, "amperes": 0.15})
    lit = receiver_facts(check_sheet({**document, "line_up": [*document["line_up"], lamp]}))
    soft = MeterLimits("bridge", ranges=ohm_ranges("s", "low: 1 V 1 mA const"))
    (step,) = filament_steps(situation_of(lit, a_record(), Equipment(meter=soft)))
    assert [line.partition(" ")[0] for line in step.advice] == ["L1"]
