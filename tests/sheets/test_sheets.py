"""Sheets as documents: the template, the facts drawn from them, and the gaps that they name."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from builders import FIVE_TUBE_FORM, tidewater_facts
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.circuit import RectifierKind
from glowdial.demo.fill import tidewater_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.sheets.template import sheet_from_template
from glowdial.sheets.template_form import TemplateForm, read_form
from glowdial.workshop.base.sheets import check_sheet


def made(**changes: Any) -> tuple[ReceiverSheet, ReceiverFacts]:
    form = TemplateForm.model_validate(FIVE_TUBE_FORM | changes)
    sheet = sheet_from_template(read_form(form))
    return sheet, receiver_facts(sheet)


BARE = {"mains": "", "secondary": "", "b_plus": "", "b_plus_current": ""}


def test_bands_and_if_alone_name_everything_that_is_missing() -> None:
    _, facts = made(**BARE)
    missing = " ".join(g.what for g in facts.gaps)
    for what in (
        "supply",
        "B+ to chassis",
        "gang",
        "dial tolerance",
        "turn changes",
        "sensitivity",
    ):
        assert what in missing
    assert all(p.limit_v is None for p in facts.sensitivity) and len(facts.sensitivity) == 3


def test_what_the_service_data_gives_is_taken() -> None:
    sheet, facts = made(
        b_plus_resistance="47k",
        sensitivity="25",
        rectifier="gas-filled",
        reservoir="8",
        filter_resistance="1k5",
        bands=[
            {"name": "Broadcast", "low": "540", "high": "1600", "low_mark": "600"},
            {"name": "Short wave", "low": "5.9 MHz", "high": "18 MHz", "padder": False},
        ],
    )
    assert facts.supply is not None and facts.supply.rectifier.kind is RectifierKind.GAS
    assert facts.supply.reservoir_f == pytest.approx(8e-6)
    assert facts.supply.sections[0].resistance_ohm == 1500.0
    assert facts.b_plus_resistance_ohm == 47e3
    assert [p.limit_v for p in facts.sensitivity] == pytest.approx([25e-6] * 3)
    assert facts.bands[0].low_mark_hz == 600e3
    assert facts.bands[1].low_adjuster is None and facts.bands[1].high_hz == 18e6
    assert len(sheet.adjusters) == 4 + 3 + 2


@settings(max_examples=40, deadline=None)
@given(st.integers(500, 600), st.integers(1450, 1720), st.integers(440, 475))
def test_marks_of_any_broadcast_band_are_round_rising_and_inside(
    low: int, high: int, intermediate: int
) -> None:
    bands = [{"name": "b", "low": str(low), "high": str(high)}]
    _, facts = made(bands=bands, intermediate_frequency=str(intermediate))
    marks = np.array(facts.bands[0].dial_marks_hz)
    assert marks.size == 5 and np.all(np.diff(marks) > 0)
    assert np.all(marks % 10e3 == 0) and low * 1e3 <= marks[0] and marks[-1] <= high * 1e3
    error = facts.bands[0].tracked.error_hz(marks)
    assert np.abs(error).max() < 12e3  # the design tracks within some kHz


def test_a_sheet_survives_its_own_json() -> None:
    sheet = ReceiverSheet.model_validate_json(tidewater_sheet())
    again = ReceiverSheet.model_validate_json(sheet.model_dump_json())
    assert again == sheet and receiver_facts(again) == tidewater_facts()


def test_the_published_schema_knows_every_key_of_the_demo_sheet() -> None:
    schema = ReceiverSheet.model_json_schema()
    document = json.loads(tidewater_sheet())
    assert set(document) <= set(schema["properties"])
    assert set(schema["required"]) <= set(document)
    assert schema["additionalProperties"] is False


def test_facts_answer_only_for_what_they_have() -> None:
    facts = tidewater_facts()
    assert facts.adjuster("bc-padder").change_per_turn == pytest.approx(45 / 455.5, rel=0.01)
    for ask in (lambda: facts.adjuster("t9"), lambda: facts.band("fm")):
        with pytest.raises(NotFound):
            ask()


DOCUMENT = json.loads(tidewater_sheet())
PATHS = [
    ("intermediate_frequency_hz",),
    ("chassis",),
    ("supply", "secondary_v"),
    ("supply", "topology"),
    ("supply", "rectifier", "kind"),
    ("supply", "filters"),
    ("bands", 0, "low_hz"),
    ("bands", 1, "high_mark_hz"),
    ("bands", 0, "dial_marks_hz"),
    ("bands", 0, "tracking_points_hz"),
    ("adjusters", 0, "key"),
    ("if_transformers", 0, "primary"),
    ("gang",),
    ("gang", "maximum_f"),
    ("sensitivity", 0, "band"),
    ("line_up", 0, "heater_v"),
]
JUNK = st.one_of(
    st.none(),
    st.booleans(),
    st.floats(allow_nan=False),
    st.integers(-(10**12), 10**12),
    st.text(max_size=12),
    st.lists(st.floats(allow_nan=False, width=32), max_size=4),
    st.dictionaries(st.text(max_size=4), st.integers(), max_size=2),
)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from(PATHS), JUNK)
def test_whatever_stands_in_a_sheet_it_is_kept_or_refused_in_words(
    path: tuple[str | int, ...], value: object
) -> None:
    document = json.loads(json.dumps(DOCUMENT))
    place = document
    for part in path[:-1]:
        place = place[part]
    place[path[-1]] = value
    try:
        check_sheet(document)
    except BadInput as refusal:
        assert refusal.field and refusal.expected and refusal.example
