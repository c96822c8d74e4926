"""The dial of a band that was moved: what is typed are the figures on its scale, which no longer
say what comes in."""

from __future__ import annotations

import math
from collections.abc import Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step, find_ask, looked_at
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.physics.tracking import OscillatorCircuit, TrimmerPlace
from glowdial.core.plan.journey import situation_of
from glowdial.core.stages.dial.card import card_table, correction_card
from glowdial.core.stages.dial.points import dial_curve, read_points
from glowdial.core.stages.dial.steps import dial_steps
from glowdial.core.stages.tracking.oscillator import events_of
from glowdial.core.stages.tracking.rock import RockGoal, low_end, rock_steps

FACTS = tidewater_facts()
PRINTED = FACTS.bands[0]
MOVED = an_answer(1, "osc.bc.move", "to", {"high": 1.7e6}, means="high end's adjuster", said="yes")
CABINET = an_answer(2, "dial.cabinet", "in", done="done")
CALIBRATOR = an_answer(3, "dial.bc", "calibrator", {"spacing": 100e3}, by="zero beat")


def after(*answers: Answer) -> JobRecord:
    return a_record(MOVED, CABINET, *answers)


def as_it_is(record: JobRecord) -> tuple[ReceiverFacts, BandFacts]:
    facts = situation_of(FACTS, record).facts
    return facts, facts.bands[0]


BAND = as_it_is(after())[1]


def resonance_hz(lo: OscillatorCircuit, gang_f: float) -> float:
    """Of the tank with the gang at a capacity, written out."""
    at_gang, at_coil = lo.trimmer_f, lo.stray_f
    if lo.place is not TrimmerPlace.ACROSS_GANG:
        at_gang, at_coil = at_coil, at_gang
    branch = 1.0 / (1.0 / (gang_f + at_gang) + 1.0 / lo.padder_f)
    return 1.0 / (2.0 * math.pi * math.sqrt(lo.inductance_h * (branch + at_coil)))


def said_hz(true_hz: float) -> float:
    """What the scale shows where the moved oscillator brings a frequency in."""
    offset = PRINTED.tracked.offset_hz
    moved, shown = BAND.tracked.oscillator, PRINTED.tracked.oscillator
    gang = brentq(lambda c: resonance_hz(moved, c) - true_hz - offset, 1e-12, 2e-9, xtol=1e-18)
    return resonance_hz(shown, float(gang)) - offset


def step(record: JobRecord, key: str) -> Step:
    facts, _ = as_it_is(record)
    return next(looked_at(s) for s in dial_steps(Situation(facts, record)) if s.key == key)


def harmonics_read(of: Sequence[float], factor: float = 1.0) -> list[Answer]:
    """The calibrator's harmonics, each where a set that was moved just so shows it."""
    return [
        an_answer(10 + n, "dial.bc", f"harmonic@true_hz={hz}", {"dial": factor * said_hz(hz)})
        for n, hz in enumerate(of)
    ]


def test_a_harmonic_is_looked_for_where_the_scale_shows_it() -> None:
    record = after(CALIBRATOR)
    ask = step(record, "dial.bc").ask
    assert ask is not None and ask.foretold is not None
    true_hz = step(record, "dial.bc").programme[0]
    (field,) = ask.fields
    assert field.nominal == pytest.approx(said_hz(true_hz), abs=100.0)
    assert abs(field.nominal - true_hz) > 2e3
    assert ask.foretold.low < said_hz(true_hz) < ask.foretold.high
    assert f"{true_hz / 1e3:.0f} kHz" in ask.prompt
    # the neighbours stand where the scale shows them
    neighbours = sorted(g.frequency_hz for g in ask.foretold.ghosts)
    around = [said_hz(true_hz - 100e3), said_hz(true_hz + 100e3)]
    assert neighbours == pytest.approx(around, abs=200.0)


def test_a_set_that_was_moved_just_so_has_no_error_and_its_card_says_what_comes_in() -> None:
    wanted = step(after(CALIBRATOR), "dial.bc").programme
    record = after(CALIBRATOR, *harmonics_read(wanted))
    now = step(record, "dial.bc")
    assert all(not r.judgement.verdict.outside for r in now.results)
    facts, band = as_it_is(record)
    curve = dial_curve(record, band)
    assert curve is not None and abs(curve.worst().error_hz) < 150.0
    for line in correction_card(facts, record):
        assert said_hz(line.true_hz) == pytest.approx(line.dial_hz, abs=300.0)
    table = card_table(record, band)
    assert table is not None
    read = {
        1e3 * (float(row.label.split()[0]) + float(cell.column)): 1e3 * float(cell.read)
        for row in table.rows
        for cell in row.cells
        if cell.read
    }
    assert len(read) > 15
    for dial_hz, true_hz in read.items():
        assert said_hz(true_hz) == pytest.approx(dial_hz, abs=700.0)


def test_points_of_a_list_are_the_scales_figures_too() -> None:
    true = (700e3, 1000e3, 1500e3)
    text = "\n".join(f"{said_hz(hz) / 1e3:.1f}, {hz / 1e3:.1f}" for hz in true)
    points = read_points(text, BAND)
    assert [p.true_hz for p in points] == list(true)
    assert [p.dial_hz for p in points] == pytest.approx(true, abs=150.0)


def test_a_known_signal_beside_a_mark_counts_by_where_the_pointer_stands() -> None:
    beside = 1.01 * BAND.high_mark_hz
    read = {"frequency": 0.99 * beside, "dial": said_hz(beside)}
    record = after(an_answer(20, "osc.bc.round1.high", "check", read))
    facts, band = as_it_is(record)
    (event,) = events_of(facts, record, band)
    assert event.mark_hz == pytest.approx(beside, abs=150.0)  # type: ignore[union-attr]


def test_what_was_typed_before_the_move_stands_at_the_same_place_of_the_pointer() -> None:
    pointer = 1.005 * PRINTED.high_mark_hz
    read = an_answer(5, "osc.bc.survey", "high", {"frequency": 1.39e6, "dial": pointer})
    record = after(read)
    facts, band = as_it_is(record)
    (event,) = events_of(facts, record, band)
    assert said_hz(event.mark_hz) == pytest.approx(pointer, abs=150.0)  # type: ignore[union-attr]


def test_its_low_end_is_rocked_by_the_scales_figures() -> None:
    peak = 1.01 * BAND.low_mark_hz
    values = {"before": -1.8, "after": -2.2, "turns": 0.25, "dial": said_hz(peak)}
    record = after(an_answer(20, "osc.bc.rock", "rocked", values))
    facts, band = as_it_is(record)
    (found,) = rock_steps(facts, record, band)
    end = low_end(record, band)
    assert end is not None and end.peak_hz == pytest.approx(peak, abs=150.0)
    goal = find_ask(found, "goal")
    assert goal is not None and "as printed" in goal.prompt
    sensitive = end.place_hz(RockGoal.SENSITIVITY)
    assert f"{said_hz(sensitive) / 1e3:.1f} kHz as printed" in goal.prompt


def test_a_station_on_the_air_is_where_the_scale_shows_it() -> None:
    listed = an_answer(4, "dial.air", "stations", stations="1000, Harbour\n1690, Lantern Hill")
    record = after(listed)
    ask = step(record, "dial.air").others[0]
    assert ask.fields[0].nominal == pytest.approx(said_hz(1e6), abs=100.0)
    heard = an_answer(5, "dial.air", ask.name, {"dial": said_hz(1e6)}, heard="good")
    (result,) = step(after(listed, heard), "dial.air").results
    assert not result.judgement.verdict.outside
    wrong = an_answer(5, "dial.air", ask.name, {"dial": 1e6}, heard="good")
    (result,) = step(after(listed, wrong), "dial.air").results
    assert result.judgement.verdict.outside


@given(st.floats(min_value=1e4, max_value=1.5e8))
def test_whatever_is_typed_is_a_place_of_the_pointer(said: float) -> None:
    at, back = BAND.at_pointer_hz(said), BAND.pointer_hz(said)
    assert math.isfinite(at) and at > 0.0 and math.isfinite(back) and back > 0.0
    if PRINTED.low_hz <= said <= PRINTED.high_hz:
        assert BAND.pointer_hz(at) == pytest.approx(said, abs=100.0)
