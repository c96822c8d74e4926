"""Limits of instruments as people write them, and what the advice makes of them; the guard."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders import a_record, tidewater_facts
from glowdial.core.bench.equipment import (
    Equipment,
    FrequencyKnown,
    GeneratorLimits,
    MeterLimits,
    generator_limits,
    generator_words,
    meter_limits,
)
from glowdial.core.bench.movements import value_tone_hz
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.bench.settings import setting
from glowdial.core.bench.watch import guard_of
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.journey.within_equipment import within_equipment
from glowdial.core.language.errors import BadInput
from glowdial.core.plan.journey import journey

OLD = generator_limits(
    "attic generator",
    {"lowest": "100k", "highest": "25M", "least": "10u", "greatest": "100m", "step": "10"},
)


def a_step(doing: Doing = Doing.FIND_FREQUENCY, level_v: float = 100e-6, **more: object) -> Step:
    change = setting(generator_hz=600e3, generator_emf_v=level_v, injection="aerial")
    recipe = Recipe(doing, change.but(**more))
    return Step("a", "IF", "a step", "", ask=Ask("q", "?", (), "", recipe=recipe))


def notes(step: Step, kit: Equipment) -> str:
    return " ".join(within_equipment(step, kit, 1.2e6).notes)


def test_limits_are_read_as_written_and_the_rest_is_the_norm() -> None:
    assert (OLD.lowest_hz, OLD.highest_hz) == (100e3, 25e6)
    assert (OLD.least_v, OLD.greatest_v, OLD.step_db) == pytest.approx((10e-6, 0.1, 10.0))
    assert OLD.known is FrequencyKnown.DISPLAY and OLD.frequency_error == pytest.approx(0.01)
    better = generator_limits("g", {"known": "counter"})
    assert better.frequency_error == pytest.approx(1e-5)
    assert "steps of 10 dB" in generator_words(OLD)


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        ({"lowest": "30M", "highest": "100k"}, "must rise"),
        ({"least": "1m", "greatest": "1u"}, "must rise"),
        ({"known": "by heart"}, "display, counter or crystal"),
        ({"loudness": "3"}, "is not one of"),
        ({"least": "much"}, "not understood"),
        ({"error": "90"}, "0 to 50 %"),
    ],
)
def test_limits_that_make_no_sense_are_refused(texts: dict[str, str], words: str) -> None:
    with pytest.raises(BadInput, match=words):
        generator_limits("g", texts)


def test_a_meter_without_resistance_is_refused() -> None:
    with pytest.raises(BadInput, match="above zero"):
        meter_limits("m", {"input": "0"})


@given(st.floats(1e-8, 10.0), st.sampled_from([0.0, 1.0, 3.0, 10.0, 20.0]))
def test_a_level_is_one_that_the_generator_gives(wanted_v: float, step_db: float) -> None:
    limits = replace(OLD, step_db=step_db)
    level_v = limits.nearest_v(wanted_v)
    assert limits.least_v * (1 - 1e-9) <= level_v <= limits.greatest_v * (1 + 1e-9)
    if step_db and limits.least_v < wanted_v < limits.greatest_v / 10 ** (step_db / 20):
        ratio = max(level_v / wanted_v, wanted_v / level_v)
        assert ratio <= 10 ** (step_db / 40) * (1 + 1e-9)


def test_too_hot_a_generator_gets_a_pad_by_its_decibels() -> None:
    said = notes(a_step(level_v=1e-6), Equipment(generator=OLD))
    assert "pad of 20 dB" in said and "modulation does not lower the carrier" in said
    limited = within_equipment(a_step(level_v=1e-6), Equipment(generator=OLD), 1.2e6)
    assert limited.ask is not None and limited.ask.recipe is not None
    assert limited.ask.recipe.change.get("generator_emf_v") == pytest.approx(10e-6)


def test_out_of_range_too_weak_and_doubtful_frequency_are_said() -> None:
    kit = Equipment(generator=OLD)
    assert "does not reach 88.0 MHz" in notes(a_step(generator_hz=88e6), kit)
    assert "couple tighter" in notes(a_step(level_v=1.0), kit)
    assert "6.0 kHz either way" in notes(a_step(), kit)
    crystal = replace(OLD, known=FrequencyKnown.CRYSTAL, frequency_error=1e-6)
    assert notes(a_step(), Equipment(generator=crystal)) == ""
    # with the generator off nothing of it matters
    assert notes(a_step(Doing.READ, level_v=0.0), kit) == ""


def test_a_light_meter_says_nothing_and_a_heavy_one_what_it_takes() -> None:
    light, heavy = MeterLimits("m", 100e6), MeterLimits("old meter", 1e6)
    assert notes(a_step(), Equipment(meter=light)) == ""
    assert "about 45 % of the AVC line" in notes(a_step(), Equipment(meter=heavy))
    audio = a_step(Doing.TONE_PAIR)
    assert notes(audio, Equipment(meter=heavy)) == ""


def test_the_whole_journey_keeps_to_the_kit() -> None:
    facts, hot = tidewater_facts(), GeneratorLimits("hot one", least_v=1e-3, greatest_v=1.0)
    free = journey(facts, a_record())
    kept = journey(facts, a_record(), Equipment(generator=hot))
    padded = 0
    for wanted, step in zip(free.steps, kept.steps, strict=True):
        recipe = step.ask.recipe if step.ask else None
        before = wanted.ask.recipe if wanted.ask else None
        level_v = recipe.change.get("generator_emf_v") if recipe else None
        if level_v and before is not None:
            assert level_v >= 1e-3
            short = (before.change.get("generator_emf_v") or 1.0) < 1e-3
            assert ("pad of" in " ".join(step.notes)) == short
            padded += short
    assert padded > 3


def test_a_guard_shouts_outside_its_limits_only() -> None:
    guard = guard_of("b-plus", "180", "260")
    assert not guard.seen(221.0).alarm
    low, high = guard.seen(90.0), guard.seen(300.0)
    assert low.alarm and "low by 50 %" in low.words
    assert high.alarm and "high by 15 %" in high.words
    assert guard_of("line current", "", "400").high == pytest.approx(0.4)
    assert "180 V and 260 V" in guard.words


@pytest.mark.parametrize(
    ("what", "low", "high", "words"),
    [
        ("heat", "1", "2", "is one of"),
        ("b-plus", "260", "180", "must rise"),
        ("b-plus", "", "hot", "not understood"),
        ("line current", "", "", "not understood"),
    ],
)
def test_a_guard_without_sense_is_refused(what: str, low: str, high: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        guard_of(what, low, high)


@given(st.floats(0.01, 20.0), st.floats(1.001, 3.0))
def test_the_tone_rises_with_the_value(reading: float, factor: float) -> None:
    lower, higher = value_tone_hz(reading, 1.0), value_tone_hz(reading * factor, 1.0)
    assert 110.0 <= lower <= higher <= 3520.0
    assert value_tone_hz(reading, reading) == pytest.approx(440.0)
    assert value_tone_hz(0.0, 1.0) == 110.0
