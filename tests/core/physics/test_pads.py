"""Pads against a nodal solution that shares nothing with their chain matrices."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.physics.aerials import least_loss_db
from glowdial.core.physics.pads import BuiltPad, PadShape, design_pad, stacked
from glowdial.core.physics.preferred_values import Series
from ladder_nodes import solved

OHMS = st.floats(5.0, 2000.0)


def transducer_db(pad: BuiltPad) -> float:
    volts, _ = solved(pad, 1.0)
    return 10.0 * math.log10(1.0 / (4.0 * pad.source_ohm) / (volts**2 / pad.load_ohm))


@settings(max_examples=150, deadline=None)
@given(st.sampled_from([PadShape.T, PadShape.PI]), st.floats(0.2, 60.0), OHMS, OHMS, st.booleans())
def test_a_designed_pad_matches_both_sides_at_its_loss(
    shape: PadShape, more_db: float, source: float, load: float, balanced: bool
) -> None:
    loss = least_loss_db(source, load) + more_db
    pad = design_pad(shape, loss, source, load, balanced=balanced)
    assert transducer_db(pad) == pytest.approx(loss, abs=0.01)
    assert pad.loss_db() == pytest.approx(loss, abs=0.01)
    assert min(pad.return_loss_db()) > 45.0


@settings(max_examples=100, deadline=None)
@given(st.sampled_from(list(PadShape)), st.floats(1.0, 40.0), OHMS, OHMS, st.booleans())
def test_of_preferred_values_its_figures_are_the_nodes(
    shape: PadShape, more_db: float, source: float, load: float, balanced: bool
) -> None:
    if math.isclose(source, load, rel_tol=0.02):
        load *= 1.1
    loss = least_loss_db(source, load) + more_db
    pad = design_pad(shape, loss, source, load, balanced=balanced).in_values(Series.E12)
    assert pad.loss_db() == pytest.approx(transducer_db(pad), abs=1e-6)
    volts, watts = solved(pad, 3.0)
    assert pad.dissipated_w(3.0) == pytest.approx(watts, rel=1e-6, abs=1e-15)
    # whatever is not delivered, reflected aside, is dissipated
    into = solved(pad, 3.0)[0] ** 2 / load + sum(watts)
    current = 3.0 / (source + pad.seen_ohm())
    assert into == pytest.approx(current**2 * pad.seen_ohm(), rel=1e-6)
    named = 20.0 * math.log10(1.5 / volts)
    assert pad.volts_db() == pytest.approx(named, abs=1e-6)


def test_an_l_of_75_to_300_ohm_is_what_handbooks_print() -> None:
    pad = design_pad(PadShape.LEAST_LOSS, 0.0, 300.0, 75.0)
    assert [round(a.ohm, 1) for a in pad.arms] == [259.8, 86.6]
    assert pad.loss_db() == pytest.approx(11.44, abs=0.01)
    # 6 dB apart in volts and in power
    assert pad.volts_db() - pad.loss_db() == pytest.approx(6.02, abs=0.01)


def test_pads_in_a_row_are_one_and_lose_the_sum_where_they_match() -> None:
    ten, twenty = (design_pad(PadShape.T, db, 50.0, 50.0) for db in (10.0, 20.0))
    row = stacked([ten, twenty, ten])
    assert row.loss_db() == pytest.approx(40.0, abs=1e-6)
    built = stacked([p.in_values(Series.E6) for p in (ten, twenty)])
    assert built.loss_db() == pytest.approx(transducer_db(built), abs=1e-9)


def test_what_cannot_be_is_refused() -> None:
    with pytest.raises(BadInput, match="at least"):
        design_pad(PadShape.T, 3.0, 50.0, 600.0)
    with pytest.raises(BadInput, match="no matching"):
        design_pad(PadShape.LEAST_LOSS, 0.0, 50.0, 50.0)
    with pytest.raises(BadInput, match="at least one"):
        stacked([])
