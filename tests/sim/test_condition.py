"""The condition document: read, kept, refused with place and reason."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import slipway_facts, tidewater_facts
from glowdial.core.language.errors import BadInput
from glowdial.sim.condition import (
    CapacitorFault,
    Condition,
    DeviceFault,
    FilterFault,
    RectifierFault,
    condition_schema,
    neglected,
    read_condition,
)

FACTS = tidewater_facts()


def test_a_condition_survives_being_written_down() -> None:
    sick = replace(
        neglected(FACTS, 5),
        faults=(
            DeviceFault("V2", 0.4),
            CapacitorFault("V4", "coupling", 2e6),
            FilterFault(0, leak_ohm=20e3, reforms_in_s=300.0),
            RectifierFault(half_dead=True),
        ),
    )
    text = json.dumps(sick.as_document())
    assert read_condition(text, FACTS) == sick


def test_a_seed_alone_is_a_condition() -> None:
    assert read_condition('{"seed": 3}', FACTS) == Condition(3)


@settings(max_examples=30)
@given(st.integers(0, 2**31))
def test_the_same_seed_is_the_same_set(seed: int) -> None:
    assert neglected(FACTS, seed) == neglected(FACTS, seed)
    assert neglected(FACTS, seed) != neglected(FACTS, seed + 1)


@pytest.mark.parametrize(
    ("document", "place", "words"),
    [
        ({}, "seed", "required"),
        ({"seed": -1}, "seed", "greater than or equal to 0"),
        ({"seed": 1, "colour": "red"}, "colour", "nexpected"),
        ({"seed": 1, "turns": {"t9-primary": 1}}, "turns.t9-primary", "is no adjuster"),
        ({"seed": 1, "turns": {"t1-primary": 900}}, "turns.t1-primary", "less than or equal"),
        ({"seed": 1, "emission": "tired"}, "emission", "number"),
        ({"seed": 1, "filters": 0}, "filters", "greater than 0"),
        ({"seed": 1, "format": "other"}, "format", "glowdial-condition"),
        ({"seed": 1, "format_version": 2}, "format_version", "1"),
        ({"seed": 1, "faults": [{"kind": "gremlin"}]}, "faults.0", "gremlin"),
        (
            {"seed": 1, "faults": [{"kind": "device", "stage": "V9", "strength": 0}]},
            "faults.0.stage",
            "is no stage",
        ),
        (
            {"seed": 1, "faults": [{"kind": "capacitor", "stage": "V3", "part": "screen bypass"}]},
            "faults.0.part",
            "no screen",
        ),
        (
            {"seed": 1, "faults": [{"kind": "filter", "place": 4}]},
            "faults.0.place",
            "beyond the 2 filter nodes",
        ),
        (
            {"seed": 1, "faults": [{"kind": "switch", "band": "fm", "contact_ohm": 5}]},
            "faults.0.band",
            "is no band",
        ),
        (
            {"seed": 1, "faults": [{"kind": "heater", "tube": "V12"}]},
            "faults.0.tube",
            "is no heater",
        ),
        (
            {"seed": 1, "faults": [{"kind": "filter", "place": 0, "leak_ohm": -5}]},
            "faults.0.filter.leak_ohm",
            "greater than 0",
        ),
    ],
)
def test_what_makes_no_sense_is_refused(document: Any, place: str, words: str) -> None:
    with pytest.raises(BadInput) as refused:
        read_condition(json.dumps(document), FACTS)
    assert place in refused.value.field
    assert words in str(refused.value)


@pytest.mark.parametrize("text", ["", "{", "[1", '{"seed": 1,}', "x" * 300_000])
def test_broken_files_are_told_where(text: str) -> None:
    with pytest.raises(BadInput, match=r"is not JSON|over 200,000"):
        read_condition(text, FACTS)


@settings(max_examples=60)
@given(
    st.recursive(
        st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner),
        max_leaves=8,
    )
)
def test_any_other_json_is_refused_in_words(document: Any) -> None:
    with pytest.raises(BadInput):
        read_condition(json.dumps(document), FACTS)


def test_a_half_wave_set_has_no_half_to_lose() -> None:
    assert slipway_facts().supply is not None
    half = replace(slipway_facts(), supply=None)
    with pytest.raises(BadInput, match="wants a full-wave rectifier"):
        read_condition('{"seed": 1, "faults": [{"kind": "rectifier", "half_dead": true}]}', half)


def test_the_schema_names_every_fault() -> None:
    text = json.dumps(condition_schema())
    for kind in ("device", "capacitor", "resistor", "filter", "switch", "rectifier", "heater"):
        assert f'"const": "{kind}"' in text
