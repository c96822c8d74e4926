"""The table of cautions: whole, selected by set and step, with computed sentences."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import tidewater_facts
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.safety.cautions import (
    CLOSING,
    TABLE,
    Activity,
    Danger,
    Trait,
    caution,
    dangers_for,
)

FACTS = tidewater_facts()
KITCHEN = replace(FACTS, chassis="transformerless", traits=(Trait.SERIES_STRING,))
FARM = replace(FACTS, chassis="battery", supply=None, traits=(Trait.BATTERY_FILAMENTS,))


def test_every_danger_has_its_row_and_every_caution_its_closing() -> None:
    assert [c.danger for c in TABLE] == sorted({c.danger for c in TABLE}, key=list(Danger).index)
    assert {c.danger for c in TABLE} == set(Danger)
    for danger in Danger:
        assert caution(danger, FACTS).sentences[-1] == CLOSING
        assert caution(danger).met_in


def test_every_trait_decides_something() -> None:
    assert {c.wants for c in TABLE if c.wants} == set(Trait)


@pytest.mark.parametrize(
    ("facts", "activity", "there", "absent"),
    [
        (FACTS, Activity.POWER, Danger.MAINS, Danger.TRANSFORMERLESS),
        (FACTS, Activity.POWER, Danger.TUNING_EYE, Danger.SELENIUM),
        (KITCHEN, Activity.POWER, Danger.TRANSFORMERLESS, Danger.BATTERY),
        (KITCHEN, Activity.POWER, Danger.SERIES_STRING, Danger.TRANSMIT),
        (KITCHEN, Activity.SIGNAL_IN, Danger.TRANSFORMERLESS, Danger.CAPACITORS),
        (FARM, Activity.POWER, Danger.BATTERY, Danger.MAINS),
        (FARM, Activity.COLD_CHECKS, Danger.BATTERY_FILAMENTS, Danger.CAPACITORS),
        (FACTS, Activity.REPLACING, Danger.BRIDGING, Danger.LIVE_ALIGNMENT),
        (FACTS, Activity.ALIGNING, Danger.POSTURE, Danger.SERIES_STRING),
    ],
)
def test_cautions_follow_from_the_set_and_the_step(
    facts: ReceiverFacts, activity: Activity, there: Danger, absent: Danger
) -> None:
    found = dangers_for(facts, activity)
    assert there in found and absent not in found


def test_the_capacitors_caution_tells_this_sets_time() -> None:
    said = " ".join(caution(Danger.CAPACITORS, FACTS).sentences)
    assert "below 30 V in" in said
    supply = FACTS.supply
    assert supply is not None
    bare = replace(
        FACTS, supply=replace(supply, load=replace(supply.load, bleeder_ohm=float("inf")))
    )
    assert "no bleeder" in " ".join(caution(Danger.CAPACITORS, bare).sentences)
