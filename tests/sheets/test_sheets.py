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
from glowdial.core.physics.operating_point import operating_point
from glowdial.core.physics.supply.circuit import RectifierKind, Waveform
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.safety.cautions import Trait, traits_of
from glowdial.demo.fill import demo_sheet, tidewater_sheet
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
            {"name": "Short wave", "low": "5.9 MHz", "high": "18 MHz", "low_end": "nothing"},
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


STRING = """V1 12X8 converter 12.6 V 150 mA
V2 12X3 IF amplifier 12,6 V 0.15 A; V4 50X5 output 50V 0.15A
V5 35X4 half-wave rectifier 35 V .15 A"""


def test_a_line_up_is_read_as_it_is_written() -> None:
    _, facts = made(line_up=STRING, heating="in a string", chassis="transformerless")
    assert [t.position for t in facts.tubes] == ["V1", "V2", "V4", "V5"]
    assert facts.tubes[3].function == "half-wave rectifier"
    heaters = facts.circuit.heaters
    assert heaters.in_series and [h.volts for h in heaters.heaters] == [12.6, 12.6, 50.0, 35.0]
    assert {h.amperes for h in heaters.heaters} == {0.15}
    assert [h.tube for h in heaters.heaters if h.rectifier] == ["V5"]
    # the line is 117 V: what the heaters leave of it stands across the ballast
    assert heaters.dropper_ohm == pytest.approx((117.0 - 110.2) / 0.15)
    assert Trait.SERIES_STRING in traits_of(facts)
    given = made(line_up=STRING, heating="in a string", dropper="160")[1]
    assert given.circuit.heaters.dropper_ohm == 160.0


def test_loads_hang_where_their_lines_say() -> None:
    """Two tubes at the first filter, one at the last: the same as their sum by itself."""
    lines = """V1 12X8 mixer 12.6 V 0.15 A 4 mA from last
V4 50X5 output 50 V 0.15 A, 30 mA from the first filter
V5 50X5 output 50 V 0.15 A 10mA from first"""
    fed = made(line_up=lines)[1]
    assert fed.supply == made(tap_current="40")[1].supply
    assert fed.supply is not None
    assert fed.supply.load.current_a == pytest.approx(0.015)
    assert fed.supply.tap_shares == pytest.approx((40.0 / 15.0,))
    # the heater's current is not taken for it, nor the other way round
    assert {h.amperes for h in fed.circuit.heaters.heaters} == {0.15}
    assert [t.function for t in fed.tubes] == ["mixer", "output", "output"]
    # a sum that is given counts
    assert made(line_up=lines, tap_current="20")[1].supply == made(tap_current="20")[1].supply
    # with all of it behind the filter the same supply is taken to give less there
    behind = made()[1].supply
    assert behind is not None
    assert steady_state(behind, 117.0).node_v[-1] < steady_state(fed.supply, 117.0).node_v[-1]
    with pytest.raises(BadInput, match="smaller than it"):
        made(line_up="V4 50X5 output 80 mA from first")


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"line_up": "V1 12X8 mixer 12.6 V"}, "tubes, line 1", "both of a heater"),
        ({"line_up": "V1 12X8 mixer\n150 mA"}, "tubes, line 2", "both of a heater"),
        ({"line_up": "V1"}, "tubes, line 1", "place and its type"),
        ({"line_up": "V1 a\nV1 b"}, "tubes, line 2", "twice"),
        ({"line_up": STRING.replace("50V", "60V"), "heating": "in a string", "mains": "100"},
         "tubes", "more than the line's 100 V"),
        ({"tap_current": "60"}, "current at the first filter", "smaller than it"),
    ],
)  # fmt: skip
def test_a_slip_in_the_form_is_named_with_its_line(
    changes: dict[str, str], field: str, words: str
) -> None:
    with pytest.raises(BadInput) as refused:
        made(**changes)
    assert refused.value.field == field and words in refused.value.expected


def test_a_set_runs_from_what_the_form_says() -> None:
    battery = made(chassis="battery", secondary="", mains="90", b_plus="88", b_plus_current="12")[1]
    assert battery.supply is not None and battery.supply.waveform is Waveform.BATTERY
    assert battery.supply.secondary_v == 90.0
    reed = made(chassis="battery", feed="a vibrator", mains="6", secondary="200")[1]
    assert reed.supply is not None and reed.supply.waveform is Waveform.SQUARE
    assert reed.supply.line_hz == 100.0 and reed.line_v == 6.0
    choke = made(input_choke="10", filter_choke="8 H", mains_frequency="60")[1]
    assert choke.supply is not None and choke.supply.input_choke_h == 10.0
    assert choke.supply.sections[0].inductance_h == 8.0 and choke.supply.line_hz == 60.0
    doubled = made(topology="doubler, cascade", other_half="20")[1]
    assert doubled.supply is not None and doubled.supply.other_f == pytest.approx(20e-6)
    assert made(other_half="20")[1].supply.other_half_f == 0.0  # type: ignore[union-attr]


def test_a_transistor_set_from_the_form_stands_in_its_middle() -> None:
    """Every norm stage at rest: neither bottomed nor cut off."""
    figures = {"b_plus": "9", "b_plus_current": "12", "secondary": "9", "mains": "9"}
    facts = made(chassis="battery", devices="transistors", **figures)[1]
    assert facts.device_word == "transistor"
    assert facts.supply is not None and not facts.supply.load.heated
    total_a = 0.0
    for stage in facts.circuit.stages:
        point = operating_point(stage, 9.0)
        across = point.plate_v - point.cathode_v
        assert 1.0 < across < 8.5, (stage.name, across)
        assert point.plate_a == pytest.approx(stage.typical.plate_a, rel=0.15)
        total_a += point.plate_a
    assert 0.8 * 0.012 < total_a <= 1.1 * 0.012
    assert made(devices="transistors", **BARE)[1].device_word == "transistor"
    assert made()[1].device_word == "tube"


def test_what_is_ticked_decides_cautions() -> None:
    facts = made(traits=["can transmit", "high tension outside"])[1]
    assert {Trait.TRANSMIT, Trait.HIGH_TENSION_OUTSIDE} <= traits_of(facts)
    direct = made(chassis="battery", line_up="V1 1X5 mixer 1.4 V 50 mA direct", feed="a vibrator",
                  secondary="200", mains="6")[1]  # fmt: skip
    assert Trait.BATTERY_FILAMENTS in traits_of(direct)


def test_stages_may_hang_together_but_not_on_what_is_not_there() -> None:
    sheet = json.loads(demo_sheet("lintel-tuner"))
    q4 = sheet["circuit"]["stages"][3]
    q4.update(direct_from="Q3", upper_ohm=0.0, lower_ohm=0.0)
    facts = receiver_facts(check_sheet(sheet))
    assert facts.circuit.stages[3].direct_from == "Q3"
    for wrong in ("Q9", "Q4"):
        q4["direct_from"] = wrong
        with pytest.raises(BadInput):
            check_sheet(sheet)


BROKEN_DIAGRAMS = (
    ({"to": "nowhere"}, "nowhere"),
    ({"to": "ferrite"}, "ferrite"),
)


@pytest.mark.parametrize(("change", "named"), BROKEN_DIAGRAMS)
def test_a_block_diagram_that_cannot_be_is_refused_by_name(
    change: dict[str, str], named: str
) -> None:
    sheet = json.loads(demo_sheet("causeway-portable"))
    sheet["block_diagram"]["links"][3].update(change)
    with pytest.raises(BadInput) as error:
        check_sheet(sheet)
    assert named in f"{error.value} {error.value.expected}"


def test_a_block_names_a_stage_of_its_circuit() -> None:
    sheet = json.loads(demo_sheet("lintel-tuner"))
    portable = json.loads(demo_sheet("causeway-portable"))
    sheet["block_diagram"] = portable["block_diagram"]
    sheet["block_diagram"]["blocks"][4]["stages"] = ["Q1"]
    assert receiver_facts(check_sheet(sheet)).diagram is not None
    sheet["block_diagram"]["blocks"][4]["stages"] = ["Q17"]
    with pytest.raises(BadInput):
        check_sheet(sheet)
