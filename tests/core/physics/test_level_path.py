"""What stands between generator and set: losses and doubts, against nodal solutions and draws."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.aerials import least_loss_db
from glowdial.core.physics.level_path import (
    LeadKind,
    LevelPath,
    PathPart,
    StatedAt,
    mismatch_part,
    of_another_source_v,
    resistor_part,
    together,
)
from glowdial.core.physics.pads import Arm, BuiltPad, PadShape, design_pad
from glowdial.core.physics.preferred_values import Series
from ladder_nodes import solved


def test_losses_add_and_doubts_add_as_their_squares() -> None:
    path = LevelPath((PathPart("cable", 0.4, 0.3), PathPart("pad", 20.0, 0.4), PathPart("amp", -6)))
    assert path.loss_db == pytest.approx(14.4) and path.doubt_db == pytest.approx(0.5)
    assert path.at_the_end_v(1e-3) == pytest.approx(1e-3 * 10 ** (-14.4 / 20))
    assert path.at_the_generator_v(path.at_the_end_v(3e-6)) == pytest.approx(3e-6)
    assert together([]) is None


@pytest.mark.parametrize(("source_db", "load_db"), [(20.0, 6.0), (14.0, 14.0), (30.0, 3.0)])
def test_mismatch_is_the_spread_of_every_phase(source_db: float, load_db: float) -> None:
    """A line between a source and a load that both reflect, by the waves that go to and fro."""
    rng = np.random.default_rng(1)
    size = 10 ** (-(source_db + load_db) / 20)
    phases = rng.uniform(0.0, 2.0 * np.pi, 20_000)
    level_db = -20.0 * np.log10(np.abs(1.0 - size * np.exp(1j * phases)))
    part = mismatch_part(source_db, load_db)
    assert part.loss_db == 0.0
    # the half of the whole spread holds nineteen of twenty, and hardly more is needed
    assert np.mean(np.abs(level_db) <= part.doubt_db * 1.05) >= 0.95
    assert part.doubt_db <= float(np.max(np.abs(level_db))) + 0.01


@pytest.mark.parametrize("wrong", [(0.0, 10.0), (10.0, -1.0), (200.0, 10.0)])
def test_a_return_loss_that_is_none_is_refused(wrong: tuple[float, float]) -> None:
    with pytest.raises(BadInput):
        mismatch_part(*wrong)


def test_a_mismatch_that_hardly_reflects_leaves_hardly_a_doubt() -> None:
    assert mismatch_part(60.0, 60.0).doubt_db < 1e-4
    assert mismatch_part(6.0, 6.0).doubt_db == pytest.approx(
        10.0 * math.log10((1 + 0.2512) / (1 - 0.2512)), abs=1e-3
    )


OPEN_OHM, SHORT_OHM = 1e9, 1e-6


@settings(max_examples=100, deadline=None)
@given(
    st.sampled_from([PadShape.T, PadShape.PI]),
    st.floats(10.0, 40.0),
    st.floats(20.0, 600.0),
    st.floats(20.0, 600.0),
)
def test_resistors_leave_the_open_volts_and_the_source_that_the_nodes_have(
    shape: PadShape, loss_db: float, source: float, load: float
) -> None:
    """By Thevenin: open-circuit volts, and those over what runs into a short."""
    if loss_db < least_loss_db(source, load) + 0.1:
        return
    pad = design_pad(shape, loss_db, source, load).in_values(Series.E12)
    part = resistor_part("pad", pad, 0.0)
    open_v, _ = solved(replace(pad, load_ohm=OPEN_OHM), 1.0)
    short_a = solved(replace(pad, load_ohm=SHORT_OHM), 1.0)[0] / SHORT_OHM
    assert part.emf_loss_db == pytest.approx(-20.0 * math.log10(open_v), abs=1e-4)
    assert part.to_ohm == pytest.approx(open_v / short_a, rel=1e-4)
    # and the power that is available behind it, under that which was before it
    available = open_v * short_a / 4.0 / (1.0 / (4.0 * source))
    assert part.loss_db == pytest.approx(-10.0 * math.log10(available), abs=1e-3)
    assert part.doubt_db == 0.0 and part.kind is LeadKind.PAD


def test_the_tolerance_of_resistors_is_a_doubt_that_draws_bear_out() -> None:
    rng = np.random.default_rng(5)
    arms = (Arm(True, 26.0), Arm(False, 35.0), Arm(True, 26.0))
    pad = BuiltPad(arms, 50.0, 50.0)
    part = resistor_part("pad", pad, 0.05)
    off = []
    for _ in range(2000):
        drawn = tuple(
            replace(a, ohm=a.ohm * (1.0 + 0.05 * rng.standard_normal() / 1.96)) for a in arms
        )
        off.append(resistor_part("", replace(pad, arms=drawn), 0.0).emf_loss_db - part.emf_loss_db)
    within = float(np.mean(np.abs(off) <= part.doubt_db))
    assert 0.93 <= within <= 0.97
    with pytest.raises(BadInput, match="tolerance"):
        resistor_part("pad", pad, 0.7)


BALUN = PathPart("balun", 1.0, 0.8, LeadKind.MATCHING, 75.0, 300.0)
CABLE = PathPart("cable", 0.5, 0.1, LeadKind.CABLE)
LINE = mismatch_part(14.0, 14.0)


def test_the_two_schools_state_the_same_signal_of_different_sources() -> None:
    """A set that needs so much power needs it by either school; matched, its loss is taken off."""
    known = together([CABLE, BALUN, LINE], stated=StatedAt.KNOWN)
    matched = together([CABLE, BALUN, LINE], stated=StatedAt.SET)
    assert known is not None and matched is not None
    assert (known.stated_ohm, matched.stated_ohm) == (75.0, 300.0)
    assert known.beyond == (BALUN,) and matched.beyond == ()
    assert known.doubt_db == pytest.approx(math.hypot(0.1, LINE.doubt_db))
    assert matched.doubt_db == pytest.approx(math.hypot(0.1, 0.8, LINE.doubt_db))
    powers = [p.at_the_end_v(1e-3) ** 2 / (4.0 * p.stated_ohm) for p in (known, matched)]
    assert 10.0 * math.log10(powers[0] / powers[1]) == pytest.approx(BALUN.loss_db)
    # without loss, 75 to 300 ohm doubles the open-circuit volts
    lossless = together([PathPart("balun", 0.0, 0.0, LeadKind.MATCHING, 75.0, 300.0)])
    assert lossless is not None and lossless.at_the_end_v(1.0) == pytest.approx(2.0)


def test_what_nobody_knows_is_beyond_by_one_school_and_a_doubt_by_the_other() -> None:
    unknown = PathPart("transformer", 1.0, 1.0, LeadKind.MATCHING, known=False)
    known = together([CABLE, unknown], stated=StatedAt.KNOWN)
    assert known is not None and known.parts == (CABLE,) and known.stated_ohm == 0.0
    counted = together([CABLE, unknown], stated=StatedAt.SET)
    assert counted is not None and counted.doubt_db > 1.0


def test_parts_that_do_not_join_are_refused() -> None:
    pad = PathPart("pad", 20.0, 0.1, LeadKind.PAD, 50.0, 50.0)
    with pytest.raises(BadInput, match="300 ohm"):
        together([BALUN, pad])
    # 50 and 52 ohm are the same to a bench
    nearly = PathPart("cable", 1.0, 0.0, LeadKind.CABLE, 52.0, 52.0)
    path = together([pad, nearly])
    assert path is not None and path.beyond == ()
    joined = together([pad, nearly], stated=StatedAt.KNOWN)
    assert joined is not None and joined.parts == (pad, nearly)


def test_a_limit_of_one_source_is_the_same_power_of_another() -> None:
    other = of_another_source_v(3e-6, 300.0, 75.0)
    assert other**2 / (4.0 * 75.0) == pytest.approx((3e-6) ** 2 / (4.0 * 300.0))
    assert of_another_source_v(3e-6, 0.0, 75.0) == of_another_source_v(3e-6, 300.0, 0.0) == 3e-6
