"""Values as people write them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    BY_NAME,
    RESISTANCE,
    TURNS,
    echo,
    engineering,
    khz,
    parse,
    split_values,
    turn_entry,
    turns,
)

TABLE = json.loads((Path(__file__).parent / "quantities.json").read_text("utf-8"))


@pytest.mark.parametrize(("text", "name", "value"), TABLE["understood"])
def test_is_understood(text: str, name: str, value: float) -> None:
    quantity = BY_NAME[name]
    assert parse(text, quantity, "field") == pytest.approx(value, rel=1e-4)
    assert echo(value, quantity)


@pytest.mark.parametrize(("text", "name", "why"), TABLE["refused"])
def test_is_refused_with_field_reason_and_example(text: str, name: str, why: str) -> None:
    quantity = BY_NAME[name]
    with pytest.raises(BadInput) as refusal:
        parse(text, quantity, "the field")
    assert refusal.value.field == "the field"
    assert why in str(refusal.value) and "Example: " in str(refusal.value)
    parse(refusal.value.example, quantity, "the example itself is right")


@given(st.floats(1e-11, 1e8))
def test_what_is_echoed_is_understood_again(value: float) -> None:
    assert parse(engineering(value, "ohm", 6), RESISTANCE, "r") == pytest.approx(value, rel=1e-4)


@given(st.integers(1, 400), st.sampled_from([-1.0, 1.0]))
def test_turns_in_words_keep_the_sixteenth(sixteenths: int, way: float) -> None:
    words = turns(way * sixteenths / 16)
    assert parse(turn_entry(way * sixteenths / 16), TURNS, "t") == way * sixteenths / 16
    amount, _, direction = words.partition(" turn")
    assert parse(amount, TURNS, "t") == sixteenths / 16
    assert direction.endswith("counter-clockwise") == (way < 0)


@pytest.mark.parametrize(
    ("line", "count", "parts"),
    [
        ("35 12.5", 2, ["35", "12.5"]),
        ("  35   12.5 ", 2, ["35", "12.5"]),
        ("25 uV 0.92 0.29", 3, ["25 uV", "0.92", "0.29"]),
        ("-1.9 -2.6 1 1/4", 3, ["-1.9", "-2.6", "1 1/4"]),
        ("-1.9 -2.6 3/8", 3, ["-1.9", "-2.6", "3/8"]),
        ("1 1/4 612", 2, ["1 1/4", "612"]),
        ("6.2 MHz", 1, ["6.2 MHz"]),
        ("230; 221", 2, ["230", "221"]),
    ],
)
def test_a_line_is_split_into_its_values(line: str, count: int, parts: list[str]) -> None:
    assert split_values(line, count, "line", "35 12.5") == parts


def test_a_line_with_too_few_values_says_how_many() -> None:
    with pytest.raises(BadInput, match=r"holds 1; 2 values with a space between are wanted"):
        split_values("35", 2, "line, B+", "35 12.5")


def test_frequencies_are_written_in_their_dials_unit() -> None:
    assert [khz(f) for f in (612.5e3, 1.4e6, 6.5e6, 6.5012e6)] == [
        "612.5 kHz",
        "1400 kHz",
        "6.5 MHz",
        "6.5012 MHz",
    ]
