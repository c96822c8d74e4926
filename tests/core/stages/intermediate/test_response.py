"""The IF's curve as it is drawn: its -6 dB points by straight lines, its centre, its marks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from builders import an_answer, tidewater_facts, walked
from glowdial.core.physics.resonance import circuit_response
from glowdial.core.plan.journey import journey
from glowdial.core.stages.intermediate.survey import (
    SurveyCurve,
    band_at_6_db,
    survey_plot,
)

FACTS = tidewater_facts()
OLDEST = an_answer(1, "if.survey", "point@generator_hz=465000")


def curve(hz: np.ndarray, volts: np.ndarray) -> SurveyCurve:
    return SurveyCurve(tuple(map(float, hz)), tuple(map(float, volts)), OLDEST)


def test_a_triangle_falls_to_half_halfway_down() -> None:
    hz = np.array([455e3, 465e3, 475e3])
    found = band_at_6_db(curve(hz, np.array([0.0, 2.0, 0.0])))
    # half of the volts is 6.02 dB, and a needle shows no less than 10 mV
    assert found is not None and found.edges_hz == pytest.approx((460e3, 470e3), abs=60.0)


def test_a_single_circuit_is_as_wide_as_its_q_says() -> None:
    q, centre = 40.0, 463e3
    hz = np.linspace(440e3, 490e3, 201)
    found = band_at_6_db(curve(hz, circuit_response(hz, centre, q)))
    assert found is not None
    low, high = found.edges_hz
    # half the volts where Q (f/f0 - f0/f) is the root of three
    assert high - low == pytest.approx(centre / q * np.sqrt(3.0), rel=0.01)
    assert np.sqrt(low * high) == pytest.approx(centre, rel=1e-4)


def test_what_does_not_fall_so_far_has_no_such_points() -> None:
    hz = np.array([457e3, 461e3, 465e3, 469e3])
    assert band_at_6_db(curve(hz, np.array([1.0, 1.6, 2.0, 1.4]))) is None
    assert band_at_6_db(curve(hz, np.array([0.2, 1.6, 2.0, 1.4]))) is None


def test_the_plot_is_in_decibels_with_the_if_and_the_peak_marked() -> None:
    hz = np.array([449e3, 457e3, 465e3, 473e3, 481e3])
    found = curve(hz, np.array([0.1, 1.0, 2.0, 1.0, 0.1]))
    left = curve(hz, np.array([0.05, 0.9, 2.4, 0.9, 0.05]))
    plot = survey_plot(FACTS, found, left)
    assert plot is not None and plot.main
    shown = {line.label: line for line in plot.lines}
    assert shown["as found"].y[2] == 0.0 and shown["as left"].y[2] == 0.0
    assert shown["as found"].y[1] == pytest.approx(-6.02, abs=0.01)
    assert {m.role for m in plot.marks} == {"nominal", "limit", "peak", "edge"}
    assert next(m.x for m in plot.marks if m.role == "nominal") == 465.0
    edges = [m.x for m in plot.marks if m.role == "edge"]
    assert "centre 465 kHz" in plot.title and sum(edges) / 2 == pytest.approx(465.0, abs=0.1)
    assert survey_plot(FACTS, None, None) is None


def test_every_core_stands_on_the_table_of_its_passes() -> None:
    record = walked(FACTS, "if.pass1.gain")
    asked = journey(FACTS, record).step("if.pass1.gain").ask
    assert asked is not None
    seq = max(a.seq for a in record.answers) + 1
    gain = an_answer(seq, "if.pass1.gain", "level", {"level": 3e-4})
    gain = replace(gain, point=asked.point)
    step = journey(FACTS, replace(record, answers=(*record.answers, gain))).step("if.pass1.gain")
    assert step.table is not None and step.table.columns == ("pass 1",)
    assert [row.label for row in step.table.rows] == [
        FACTS.adjuster(key).name for key in FACTS.if_adjusters()
    ]
    for row, key in zip(step.table.rows, FACTS.if_adjusters(), strict=True):
        peaked = next(a for a in record.answers if a.step == f"if.pass1.{key}")
        assert row.cells[0].read.split(" to ")[0] == f"{abs(peaked.values['before']):.2f}"
        assert row.cells[0].verdict in ("inside", "low")
