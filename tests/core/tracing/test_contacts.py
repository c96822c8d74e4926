"""Contacts: surveys find what is bad and nothing else; a wetting current is refused where it could
do harm."""

from __future__ import annotations

import numpy as np
import pytest

from core.tracing.diagrams import block, chain
from glowdial.core.language.errors import BadInput
from glowdial.core.model.blocks import BlockDiagram, Link, PartFamily, Position
from glowdial.core.tracing.contacts import (
    ContactVerdict,
    PositionReadings,
    Survey,
    before_and_after,
    check_path,
    contacts_of,
    path_ohm,
    survey,
    wetting,
)

LEADS_OHM = 0.2


def a_survey(
    rng: np.random.Generator, bad: int, *, positions: int = 12, excess: float = 0.2
) -> tuple[Survey, set[str]]:
    """Twelve positions of a path that differs by band, read three times with 3 % of noise; what is
    expected is known to 2 %."""
    sick = set(rng.choice(positions, bad, replace=False).tolist())
    readings = []
    for n in range(positions):
        path = float(rng.uniform(3.0, 12.0))
        expected = path * (1.0 + float(rng.normal(0.0, 0.02)))
        true = path * (1.0 + (excess + float(rng.exponential(0.3)) if n in sick else 0.0))
        taken = true * (1.0 + rng.normal(0.0, 0.03, 3)) + LEADS_OHM
        readings.append(PositionReadings(f"p{n}", tuple(float(r) for r in taken), expected))
    return survey(readings, leads_ohm=LEADS_OHM), {f"p{n}" for n in sick}


@pytest.mark.parametrize("bad", [0, 1, 2, 3, 4])
def test_the_bad_are_found_and_no_good_one_is_blamed(bad: int) -> None:
    missed = false = 0
    for seed in range(300):
        found, sick = a_survey(np.random.default_rng(1000 * bad + seed), bad)
        missed += not sick <= set(found.bad)
        false += not set(found.bad) <= sick
    assert missed <= 3 and false <= 3


def test_the_plain_rule_cries_wolf_where_this_one_does_not() -> None:
    wolf = 0
    for seed in range(200):
        found, _ = a_survey(np.random.default_rng(seed), 0)
        means = [p.mean_ohm / p.expected_ohm - 1.0 for p in found.positions]
        middle = float(np.median(means))
        mad = float(np.median(np.abs(np.array(means) - middle)))
        wolf += any(m > middle + 3 * 1.4826 * mad for m in means)
    assert wolf > 10


def test_a_contact_that_jumps_is_unstable_whatever_its_mean() -> None:
    readings = [PositionReadings(f"p{n}", (4.2, 4.2, 4.3), 4.0) for n in range(11)]
    readings.append(PositionReadings("p11", (4.2, 6.9, 4.3), 4.0))
    found = survey(readings, leads_ohm=0.2)
    assert found.bad == ("p11",)
    assert found.positions[-1].verdict is ContactVerdict.UNSTABLE


def test_without_an_expected_path_or_good_neighbours_a_repeat_is_asked() -> None:
    three = [PositionReadings(n, (4.3, 4.3, 4.3), 4.0) for n in ("lw", "mw")]
    few = survey([*three, PositionReadings("sw", (7.0, 7.1, 7.0), 4.0)], leads_ohm=0.2)
    assert few.bad == ("sw",) and "work the contacts" in few.repeat
    unknown = survey([PositionReadings("lw", (4.3, 4.3, 4.3))], leads_ohm=0.2)
    assert "another band" in unknown.repeat
    well = survey(
        [PositionReadings(f"p{n}", (4.3, 4.2, 4.2), 4.0) for n in range(6)], leads_ohm=0.2
    )
    assert well.repeat == "" and well.bad == ()


def test_leads_that_were_not_zeroed_are_noticed() -> None:
    with pytest.raises(BadInput, match="leads"):
        survey([PositionReadings("lw", (0.1, 0.1, 0.1), 4.0)], leads_ohm=0.6)


def test_working_a_contact_shows() -> None:
    before = survey([PositionReadings("lw", (9.0, 9.0, 9.0), 4.0)], leads_ohm=0.2)
    after = survey([PositionReadings("lw", (4.3, 4.3, 4.3), 4.0)], leads_ohm=0.2)
    [(name, (then, now))] = before_and_after(before, after).items()
    assert name == "lw" and then == pytest.approx(8.8) and now == pytest.approx(4.1)


def a_switch(with_transistor: bool) -> BlockDiagram:
    contact, coil = ((PartFamily.CONTACT, 2),), ((PartFamily.COIL, 1),)
    middle = ((PartFamily.SEMICONDUCTOR, 1),) if with_transistor else coil
    blocks = (
        block("pin", parts=contact),
        block("coil", parts=middle),
        block("switch", parts=contact),
    )
    links = (Link("pin", "coil"), Link("coil", "switch"))
    return BlockDiagram(blocks, links, (), (Position("mw", "medium wave"),), "pin", "switch")


def test_only_contacts_and_coils_may_lie_in_the_way_of_a_wetting_current() -> None:
    assert check_path(a_switch(False), "pin", "switch", "mw") == ("pin", "coil", "switch")
    with pytest.raises(BadInput) as error:
        check_path(a_switch(True), "pin", "switch", "mw")
    assert error.value.value == "coil" and "semiconductor" in error.value.expected
    with pytest.raises(BadInput):
        check_path(a_switch(False), "switch", "pin", "mw")
    assert contacts_of(a_switch(True), "mw") == ("pin", "switch")
    assert contacts_of(chain(3), "mw AM") == ()


def test_a_wetting_current_keeps_within_contact_wire_and_resistor() -> None:
    plan = wetting(
        volts=12.0,
        resistor_ohm=47.0,
        path_ohm=4.0,
        burden_ohm=1.0,
        resistor_w=5.0,
        contact_a=1.0,
    )
    assert plan.current_a == pytest.approx(12.0 / 52.0)
    # the heat at a good contact, which is the most there can be
    assert plan.resistor_w == pytest.approx((12.0 / 48.0) ** 2 * 47.0)
    assert plan.limit_a == 0.5
    given = {"path_ohm": 4.0, "burden_ohm": 1.0, "contact_a": 1.0, "volts": 12.0}
    with pytest.raises(BadInput, match="A"):
        wetting(resistor_ohm=15.0, resistor_w=20.0, **given)
    with pytest.raises(BadInput, match="W"):
        wetting(resistor_ohm=47.0, resistor_w=1.0, **given)


def test_equal_currents_prove_little_and_the_path_is_worked_out() -> None:
    """47 ohm ahead of 4: half an ohm more in the contact is 1 % of current, 12 % of the path."""
    good, bad = 12.0 / (47.0 + 1.0 + 4.0), 12.0 / (47.0 + 1.0 + 4.5)
    assert abs(bad / good - 1.0) < 0.01
    ohm = [path_ohm(12.0, i, 47.0, 1.0) for i in (good, bad)]
    assert ohm == pytest.approx([4.0, 4.5])
    with pytest.raises(BadInput, match="open"):
        path_ohm(12.0, 0.0, 47.0, 1.0)
