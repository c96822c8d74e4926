"""Levels in every unit, against the definitions by volts and watts."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import LevelUnit, SourceLevel, source_level
from glowdial.core.sums.book import sum_of


@given(st.floats(1e-8, 10.0), st.floats(1.0, 2000.0), st.sampled_from(list(LevelUnit)))
def test_every_unit_leads_back_to_the_same_level(emf_v: float, ohm: float, unit: LevelUnit) -> None:
    level = SourceLevel(emf_v, ohm)
    again = source_level(level.told_in(unit), unit, ohm)
    assert again.emf_v == pytest.approx(emf_v, rel=1e-9)


@pytest.mark.parametrize("ohm", [50.0, 75.0, 300.0, 600.0])
def test_the_units_are_what_they_say(ohm: float) -> None:
    # a milliwatt into the impedance: sqrt(P R) across it
    level = source_level(0.0, LevelUnit.DBM, ohm)
    across = math.sqrt(1e-3 * ohm)
    assert level.told_in(LevelUnit.UV_PD) == pytest.approx(across * 1e6)
    assert level.told_in(LevelUnit.UV_EMF) == pytest.approx(2.0 * across * 1e6)
    assert level.told_in(LevelUnit.WATTS) == pytest.approx(1e-3)
    gap = level.told_in(LevelUnit.DBUV_EMF) - level.told_in(LevelUnit.DBUV_PD)
    assert gap == pytest.approx(20.0 * math.log10(2.0))
    # dBuV and dBm stand a fixed number apart at an impedance: 107 at 50 ohm
    if ohm == 50.0:
        assert level.told_in(LevelUnit.DBUV_PD) == pytest.approx(106.99, abs=0.01)


def test_what_is_no_level_is_refused() -> None:
    with pytest.raises(BadInput):
        source_level(0.0, LevelUnit.UV_EMF, 50.0)
    with pytest.raises(BadInput):
        source_level(-3.0, LevelUnit.WATTS, 50.0)
    with pytest.raises(BadInput):
        source_level(0.0, LevelUnit.DBM, 0.0)
    for unit in (LevelUnit.DBM, LevelUnit.DBUV_PD, LevelUnit.DBUV_EMF):
        with pytest.raises(BadInput, match="200 dB"):
            source_level(1e9, unit, 50.0)


def test_the_sum_says_it_in_words() -> None:
    form = sum_of("levels")
    assert (
        "2.000 mV EMF" in form.answer({**form.examples, "level": "1000", "unit": "uV PD"}).sentence
    )
