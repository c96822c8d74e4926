"""AVC, levels, windows, dial and performance: closed forms and properties."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from glowdial.core.language.errors import BadInput
from glowdial.core.language.levels import (
    db_voltage,
    dbm_from_emf_v,
    emf_v_from_dbm,
    emf_v_from_pd_dbuv,
    terminal_v,
)
from glowdial.core.language.verdicts import Verdict, Window, judge, symmetric
from glowdial.core.physics.avc import gain_at_avc, settled_avc_v
from glowdial.core.physics.noise_ratio import NoiseReading, next_level_v, sensitivity_v
from glowdial.core.stages.dial.curve import DialCurve, DialMark


@given(st.floats(0.01, 500.0), st.floats(0.5, 8.0), st.floats(0.0, 3.0))
def test_avc_is_the_fixed_point_of_its_loop(drive: float, neper_v: float, delay: float) -> None:
    def loop(a: float) -> float:
        return max(0.0, drive * math.exp(-a / neper_v) - delay) - a

    expected = brentq(loop, -1e-9, drive + 1.0, xtol=1e-12)
    found = float(settled_avc_v(drive, control_v_per_neper=neper_v, delay_v=delay))
    assert found == pytest.approx(expected, abs=1e-6)
    stronger = float(settled_avc_v(drive * 1.1, control_v_per_neper=neper_v, delay_v=delay))
    assert stronger >= found
    gain = float(gain_at_avc(found, control_v_per_neper=neper_v))
    assert gain == pytest.approx(math.exp(-found / neper_v))


def test_levels_of_the_textbook() -> None:
    # 0 dBm into 50 ohm is 223.6 mV across the load, twice that of EMF
    assert emf_v_from_dbm(0.0) == pytest.approx(2 * math.sqrt(0.05))
    assert emf_v_from_dbm(-107.0) == pytest.approx(2e-6, rel=0.01)
    assert emf_v_from_pd_dbuv(0.0) == pytest.approx(2e-6)
    assert terminal_v(1.0, 50.0, 50.0) == 0.5
    assert db_voltage(2.0) == pytest.approx(6.0206, abs=1e-4)


@given(st.floats(-140, 20), st.floats(1, 1000))
def test_dbm_and_emf_belong_together(level: float, ohm: float) -> None:
    assert dbm_from_emf_v(emf_v_from_dbm(level, ohm), ohm) == pytest.approx(level, abs=1e-9)


@pytest.mark.parametrize(
    ("value", "window", "verdict", "words"),
    [
        (230.0, symmetric(230.0, 23.0), Verdict.INSIDE, "inside"),
        (208.0, symmetric(230.0, 23.0), Verdict.NEAR_EDGE, "near the edge"),
        (200.0, symmetric(230.0, 23.0), Verdict.LOW, "low by 13 %, 10 allowed"),
        (300.0, symmetric(230.0, 23.0), Verdict.HIGH, "high by 30 %, 10 allowed"),
        (0.2, Window(0.0, 5.0), Verdict.INSIDE, "inside"),
        (30e-6, Window(None, 20e-6), Verdict.HIGH, "high by 50 % of the limit"),
        (5.0, None, Verdict.NOT_KNOWN, "no limit given"),
        (5.0, Window(None, None), Verdict.NOT_KNOWN, "no limit given"),
        (1406.2, symmetric(1400.0, 6.0), Verdict.HIGH, "high by 0.44 %, 0.43 allowed"),
    ],
)
def test_verdicts(value: float, window: Window | None, verdict: Verdict, words: str) -> None:
    judged = judge(value, window)
    assert (judged.verdict, judged.words) == (verdict, words)
    assert judged.verdict.outside == (judged.beyond != 0.0)


MARKS = tuple(DialMark(d * 1e3, t * 1e3) for d, t in ((600, 604), (1000, 1001), (1400, 1391)))


@given(st.floats(600e3, 1400e3))
def test_a_dial_reading_and_its_true_frequency_are_inverse(dial_hz: float) -> None:
    curve = DialCurve(MARKS)
    true = curve.true_hz(dial_hz)
    assert curve.dial_for_hz(true) == pytest.approx(dial_hz, abs=0.5)
    assert -9e3 <= true - dial_hz <= 4e3  # shape-preserving: never beyond the marks' own errors


def test_dial_curve_meets_its_marks_and_names_the_worst() -> None:
    curve = DialCurve(MARKS)
    assert curve.correction_hz(np.array([6e5, 1e6, 1.4e6])) == pytest.approx([4e3, 1e3, -9e3])
    assert curve.worst() == MARKS[2]
    with pytest.raises(BadInput, match="must lie between"):
        curve.dial_for_hz(2e6)
    with pytest.raises(BadInput, match="two or more, rising"):
        DialCurve((MARKS[1], MARKS[0]))


def heard(level_v: float, noise_v: float = 2e-6) -> NoiseReading:
    """A detector whose tone follows the level and whose noise stands still."""
    off = 0.3
    return NoiseReading(level_v, off * math.hypot(1.0, level_v / noise_v), off)


def test_sensitivity_is_where_the_clean_law_reaches_ten_db() -> None:
    exact = 2e-6 * 3.0  # S/N 9 in power gives (S+N)/N of 10
    around = (heard(exact * 0.99), heard(exact * 3))
    assert sensitivity_v(around) == pytest.approx(exact, rel=1e-3)
    enclosing = (heard(exact / 1.6), heard(exact * 1.6))
    assert sensitivity_v(enclosing) == pytest.approx(exact, rel=0.12)
    assert sensitivity_v((heard(exact / 5), heard(exact / 3))) is None
    assert sensitivity_v(()) is None


@given(st.floats(0.15, 9.0))
def test_the_next_level_lands_on_target_within_its_reach(factor: float) -> None:
    exact = 6e-6
    assert next_level_v(heard(exact * factor)) == pytest.approx(exact, rel=0.02)


def test_tone_off_above_tone_on_is_refused() -> None:
    with pytest.raises(BadInput, match="larger with the tone on"):
        sensitivity_v((NoiseReading(1e-5, 0.3, 0.9),))
