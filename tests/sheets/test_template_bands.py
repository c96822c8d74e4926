"""Bands of the template that are not the commonest: FM, more circuits, other aerials."""

from __future__ import annotations

from typing import Any

import pytest
from pydantic import ValidationError

from builders import a_record
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.plan.journey import journey
from glowdial.core.stages.tracking.ghosts import ghosts
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form

MEDIUM = {"name": "Medium wave", "low": "540", "high": "1600"}
VHF = {"name": "VHF", "low": "87.5 MHz", "high": "108 MHz"}
SHORT = {"name": "Short wave", "low": "14 MHz", "high": "15 MHz"}


def made(**form: Any) -> ReceiverFacts:
    whole = {"maker": "Orlwick", "model": "Kelp Three", "intermediate_frequency": "455", **form}
    return receiver_facts(sheet_from_template(read_form(TemplateForm.model_validate(whole))))


def test_fm_beside_am_has_its_own_if_and_one_core_moves_its_scale() -> None:
    facts = made(bands=[MEDIUM, VHF])
    medium, vhf = facts.bands
    assert (medium.tracked.intermediate_frequency_hz, medium.mode) == (455e3, "")
    assert (vhf.tracked.intermediate_frequency_hz, vhf.mode) == (10.7e6, "FM")
    assert vhf.low_adjuster is None and vhf.tolerance == 0.002
    assert facts.adjuster(vhf.high_adjuster).kind is AdjusterKind.CORE
    keys = [s.key for s in journey(facts, a_record()).steps]
    assert "fm.if.survey" in keys and "osc.band2.survey" in keys
    # the front end of the FM is seen through its own detector, the AM's is not
    assert facts.seen_by(vhf).circuit.fm is not None and facts.seen_by(medium).circuit.fm is None


@pytest.mark.parametrize("intermediate", ["", "10.7 MHz"])
def test_a_set_with_nothing_but_fm_needs_no_other_if(intermediate: str) -> None:
    facts = made(intermediate_frequency=intermediate, bands=[{**VHF, "low_end": "core"}])
    (vhf,) = facts.bands
    assert facts.intermediate_frequency_hz == 10.7e6 and vhf.mode == ""
    assert facts.adjuster(vhf.high_adjuster).kind is AdjusterKind.TRIMMER
    assert vhf.low_adjuster is not None and facts.circuit.fm is not None


def test_an_am_set_without_an_if_is_refused() -> None:
    with pytest.raises(BadInput, match="IF"):
        made(intermediate_frequency="", bands=[MEDIUM])


@pytest.mark.parametrize(
    ("circuits", "count"), [("aerial circuit", 1), ("aerial and RF", 2), ("aerial and two RF", 3)]
)
def test_one_to_three_circuits_before_the_mixer_are_peaked(circuits: str, count: int) -> None:
    (band,) = made(bands=[{**MEDIUM, "before_mixer": circuits}]).bands
    assert len(band.signal_adjusters) == count and band.signal_adjusters[-1] == band.aerial_adjuster


@pytest.mark.parametrize(
    ("kind", "to"),
    [
        ("wire", "aerial socket"),
        ("loop", "the set's own loop, in place"),
        ("rod", "foot of the rod"),
        ("built-in dipole", "aerial terminals, the dipole off"),
    ],
)
def test_the_signal_goes_where_the_set_listens(kind: str, to: str) -> None:
    facts = made(listens_with=kind, bands=[MEDIUM])
    step = next(s for s in journey(facts, a_record()).steps if s.key == "osc.band1.survey")
    assert step.leads[0].to == to


def test_ten_bands_are_entered_and_an_eleventh_is_not() -> None:
    bands = [
        {"name": f"Band {n}", "low": f"{n} MHz", "high": f"{1.8 * n} MHz"} for n in range(1, 11)
    ]
    assert len(made(bands=bands).bands) == 10
    with pytest.raises(ValueError, match="bands"):
        made(bands=[*bands, MEDIUM])


def test_a_set_that_converts_twice_is_entered_by_its_first_if() -> None:
    facts = made(bands=[{**SHORT, "low": "6 MHz", "high": "16 MHz"}], first_intermediate="1850")
    (band,) = facts.bands
    assert band.tracked.offset_hz == band.tracked.image_offset_hz == 1850e3
    conversion = facts.circuit.conversion
    assert conversion is not None
    assert conversion.second_oscillator_hz - conversion.first_intermediate_hz == 455e3


def test_a_fixed_oscillator_ahead_of_the_tunable_one_shifts_the_whole_band() -> None:
    facts = made(bands=[{**SHORT, "first_oscillator": "9 MHz"}])
    (band,) = facts.bands
    tracked = band.tracked
    # the tunable oscillator of 14.2 MHz: 5.2 behind the crystal, and the IF above that
    gang = tracked.oscillator.gang_capacity_f(5.2e6 + 455e3)
    assert tracked.tuned_hz(gang) == pytest.approx(14.2e6, abs=1.0)
    assert tracked.offset_hz == pytest.approx(455e3 - 9e6)
    for hz in (band.low_mark_hz, band.high_mark_hz):
        assert abs(float(tracked.error_hz(hz))) < 1.0
    # its image is that of the second conversion, and the crystal has one of its own
    found = [g.frequency_hz for g in ghosts(tracked, 14.2e6)]
    assert found[0] == pytest.approx(14.2e6 + 2 * 455e3)
    assert pytest.approx(2 * 9e6 - 14.2e6) in found
    assert facts.adjuster(band.low_adjuster or "").kind is AdjusterKind.CORE


@pytest.mark.parametrize(
    ("crystal", "refusal", "words"),
    [
        ("15 MHz", BadInput, "turns the scale round"),
        ("13.8 MHz", ValidationError, "not above the IF"),
    ],
)
def test_a_fixed_oscillator_that_cannot_be_is_refused(
    crystal: str, refusal: type[Exception], words: str
) -> None:
    with pytest.raises(refusal, match=words):
        made(bands=[{**SHORT, "first_oscillator": crystal}])
