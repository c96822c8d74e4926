"""Profiles that people write: what is right, and where and why one is not."""

from __future__ import annotations

import pytest

from glowdial.bench.profile import CALLS, read_profile, shipped_profile
from glowdial.core.language.errors import BadInput, NotFound

METER = "kind = multimeter\ndc_volts = DC?\nac_volts = AC?\nresistance = OHM?\n"


@pytest.mark.parametrize("name", ["generator", "multimeter", "line-supply", "oscilloscope"])
def test_shipped_profiles_have_words_for_every_call(name: str) -> None:
    profile = shipped_profile(name)
    assert set(CALLS[profile.kind]) <= set(profile.words)


def test_a_value_goes_into_its_place() -> None:
    generator = shipped_profile("generator")
    assert generator.command("frequency", 465e3) == "FREQ 465000"
    assert generator.command("level", 2.5e-5) == "VOLT 2.5e-05"
    assert generator.command("output_off") == "OUTP OFF"
    with pytest.raises(NotFound, match="dc_volts"):
        generator.command("dc_volts")


def test_remarks_and_patience_are_read() -> None:
    profile = read_profile(f"# mine\n\n{METER}timeout_s = 0.5\n", "mine")
    assert profile.timeout_s == 0.5 and profile.words["dc_volts"] == "DC?"


@pytest.mark.parametrize(
    ("text", "place", "why"),
    [
        ("dc_volts = DC?", "mine", "is missing"),
        ("kind = toaster", "mine, kind", "must be one of"),
        (METER + "colour = RED", "mine, line 5", "is not a call of a multimeter"),
        (METER + "dc_volts = DC2?", "mine, line 5", "repeats"),
        (METER + "nonsense", "mine, line 5", "call = words"),
        ("kind = multimeter\ndc_volts = DC? {value}", "mine, line 2", "takes no value"),
        ("kind = generator\nfrequency = FREQ", "mine, line 2", "must hold {value} once"),
        ("kind = generator\nfrequency = FREQ {hz}", "mine, line 2", "must hold {value} once"),
        ("kind = generator\nfrequency = FREQ {", "mine, line 2", "must hold {value} once"),
        ("kind = multimeter\ndc_volts = DC?", "mine", "has no words"),
        (METER + "timeout_s = soon", "mine, line 5", "0.05 to 60 seconds"),
        (METER + "# " + "x" * 20_000, "mine", "over 20,000"),
    ],
)
def test_a_bad_profile_is_refused_with_place_and_reason(text: str, place: str, why: str) -> None:
    with pytest.raises(BadInput) as refusal:
        read_profile(text, "mine")
    assert refusal.value.field == place and why in refusal.value.expected
    assert refusal.value.example


@pytest.mark.parametrize("name", ["nothing", "../../secret", ""])
def test_no_name_leads_out_of_the_shipped_ones(name: str) -> None:
    with pytest.raises(NotFound):
        shipped_profile(name)
