"""What a turn does: the sheet's figure at first, then what the moves showed, with its doubt."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import Answer, Entered, JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import AVC, LOUDSPEAKER, Measurand
from glowdial.core.stages.intermediate.rates import (
    RATES,
    by_sheet,
    first_move,
    line_law,
    rate_of,
    shortened,
)
from glowdial.core.stages.intermediate.steps import if_steps

FACTS = tidewater_facts()
IF_HZ = FACTS.intermediate_frequency_hz
CORE = "t1-primary"
Q = FACTS.transformers[0].primary_q


def silent(facts: ReceiverFacts = FACTS) -> ReceiverFacts:
    """A sheet that does not say what a turn does."""
    return replace(
        facts, adjusters=tuple(replace(a, change_per_turn=None) for a in facts.adjusters)
    )


def a_peak(
    rate: float, turned: float, place: Measurand = LOUDSPEAKER, c: float = 3.1, seq: int = 30
) -> Answer:
    """A core whose turn changes its circuit by so much, brought home by so many turns: a single
    resonance curve, read straight or behind an AVC of c volts a neper (by fixed points)."""
    signal = np.array([1.0 / math.hypot(1.0, 2.0 * Q * rate * turned), 1.0])
    volts = 0.5 * signal
    if place == AVC:
        drive = 0.5 * math.exp(0.5 / c) * signal
        for _ in range(200):
            volts = 0.5 * (volts + drive * np.exp(-volts / c))
    values = {"before": -volts[0], "after": -volts[1], "turns": turned}
    answer = an_answer(seq, f"if.pass1.{CORE}", "peak", {k: float(v) for k, v in values.items()})
    return replace(answer, places={"before": place, "after": place})


@pytest.mark.parametrize("place", [LOUDSPEAKER, AVC])
@pytest.mark.parametrize("factor", [0.4, 1.0, 2.5])
def test_a_move_teaches_what_a_turn_does_where_the_sheet_is_silent(
    factor: float, place: Measurand
) -> None:
    facts = silent()
    true = 0.0075 * factor
    before = rate_of(facts, a_record(), CORE)
    after = rate_of(facts, a_record(a_peak(true, 2.0, place)), CORE)
    assert abs(math.log(abs(after.change) / true)) < 0.65 * abs(math.log(factor)) + 0.02
    assert after.doubt < before.doubt
    assert after.change < 0.0, "the way is by the commonest core until something tells it"


def test_a_sheet_is_only_the_first_guess() -> None:
    """Its figure 2.5 times too small: one move brings the guess more than a third of the way."""
    sheet = by_sheet(FACTS.adjuster(CORE))
    true = 2.5 * abs(sheet.change)
    after = rate_of(FACTS, a_record(a_peak(true, 0.5)), CORE)
    assert abs(after.change) > abs(sheet.change) * 2.5 ** (1.0 / 3.0)
    assert after.doubt < sheet.doubt


def test_a_peak_that_hardly_turned_or_hardly_moved_teaches_nothing() -> None:
    first = rate_of(FACTS, a_record(), CORE)
    assert rate_of(FACTS, a_record(a_peak(0.0075, 0.06)), CORE) == first
    assert rate_of(FACTS, a_record(a_peak(0.0004, 0.5)), CORE) == first
    by_eye = replace(a_peak(0.0075, 0.75), places={})
    assert rate_of(FACTS, a_record(by_eye), CORE) == first


@settings(max_examples=40, deadline=None)
@given(st.floats(0.3, 2.0), st.floats(0.3, 6.0), st.integers(0, 999))
def test_the_pass_s_own_gain_tells_the_law_of_the_line(c: float, won: float, seed: int) -> None:
    """What substitution says a pass won, shared between its cores: the only unknown is c."""
    rng = np.random.default_rng(seed)
    keys = FACTS.if_adjusters()
    shares = rng.dirichlet(np.ones(len(keys))) * won
    peaks = []
    for n, (key, neper) in enumerate(zip(keys, shares, strict=True)):
        before, after = 0.45, 0.45
        for _ in range(200):
            # ln(after) + after / c = ln(before) + before / c + what it won
            goal = math.log(before) + before / c + float(neper)
            after -= (math.log(after) + after / c - goal) / (1.0 / after + 1.0 / c)
        answer = an_answer(
            30 + n, f"if.pass1.{key}", "peak", {"before": -before, "after": -after, "turns": 0.5}
        )
        peaks.append(replace(answer, places={"before": AVC, "after": AVC}))
    level = {"level": 1e-3}
    found = an_answer(10, "if.survey", "reference@reading=0.45", level)
    left = an_answer(50, "if.pass1.gain", "level@reading=0.45", {"level": 1e-3 * math.exp(-won)})
    law = line_law(FACTS, a_record(found, *peaks, left))
    assert law.volts_per_neper == pytest.approx(c, rel=0.02)


def test_what_an_earlier_visit_learned_is_where_this_one_begins() -> None:
    line = Entered(3, RATES, CORE, "if.set-up", {"change": 0.012, "doubt": 0.1}, {})
    record = JobRecord(entered=(line,))
    assert rate_of(FACTS, record, CORE).change == 0.012
    taught = JobRecord(entered=(line,), answers=(a_peak(0.03, 0.5),))
    assert 0.012 < rate_of(FACTS, taught, CORE).change < 0.014


def surveyed(peak_hz: float) -> tuple[Answer, ...]:
    hz = [449e3 + 4e3 * n for n in range(9)]
    volts = [0.5 / math.hypot(1.0, (f - peak_hz) / 4e3) for f in hz]
    return tuple(
        an_answer(4 + n, "if.survey", f"point@generator_hz={f}", {"avc": -v})
        for n, (f, v) in enumerate(zip(hz, volts, strict=True))
    )


@pytest.mark.parametrize("off_hz", [-6e3, 5e3])
def test_a_first_move_is_as_far_as_the_survey_stands_off_and_not_a_nudge(off_hz: float) -> None:
    record = a_record(*surveyed(IF_HZ + off_hz))
    move = first_move(FACTS, record, CORE)
    rate = by_sheet(FACTS.adjuster(CORE))
    assert move is not None
    # it would bring the circuit back by two thirds and more of what it is off, and not past it
    brought = move * rate.change * IF_HZ
    assert -1.0 <= brought / off_hz <= -0.6
    assert first_move(silent(), record, CORE) is None, "the way is not known"
    assert first_move(FACTS, a_record(*surveyed(IF_HZ + 300.0)), CORE) is None
    assert first_move(FACTS, a_record(*record.answers, a_peak(0.0075, 0.5)), CORE) is None


def test_a_doubtful_rate_shortens_a_move_to_two_thirds() -> None:
    assert shortened(math.log(2.0) * 0.92) == pytest.approx(2.0 / 3.0, abs=0.02)
    assert shortened(0.0) == 1.0


def step_of(record: JobRecord, key: str) -> Step:
    return next(s for s in if_steps(Situation(FACTS, record)) if s.key == key)


def two_passes(ways: tuple[float, ...]) -> JobRecord:
    """A first pass, and a second in which each core was turned by so much."""
    answers = [
        an_answer(1, "if.set-up", "ready"),
        an_answer(2, "if.baseline", "avc", {"avc": -0.05}),
        an_answer(3, "if.survey", "reference@reading=0.45", {"level": 90e-6}),
        *surveyed(IF_HZ),
        an_answer(20, "if.decide", "decision", decision="align"),
    ]
    for number, turned, seq in ((1, (0.5,) * 4, 30), (2, ways, 50)):
        for n, (key, t) in enumerate(zip(FACTS.if_adjusters(), turned, strict=True)):
            values = {"before": -0.4, "after": -0.45, "turns": t}
            answers.append(an_answer(seq + n, f"if.pass{number}.{key}", "peak", values))
        level = {"level": 80e-6 / number}
        answers.append(an_answer(seq + 9, f"if.pass{number}.gain", "level@reading=0.45", level))
    return a_record(*answers)


def test_all_cores_the_same_way_is_drift_and_some_either_way_is_the_hand() -> None:
    change = by_sheet(FACTS.adjuster(CORE)).change
    advice = " ".join(step_of(two_passes((0.2, 0.18, 0.22, 0.2)), "if.pass2.gain").advice)
    ran_hz = -0.2 * change * IF_HZ
    assert "ran up by about" in advice and ran_hz > 0.0
    assert "ran down" in " ".join(
        step_of(two_passes((-0.2, -0.18, -0.22, -0.2)), "if.pass2.gain").advice
    )
    mixed = step_of(two_passes((0.2, -0.18, 0.22, -0.2)), "if.pass2.gain").advice
    small = step_of(two_passes((0.02, 0.02, 0.02, 0.02)), "if.pass2.gain").advice
    assert not any(" ran " in line for line in (*mixed, *small))
