"""The list of measurements as an open document: what ships, what is refused, and why."""

from __future__ import annotations

import copy
import json
import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.tuner.drive import AudioMeter, Programme
from glowdial.core.tuner.listing import read_list
from glowdial.core.tuner.measurement import Reduction
from glowdial.sheets.measurement_list import shipped_list, shipped_list_text

DOCUMENT: dict[str, Any] = json.loads(shipped_list_text())


def changed(*path: Any, to: Any) -> str:
    """The shipped document with one place of it changed; ``...`` takes it out."""
    document = copy.deepcopy(DOCUMENT)
    place: Any = document
    for step in path[:-1]:
        place = place[step]
    if to is ...:
        del place[path[-1]]
    else:
        place[path[-1]] = to
    return json.dumps(document)


def test_the_list_that_ships_covers_what_an_fm_receiver_is_measured_for() -> None:
    keys = {m.key for m in shipped_list().measurements}
    wanted = {
        "quieting", "limiting", "capture", "am-suppression", "selectivity", "spurious", "response",
        "distortion-deviation", "distortion-audio", "distortion-level", "separation",
        "separation-level", "separation-deviation", "residue", "residue-subcarrier", "hum",
        "carriers",
    }  # fmt: skip
    assert wanted <= keys
    assert all("IEC" in m.method or m.method for m in shipped_list().measurements)
    carriers = shipped_list().of("carriers")
    assert carriers is not None and len(carriers.points) >= 10


def test_a_point_sets_what_it_varies_and_a_reading_what_is_its_own() -> None:
    quieting = shipped_list().of("quieting")
    assert quieting is not None
    on, off = quieting.readings
    assert quieting.drive(1e-5, on).level_v == 1e-5
    assert quieting.drive(1e-5, on).programme is Programme.MONO
    assert quieting.drive(1e-5, off).programme is Programme.SILENT
    response = shipped_list().of("response")
    assert response is not None
    # a tone of no frequency of its own is the modulation's
    look = response.look(5000.0, response.readings[0])
    assert look.meter is AudioMeter.TONE and look.tone_hz == 5000.0


@pytest.mark.parametrize(
    ("reduction", "rows", "expected"),
    [
        ("separation", {1000.0: (0.5, 0.005)}, {1000.0: 40.0}),
        ("response", {400.0: (0.5,), 5000.0: (0.25,)}, {400.0: 0.0, 5000.0: -6.0206}),
        ("distortion-deviation", {75e3: (0.012,)}, {75e3: 1.2}),
        ("selectivity", {2e5: (31.5,)}, {2e5: 31.5}),
        # without its reference nothing is relative to anything
        ("response", {5000.0: (0.25,)}, {}),
    ],
)
def test_readings_become_figures(
    reduction: str, rows: dict[float, tuple[float, ...]], expected: dict[float, float]
) -> None:
    measured = shipped_list().of(reduction)
    assert measured is not None
    assert measured.reduced(rows) == pytest.approx(expected, abs=1e-3)


def test_no_set_is_told_to_be_as_good_as_the_generator() -> None:
    separation, distortion = (shipped_list().of(k) for k in ("separation", "distortion-audio"))
    assert separation is not None and separation.residual is not None
    assert separation.bounded(separation.residual - 3.0)
    assert not separation.bounded(separation.residual - 9.0)
    assert distortion is not None and distortion.residual is not None
    assert distortion.bounded(1.5 * distortion.residual)
    assert not distortion.bounded(3.0 * distortion.residual)
    capture = shipped_list().of("capture")
    assert capture is not None and not capture.bounded(1e9)


def test_an_entry_is_taken_at_each_position_of_its_switch() -> None:
    plain = shipped_list()
    listed = read_list(changed("measurements", 3, "positions", to=["wide", "narrow"]))
    assert len(listed.measurements) == len(plain.measurements) + 1
    wide = listed.of("selectivity")
    assert wide is not None and wide.set.position == "wide" and "wide" in wide.title
    (narrow,) = listed.beside(wide)
    assert narrow.drive(1e5, narrow.readings[0]).position == "narrow"
    assert narrow.points == wide.points and listed.beside(narrow) == (wide,)
    assert listed.positions() == ("", "wide", "narrow")
    quieting = listed.of("quieting")
    assert quieting is not None and listed.beside(quieting) == ()


def test_more_than_a_list_may_hold_is_refused_with_its_positions_counted() -> None:
    document = copy.deepcopy(DOCUMENT)
    for row in document["measurements"]:
        row["positions"] = [f"place {n}" for n in range(10)]
    with pytest.raises(BadInput, match="positions"):
        read_list(json.dumps(document))


def test_too_few_readings_of_a_point_are_refused() -> None:
    measured = shipped_list().of("separation")
    assert measured is not None and measured.reduction is Reduction.RATIO
    with pytest.raises(BadInput, match="left, right"):
        measured.reduced({1000.0: (0.5,)})


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "is no JSON"),
        ("[1, 2]", "format"),
        (changed("format", to="other"), "glowdial-measurements"),
        (changed("version", to=2), "version"),
        (changed("measurements", to=[]), "1 to 60"),
        (changed("norms", "if_width", to=1.0), "norms"),
        (changed("norms", "if_width_hz", to=-1), "if_width_hz"),
        (changed("measurements", 0, "key", to="a b"), "hyphens"),
        (changed("measurements", 1, "key", to="quieting"), "twice"),
        (changed("measurements", 0, "title", to=" "), "title"),
        (changed("measurements", 0, "colour", to="red"), "colour"),
        (changed("measurements", 0, "vary", "setting", to="mood"), "names one of"),
        (changed("measurements", 0, "vary", "values", to=[1e-6, 1e-6]), "twice"),
        (changed("measurements", 0, "vary", "values", to=[50.0]), "number of"),
        (changed("measurements", 0, "vary", "values", to=[True]), "number of"),
        (changed("measurements", 0, "read", 0, "meter", to="nose"), "meter"),
        (changed("measurements", 0, "read", to=DOCUMENT["measurements"][0]["read"][:1]), "two"),
        (changed("measurements", 0, "read", 0, "channel", to="middle"), "channel"),
        (changed("measurements", 0, "read", 1, "programme", to="loud"), "programme"),
        (changed("measurements", 0, "set", "pilot", to="yes"), "pilot"),
        (changed("measurements", 0, "reduce", to="guess"), "reduce"),
        (changed("measurements", 0, "good", to="big"), "good"),
        (changed("measurements", 2, "reference", to=...), "one of its points"),
        (changed("measurements", 0, "limits", 0, to={"whose": "x"}), "low or high"),
        (changed("measurements", 0, "limits", 0, "low", to=math.nan), "number of"),
        (changed("measurements", 0, "limits", 0, "whose", to=""), "whose"),
        (changed("measurements", 0, "limits", to="none"), "limits"),
        (changed("measurements", 0, "residual", to="low"), "residual"),
        (changed("measurements", 0, "positions", to=[]), "1 to 12"),
        (changed("measurements", 0, "positions", to=["wide", "wide "]), "twice"),
        (changed("measurements", 0, "positions", to=["wide", 2]), "words"),
        (changed("measurements", 0, "positions", to="wide"), "1 to 12"),
    ],
)
def test_what_is_wrong_is_said_with_its_place(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        read_list(text)


ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=12),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner),
    max_leaves=6,
)


@settings(max_examples=300, deadline=None)
@given(
    st.integers(0, len(DOCUMENT["measurements"]) - 1),
    st.sampled_from(
        ["key", "title", "method", "set", "vary", "read", "reduce", "limits", "positions"]
    ),
    ANYTHING,
)
def test_whatever_stands_in_a_place_is_taken_or_refused_in_a_sentence(
    number: int, name: str, value: Any
) -> None:
    text = changed("measurements", number, name, to=value)
    try:
        read_list(text)
    except BadInput as error:
        assert str(error)


@settings(max_examples=200, deadline=None)
@given(st.data())
def test_a_damaged_document_never_does_worse_than_be_refused(data: st.DataObject) -> None:
    text = shipped_list_text()
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(text) - 2))
        text = (
            text[:at] + data.draw(st.sampled_from(["", "}", '"', "9", "[", "-"])) + text[at + 1 :]
        )
    try:
        read_list(text)
    except BadInput as error:
        assert str(error)
