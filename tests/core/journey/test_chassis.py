"""The chassis beside a step: what is lit, done, mistaken and sealed, by sheet and as placed."""

from __future__ import annotations

from dataclasses import replace

import pytest

from glowdial.core.journey.chassis import chain_order, chassis_picture
from glowdial.core.journey.record import JobRecord
from glowdial.core.language.errors import BadInput
from glowdial.core.model.chassis import Side
from glowdial.core.model.facts import ReceiverFacts
from glowdial.demo.fill import SHEETS, demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet

EVERY = {name: receiver_facts(read_sheet(demo_sheet(name))) for name in SHEETS}
PLACED = [f for f in EVERY.values() if f.layout is not None]
FARM = EVERY["sheepwalk-four"]


@pytest.mark.parametrize("facts", PLACED, ids=lambda f: f.title)
def test_every_adjuster_of_a_placed_set_is_lit_on_its_own_side(facts: ReceiverFacts) -> None:
    assert facts.layout is not None
    for adjuster in facts.adjusters:
        drawn = chassis_picture(facts, JobRecord(), adjuster.key)
        lit = [i for i in drawn.items if i.lit]
        assert [i.key for i in lit] == [adjuster.key]
        assert drawn.side == lit[0].side and drawn.tool == adjuster.tool
        assert len(drawn.items) == len(facts.layout.placed)
        if "below" in adjuster.where:
            assert drawn.side == Side.UNDERSIDE
        assert 0 <= lit[0].x_mm <= facts.layout.width_mm


def test_the_other_of_its_kind_close_by_is_marked_and_what_is_far_is_not() -> None:
    drawn = chassis_picture(EVERY["tidewater-six"], JobRecord(), "t1-secondary")
    assert [i.key for i in drawn.items if i.mistaken] == ["t2-secondary"]
    below = chassis_picture(EVERY["tidewater-six"], JobRecord(), "sw-osc-trimmer")
    assert [i.key for i in below.items if i.mistaken] == ["sw-aerial-trimmer"]


def test_of_two_cores_in_one_can_it_is_said_which() -> None:
    drawn = chassis_picture(EVERY["lintel-tuner"], JobRecord(), "t1-primary")
    assert "the far one of two" in drawn.reach
    reaches = {i.key: i.reach for i in drawn.items}
    assert (reaches["t1-primary"], reaches["t1-secondary"]) == ("far", "near")


def test_a_set_without_places_tells_the_chains_order_and_invents_none() -> None:
    assert FARM.layout is None
    drawn = chassis_picture(FARM, JobRecord(), "t2-primary")
    assert drawn.items == () and drawn.side == ""
    assert [o.label for o in drawn.order if o.lit] == [FARM.adjuster("t2-primary").name]
    assert len(drawn.order) == len(chain_order(FARM)) == len(FARM.adjusters)
    # one adjuster that has no place among others that have one: no invented spot either
    tidewater = EVERY["tidewater-six"]
    assert tidewater.layout is not None
    kept = tuple(p for p in tidewater.layout.placed if p.what != "t1-primary")
    holed = replace(tidewater, layout=replace(tidewater.layout, placed=kept))
    assert chassis_picture(holed, JobRecord(), "t1-primary").items == ()


def test_a_sealed_one_is_said_to_be_left() -> None:
    facts = EVERY["tidewater-six"]
    assert facts.layout is not None
    sealed = tuple(replace(p, sealed=p.what == "t1-primary") for p in facts.layout.placed)
    drawn = chassis_picture(
        replace(facts, layout=replace(facts.layout, placed=sealed)), JobRecord(), "t1-primary"
    )
    assert "sealed: leave it" in drawn.reach
    assert [i.key for i in drawn.items if i.sealed] == ["t1-primary"]


def test_a_sheet_that_places_what_it_does_not_list_is_refused() -> None:
    text = demo_sheet("tidewater-six").replace('"what": "V6"', '"what": "V9"')
    with pytest.raises(BadInput, match="V9"):
        read_sheet(text)
    twice = demo_sheet("tidewater-six").replace('"what": "V6"', '"what": "V4"')
    with pytest.raises(BadInput, match="two places"):
        read_sheet(twice)
