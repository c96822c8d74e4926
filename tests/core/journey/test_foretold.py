"""Readings of a mark that can hardly be: images, false answers, slips of the pen."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.dial_marks import answer_doubt_hz
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.quantities import TURNS, khz
from glowdial.core.model.circuit import Conversion
from glowdial.core.physics.tracking import two_point
from glowdial.core.plan.journey import situation_of
from glowdial.core.stages.tracking.ghosts import first_twin_hz, second_image_hz
from glowdial.core.stages.tracking.oscillator import read_of
from glowdial.core.stages.tracking.steps import tracking_steps

FACTS = tidewater_facts()
IF_KHZ = FACTS.intermediate_frequency_hz / 1e3


def asked(high_side: bool = True) -> Ask:
    """The low mark as found, after the high one was read to be right."""
    record = a_record(an_answer(1, "osc.bc.survey", "high", {"frequency": 1404e3}))
    band = FACTS.bands[0]
    band = replace(band, tracked=replace(band.tracked, high_side=high_side))
    facts = replace(FACTS, bands=(band, *FACTS.bands[1:]))
    steps = tracking_steps(situation_of(facts, record))
    ask = next(s for s in steps if s.key == "osc.bc.survey").ask
    assert ask is not None and ask.key == "low"
    return ask


@pytest.mark.parametrize("typed", ["600", "604.5", "596", "612"])
def test_what_a_set_of_this_age_reads_is_not_asked_about(typed: str) -> None:
    assert read_entry(asked(), typed, {}).doubts == ()


@pytest.mark.parametrize(
    ("typed", "told"),
    [
        (f"{600 + 2 * IF_KHZ:.0f}", "image"),
        (f"{600 + IF_KHZ / 2:.1f}", "half an IF"),
        ("300", "own harmonic"),
        ("200", "own harmonic"),
        ("6000", "A figure too many"),
        ("60.2", "A figure too few"),
        ("730", "no state of this set"),
    ],
)
def test_a_false_answer_or_a_slip_is_asked_about(typed: str, told: str) -> None:
    doubts = " ".join(read_entry(asked(), typed, {}).doubts)
    assert told in doubts


@pytest.mark.parametrize(
    ("typed", "told"),
    [
        ("610", "Two figures the wrong way round? Is it 601 kHz?"),
        # near the mark the other way round, and not what was foretold
        ("661", "it comes in between 595 kHz and 605 kHz"),
        ("651", "it comes in between 595 kHz and 605 kHz"),
        ("625", "it comes in between 595 kHz and 605 kHz"),
        ("6010", "A figure too many"),
    ],
)
def test_only_what_was_foretold_explains_a_reading_that_was_not(typed: str, told: str) -> None:
    ask = asked()
    assert ask.foretold is not None
    sure = replace(ask, foretold=replace(ask.foretold, low=595e3, high=605e3))
    assert told in " ".join(read_entry(sure, typed, {}).doubts)


def test_the_span_to_look_in_is_said_and_leaves_the_image_out() -> None:
    ask = asked()
    assert ask.recipe is not None and ask.recipe.span_hz is not None
    assert ask.recipe.span_hz < 2.0 * FACTS.intermediate_frequency_hz
    assert f"at most {ask.recipe.span_hz / 1e3:.0f} kHz either way" in ask.prompt


def first_of_short_wave(*, high_side: bool = True) -> Ask:
    """The first mark of the short wave as found, with the oscillator on either side."""
    medium, short = FACTS.bands
    tracked, marks = short.tracked, (short.low_mark_hz, short.high_mark_hz)
    below = two_point(tracked.signal, 1e3 * IF_KHZ, marks, high_side=False)
    facts = replace(FACTS, bands=(medium, replace(short, tracked=tracked if high_side else below)))
    steps = tracking_steps(situation_of(facts, a_record()))
    ask = next(s for s in steps if s.key == "osc.sw.survey").ask
    assert ask is not None
    return ask


def test_where_nothing_comes_in_it_is_said_how_far_to_look_on() -> None:
    surveys = {
        s.key: " ".join(s.advice)
        for s in tracking_steps(situation_of(FACTS, a_record()))
        if s.key.endswith(".survey")
    }
    told = surveys["osc.sw.survey"]
    assert "look on, as far as 1320 kHz" in told
    # of medium wave all that a set may be out is looked at in any case
    assert surveys["osc.bc.survey"] == ""


@pytest.mark.parametrize("high_side", [True, False])
@pytest.mark.parametrize("off_if", [-0.9, -0.5, 0.0, 0.5, 0.9])
def test_where_the_image_lies_within_reach_both_answers_are_asked_for(
    high_side: bool, off_if: float
) -> None:
    """However far out a set may be as found: what comes in is asked about, with the place to look
    at; of an image that is where the true one stands."""
    ask = first_of_short_wave(high_side=high_side)
    mark_khz = ask.fields[0].nominal / 1e3 if ask.fields[0].nominal else 0.0
    true_khz = mark_khz + off_if * IF_KHZ
    image_khz = true_khz + (2.0 if high_side else -2.0) * IF_KHZ
    assert ("lower" if high_side else "higher") in ask.prompt
    for typed in (true_khz, image_khz):
        assert read_entry(ask, f"{typed:.0f} kHz", {}).doubts, typed
    told = " ".join(read_entry(ask, f"{image_khz:.0f} kHz", {}).doubts)
    near = khz(round(true_khz * 1e3, -3))
    assert near in told or "where the image stands" in told


def after_both_ends(high_khz: float) -> Ask:
    """The next mark of the short wave, its high end as found having been typed so."""
    record = a_record(
        an_answer(1, "osc.sw.set-up", "ready", done="done"),
        an_answer(2, "osc.sw.survey", "high", {"frequency": high_khz * 1e3}),
        an_answer(3, "osc.sw.survey", "low", {"frequency": 6420.2e3}),
        an_answer(4, "osc.sw.decide", "decision", decision="align"),
    )
    steps = tracking_steps(situation_of(FACTS, record))
    rounds = [s for s in steps if s.key.startswith("osc.sw.round") and not s.status.finished]
    assert rounds[0].ask is not None
    return rounds[0].ask


def test_an_image_that_was_kept_is_found_out_by_the_next_mark() -> None:
    """Somebody kept 16870 kHz for the high end of a set that stands at 15940 there."""
    kept = " ".join(read_entry(after_both_ends(16869.9), "11.2319", {}).doubts)
    assert "were the image" in kept and "at 15.94 MHz" in kept
    # what agrees with the first reading is kept without a word, and so is what follows a right one
    assert read_entry(after_both_ends(16869.9), "11.5", {}).doubts == ()
    assert read_entry(after_both_ends(15939.9), "11.2319", {}).doubts == ()
    # what fits neither is asked about as ever
    assert "image" not in " ".join(read_entry(after_both_ends(16869.9), "10.8", {}).doubts)


def test_once_something_was_turned_it_is_too_late_to_ask_about_the_first_reading() -> None:
    short = FACTS.bands[1]
    found = an_answer(1, "osc.sw.survey", "high", {"frequency": 16869.9e3})
    moved = {"turns": -0.5, "frequency": 16502e3}
    turned = an_answer(2, "osc.sw.round1.high", "move1", moved)
    for answers, twin_hz in (((found,), -930e3), ((found, turned), 0.0), ((), 0.0)):
        read = read_of(FACTS, a_record(*answers), short)
        assert first_twin_hz(FACTS, short, read) == pytest.approx(twin_hz)


def test_of_two_conversions_the_nearer_image_is_asked_about() -> None:
    """A first IF of 3.2 MHz with the second oscillator above: an image 2 x 465 kHz below."""
    short = FACTS.bands[1]
    conversion = Conversion(3.2e6, 3.665e6)
    for high_side, away in ((True, -930e3), (False, 930e3)):
        tracked = replace(short.tracked, intermediate_frequency_hz=3.2e6, high_side=high_side)
        band = replace(short, tracked=tracked)
        circuit = replace(FACTS.circuit, conversion=conversion)
        facts = replace(FACTS, bands=(band,), circuit=circuit)
        assert second_image_hz(facts, band) == pytest.approx(away)
        steps = tracking_steps(situation_of(facts, a_record()))
        ask = next(s for s in steps if s.key == "osc.sw.survey").ask
        assert ask is not None and ask.foretold is not None
        assert ask.foretold.twin_hz == pytest.approx(-away)
        assert ("higher" if away < 0.0 else "lower") in ask.prompt
        around = [g.frequency_hz - short.high_mark_hz for g in ask.foretold.ghosts]
        assert any(abs(a - away) < 0.3 * abs(away) for a in around)
    # where there is one conversion its own image is the only one
    assert second_image_hz(FACTS, short) == 0.0


def test_a_band_that_was_read_once_is_not_asked_about_its_image_in_any_case() -> None:
    first = first_of_short_wave()
    assert first.foretold is not None and first.foretold.twin_hz == -2e3 * IF_KHZ
    medium = asked()
    assert medium.foretold is not None and medium.foretold.twin_hz == 0.0


OSCILLATOR_KHZ = 1400.0 + IF_KHZ


def first_of_medium_wave() -> Ask:
    steps = tracking_steps(situation_of(FACTS, a_record()))
    ask = next(s for s in steps if s.key == "osc.bc.survey").ask
    assert ask is not None and ask.key == "high"
    return ask


@pytest.mark.parametrize(
    "line",
    [
        "lo {:.2f}",
        "LO {:.2f} kHz",
        "osc={:.2f}",
        "counter: {:.2f}",
        "{:.2f} lo",
        "{:.2f} kHz LO",
        "lo {:.2f} 1400",
    ],
)
def test_what_a_counter_reads_on_the_oscillator_is_taken_less_the_if(line: str) -> None:
    entry = read_entry(first_of_medium_wave(), line.format(OSCILLATOR_KHZ + 1.5), {})
    assert entry.values["frequency"] == pytest.approx(1401.5e3)
    assert entry.values["frequency_counted"] == pytest.approx(1e3 * OSCILLATOR_KHZ + 1.5e3)
    assert entry.doubts == () and "1401.5" in entry.echo


def test_a_counters_word_is_understood_in_a_field_of_its_own() -> None:
    typed = {"frequency": f"lo {OSCILLATOR_KHZ:.1f} kHz"}
    entry = read_entry(first_of_medium_wave(), None, typed)
    assert entry.values["frequency"] == pytest.approx(1400e3) and entry.doubts == ()


def test_the_oscillators_frequency_typed_without_a_word_is_asked_about() -> None:
    doubts = read_entry(first_of_medium_wave(), f"{OSCILLATOR_KHZ:.1f}", {}).doubts
    assert doubts


def test_a_counter_hears_no_image_and_knows_the_mark_better() -> None:
    short = first_of_short_wave()
    mark_khz = short.fields[0].nominal / 1e3 if short.fields[0].nominal else 0.0
    assert read_entry(short, f"{mark_khz:.0f} kHz", {}).doubts
    assert read_entry(short, f"lo {mark_khz + IF_KHZ:.0f} kHz", {}).doubts == ()
    band = FACTS.bands[0]
    heard = an_answer(1, "osc.bc.survey", "high", {"frequency": 1.4e6})
    counted = replace(heard, values={**heard.values, "frequency_counted": 1.865e6})
    by = [answer_doubt_hz(FACTS, band, 1.4e6, a) for a in (heard, counted)]
    assert by[1] < by[0]


def test_a_move_with_a_counter_is_one_line() -> None:
    ask = replace(
        first_of_medium_wave(),
        fields=(Field("turns", "turn", TURNS), *first_of_medium_wave().fields),
    )
    entry = read_entry(ask, f"+1/8 lo {OSCILLATOR_KHZ:.1f}", {})
    assert entry.values["turns"] == pytest.approx(0.125)
    assert entry.values["frequency"] == pytest.approx(1400e3)
