"""Drift that is told while a band is aligned: only where nothing else moved the mark."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.dial_marks import as_found_key, mark_doubt_hz
from glowdial.core.journey.record import Answer, Change, JobRecord, Move
from glowdial.core.stages.tracking.drifting import drift_words, minutes_between
from glowdial.core.stages.tracking.rounds import round_steps

FACTS = tidewater_facts()
BC = FACTS.bands[0]
HIGH = BC.high_mark_hz
FIRST = "2026-05-04T10:00:00+00:00"


def read(seq: int, hz: float, at: str, **more: float) -> Answer:
    found = seq == 1
    step = as_found_key(BC) if found else f"osc.{BC.key}.round1.high"
    values = {"frequency": hz, **more}
    return replace(an_answer(seq, step, "high" if found else f"check{seq}", values), at=at)


def record(later_hz: float, at: str, **lists: object) -> JobRecord:
    low = replace(an_answer(2, as_found_key(BC), "low", {"frequency": BC.low_mark_hz}), at=FIRST)
    return a_record(read(1, HIGH, FIRST), low, read(9, later_hz, at), **lists)


FIVE = "2026-05-04T10:05:00+00:00"


def test_a_mark_that_moves_by_itself_is_told_in_khz_a_minute() -> None:
    (words,) = drift_words(FACTS, record(HIGH + 30e3, FIVE), BC)
    assert "+30.0 kHz in 5 minutes" in words and "+6.00 kHz a minute" in words
    down = drift_words(FACTS, record(HIGH - 30e3, FIVE), BC)
    assert "-6.00 kHz a minute" in down[0]


def test_within_the_readings_own_error_nothing_is_said() -> None:
    error = mark_doubt_hz(FACTS, BC, HIGH)
    assert drift_words(FACTS, record(HIGH + 2.0 * error, FIVE), BC) == ()
    assert drift_words(FACTS, record(HIGH + 5.0 * error, FIVE), BC) != ()


@pytest.mark.parametrize(
    "between",
    [
        {"moves": (Move(5, BC.high_adjuster, 0.1, "x"),)},
        {"moves": (Move(5, FACTS.if_adjusters()[0], 0.1, "x"),)},
        {"changes": (Change(5, "oscillator", "a capacitor"),)},
        {"changes": (Change(5, "cabinet", "in"),)},
    ],
)
def test_what_was_turned_or_changed_in_between_is_no_drift(between: dict[str, object]) -> None:
    assert drift_words(FACTS, record(HIGH + 30e3, FIVE, **between), BC) == ()


@pytest.mark.parametrize(
    "at", ["", "yesterday", FIRST, "2026-05-04T10:00:10", "2026-05-06T10:00:00"]
)
def test_without_a_time_between_there_is_no_rate(at: str) -> None:
    assert drift_words(FACTS, record(HIGH + 30e3, at), BC) == ()


def test_a_pointer_that_stood_elsewhere_is_no_drift() -> None:
    low = an_answer(2, as_found_key(BC), "low", {"frequency": BC.low_mark_hz})
    known = read(9, HIGH + 30e3, FIVE, dial=HIGH + 30e3)
    assert drift_words(FACTS, a_record(read(1, HIGH, FIRST), low, known), BC) == ()


def test_a_pointer_that_was_slid_is_no_drift() -> None:
    low = an_answer(2, as_found_key(BC), "low", {"frequency": BC.low_mark_hz})
    slid = replace(read(9, HIGH + 30e3, FIVE), ask="slid1")
    assert drift_words(FACTS, a_record(read(1, HIGH, FIRST), low, slid), BC) == ()


def test_it_stands_in_the_round_that_is_due() -> None:
    far = record(HIGH + 60e3, FIVE)
    due = round_steps(FACTS, far, BC)[-1]
    assert any("drifts by" in words for words in due.advice)


def test_minutes_are_those_of_the_calendar() -> None:
    assert minutes_between("2026-05-04T23:58:00", "2026-05-05T00:03:30") == pytest.approx(5.5)
    assert minutes_between("", "2026-05-05T00:03:30") is None
