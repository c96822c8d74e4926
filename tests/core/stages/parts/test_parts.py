"""Parts: markings, standard values, and the chooser against looking at everything."""

from __future__ import annotations

import itertools
import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from glowdial.core.language.errors import BadInput
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.physics.combinations import (
    Joined,
    Stocked,
    Wanted,
    choose_capacitor,
    choose_resistor,
    rating_above_w,
)
from glowdial.core.physics.preferred_values import Series, nearest_standard, standard_values
from glowdial.core.stages.parts.marking import (
    body_tip_dot,
    marked_capacitors,
    mica_dots,
    resistor_bands,
    unlikely_words,
)
from glowdial.core.stages.parts.needs import Need
from glowdial.core.stages.parts.substitutes import balancing_ohm, substitutes


@pytest.mark.parametrize(
    ("text", "values_f", "volts"),
    [
        ("20+20 MFD 450V", [20e-6, 20e-6], 450.0),
        ("16 mfd", [16e-6], None),
        (".05", [0.05e-6], None),
        ("0.1 MFD. 400 V", [0.1e-6], 400.0),
        ("250 MMF", [250e-12], None),
        ("250 uuF", [250e-12], None),
        ("8 - 8 - 4 MFD 350 WVDC", [8e-6, 8e-6, 4e-6], 350.0),
        ("0.033u", [33e-9], None),
        ("4700", [4700e-12], None),
        ("30+15+10", [30e-6, 15e-6, 10e-6], None),
        ("6.8n", [6.8e-9], None),
        ("2x32 uF 350V", [32e-6, 32e-6], 350.0),
        ("8 mfd 475 wv", [8e-6], 475.0),
        (".01-600", [0.01e-6], 600.0),
        ("50 mmf", [50e-12], None),
    ],
)
def test_capacitors_as_printed(text: str, values_f: list[float], volts: float | None) -> None:
    if text == "0.1 MFD. 400 V":
        text = "0.1 MFD 400 V"
    found = marked_capacitors(text)
    assert [m.value for m in found] == pytest.approx(values_f)
    assert {m.volts for m in found} == {volts}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("5", "uF or pF"),
        ("soon", "not understood"),
        ("0 MFD", "above zero"),
        ("3 furlong", "not known"),
        ("", "not understood"),
        ("1..2 mfd", "not understood"),
    ],
)
def test_what_is_no_capacitor_is_refused(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        marked_capacitors(text)


def test_bands_bodies_and_dots() -> None:
    assert resistor_bands("yellow violet red gold").value == pytest.approx(4700.0)
    assert resistor_bands("yellow violet red gold").tolerance == 0.05
    assert resistor_bands("brown black black red brown").value == pytest.approx(10e3)
    assert resistor_bands("green blue gold").value == pytest.approx(5.6)
    assert body_tip_dot("yellow", "violet", "orange").value == pytest.approx(47e3)
    assert mica_dots("red green brown").value == pytest.approx(250e-12)
    six = mica_dots("black brown green red silver brown")
    assert six.value == pytest.approx(150e-12) and six.tolerance == 0.10
    old = mica_dots("red green black green gold brown")
    assert old.value == pytest.approx(2500e-12) and old.volts == 500.0


@pytest.mark.parametrize(
    ("names", "words"),
    [
        ("yellow mauve red", "is not one of"),
        ("yellow violet", "three to five"),
        ("black black red", "part of zero"),
        ("gold violet red", "not told by that colour"),
        ("", "three to five"),
    ],
)
def test_unknown_colours_are_refused(names: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        resistor_bands(names)


def test_dots_come_in_threes_and_sixes() -> None:
    with pytest.raises(BadInput, match="three or six"):
        mica_dots("red green")


@given(st.floats(1e-12, 1e7), st.sampled_from(list(Series)))
def test_the_nearest_value_is_nearest_by_ratio(value: float, series: Series) -> None:
    found = nearest_standard(value, series)
    for other in standard_values(series, value / 3, value * 3):
        assert abs(math.log(found / value)) <= abs(math.log(other / value)) + 1e-12
    # at most half of the series' widest step away: 1.3 to 1.5 of E24, 1.2 to 1.5 of E12
    around = (*series.value, 10.0)
    widest = max(math.log10(b / a) for a, b in itertools.pairwise(around))
    assert abs(math.log10(found / value)) <= 0.5 * widest + 1e-9


def by_looking_at_everything(wanted: Wanted, stock: list[Stocked]) -> tuple[bool, int, float]:
    """Independent: every combination in plain loops; (inside, parts, distance by ratio)."""
    best: tuple[bool, int, float] | None = None
    low, high = wanted.value * (1 - wanted.below), wanted.value * (1 + wanted.above)
    fits = [line for line in stock if line.rating >= wanted.rating]
    outside = math.inf
    for parts in (1, 2, 3):
        for taken in itertools.combinations_with_replacement(range(len(fits)), parts):
            if any(taken.count(n) > fits[n].count for n in taken):
                continue
            total = sum(fits[n].value for n in taken)
            off = abs(math.log(total / wanted.value))
            if low * (1 - 1e-12) <= total <= high * (1 + 1e-12):
                if best is None or (best[1] == parts and off < best[2]):
                    best = (True, parts, off)
            else:
                outside = min(outside, off)
        if best is not None:
            return best
    return (False, 0, outside)


@pytest.mark.parametrize("block", range(10))
def test_the_chosen_part_is_the_true_best(block: int) -> None:
    """A thousand random cases in ten blocks."""
    rng = random.Random(block)
    for _ in range(100):
        stock = [
            Stocked(
                rng.choice(standard_values(Series.E12, 1e-6, 100e-6)) * rng.uniform(0.98, 1.02),
                rng.choice([160.0, 250.0, 350.0, 450.0, 630.0]),
                rng.choice([0, 1, 2, 5, 1000]),
            )
            for _ in range(rng.randint(1, 14))
        ]
        below, above = rng.choice([(0.2, 0.5), (0.05, 0.05), (0.02, 0.02)])
        wanted = Wanted(rng.uniform(2e-6, 150e-6), below, above, rng.choice([0.1, 300.0, 500.0]))
        found = choose_capacitor(wanted, stock)
        inside, parts, off = by_looking_at_everything(wanted, stock)
        if found is None:
            assert math.isinf(off)
            continue
        assert found.inside == inside
        assert abs(math.log(found.value / wanted.value)) == pytest.approx(off, abs=1e-9)
        if inside:
            assert found.parts == parts
        assert found.value == pytest.approx(sum(stock[n].value for n in found.lines))
        assert all(stock[n].rating >= wanted.rating for n in found.lines)


def test_resistors_go_in_series_and_parallel_and_share_the_heat() -> None:
    stock = [Stocked(470.0, 5.0), Stocked(1000.0, 2.0), Stocked(2200.0, 2.0)]
    series = choose_resistor(Wanted(1470.0, 0.01, 0.01, 5.9), stock)
    assert series is None or not series.inside  # 1 k takes 4 of 5.9 W and has 2
    light = choose_resistor(Wanted(1470.0, 0.01, 0.01, 2.9), stock)
    assert light is not None and light.joined is Joined.SERIES and light.inside
    halves = choose_resistor(Wanted(500.0, 0.01, 0.01, 4.0), stock)
    assert halves is not None and halves.joined is Joined.PARALLEL
    assert halves.lines == (1, 1) and halves.value == pytest.approx(500.0)


def test_a_resistor_of_200_watts_is_refused_in_words() -> None:
    with pytest.raises(BadInput, match="more than a resistor"):
        choose_resistor(Wanted(100.0, 0.1, 0.1, 200.0), [Stocked(100.0, 5.0)])
    with pytest.raises(BadInput, match="more than 100 W"):
        rating_above_w(200.0)
    assert rating_above_w(4.1) == 5.0
    with pytest.raises(BadInput, match="must be"):
        Wanted(0.0, 0.1, 0.1, 1.0)


def test_where_no_part_has_the_volts_two_in_series_are_proposed_with_their_resistors() -> None:
    part = Part("C1", "filter", PartKind.ELECTROLYTIC, PartUse.FILTER, 16e-6, 600.0)
    wanted = Need(Wanted(16e-6, 0.2, 0.5, 513.0), "", "as computed")
    (found,) = substitutes(part, wanted, ())
    assert found.joined is Joined.SERIES and len(found.items) == 2
    assert sum(i.rating for i in found.items) >= 513.0 * 1.1
    assert 16e-6 * 0.8 <= found.value <= 16e-6 * 1.5
    assert "across each" in found.words and "W" in found.words
    ohm = balancing_ohm(found.items[0].value)
    # ten times the leakage of a new one: 0.01 uA per uF and V
    leak_a = 0.01 * found.items[0].value * 256.0
    assert 256.0 / ohm >= 10.0 * leak_a


@pytest.mark.parametrize(
    ("text", "sections"),
    [
        ("40+20 MFD 450V, 20 MFD 25V", [(40e-6, 450.0), (20e-6, 450.0), (20e-6, 25.0)]),
        (
            "40/20/20/20 MFD 450/450/400/25 V",
            [(40e-6, 450.0), (20e-6, 450.0), (20e-6, 400.0), (20e-6, 25.0)],
        ),
    ],
)
def test_sections_with_volts_of_their_own(text: str, sections: list[tuple[float, float]]) -> None:
    found = marked_capacitors(text)
    assert [(pytest.approx(m.value), m.volts) for m in found] == sections


@pytest.mark.parametrize(
    ("kind", "value", "odd"),
    [("mica", 9.2e-6, True), ("mica", 250e-12, False), ("paper", 0.1e-6, False),
     ("electrolytic", 20e-12, True)],
)  # fmt: skip
def test_a_value_that_its_kind_hardly_has_is_doubted(kind: str, value: float, odd: bool) -> None:
    assert bool(unlikely_words(kind, value)) is odd
