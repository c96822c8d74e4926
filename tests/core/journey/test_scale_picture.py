"""The scale as it is drawn: marks in their places, readings with how far they were off."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.dial_marks import scale_picture, scale_place
from glowdial.core.language.errors import BadInput
from glowdial.core.plan.journey import journey
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import check_sheet

FACTS = tidewater_facts()


@pytest.mark.parametrize("band", FACTS.bands, ids=lambda b: b.key)
def test_a_scale_runs_from_its_low_end_to_its_high_end_by_the_gangs_capacity(band) -> None:  # type: ignore[no-untyped-def]
    assert scale_place(band, band.low_hz) == pytest.approx(0.0)
    assert scale_place(band, band.high_hz) == pytest.approx(1.0)
    places = [scale_place(band, f) for f in band.dial_marks_hz]
    assert places == sorted(places) and places[0] >= 0.0 and places[-1] <= 1.0
    # an even capacity law spreads the low end: the geometric middle is past the middle
    assert scale_place(band, (band.low_hz * band.high_hz) ** 0.5) > 0.5


def test_readings_creep_from_as_found_to_inside() -> None:
    band = FACTS.bands[0]
    mark, tolerance = band.high_mark_hz, band.tolerance_hz(band.high_mark_hz)
    read = [
        (an_answer(n, "osc", "high", {"frequency": mark + off * tolerance}), words)
        for n, (off, words) in enumerate([(3.0, "as found"), (-1.5, "moved"), (0.2, "moved")])
    ]
    (high, low) = scale_picture(FACTS, band, [(band.low_mark_hz, []), (mark, read)], mark).marks[
        ::-1
    ]
    assert [r.off for r in high.readings] == pytest.approx([3.0, -1.5, 0.2])
    assert [r.verdict for r in high.readings] == ["high", "low", "inside"]
    assert high.readings[0].text == f"{3.0 * tolerance / 1e3:+.1f} kHz"
    assert high.lit and not low.lit and low.readings == ()


def test_the_rounds_show_both_ends_as_found_and_as_moved() -> None:
    band = FACTS.bands[0]
    survey = f"osc.{band.key}.survey"
    ends = {"high": band.high_mark_hz + 30e3, "low": band.low_mark_hz - 15e3}
    record = a_record(
        *(an_answer(n, survey, e, {"frequency": hz}) for n, (e, hz) in enumerate(ends.items(), 1)),
        an_answer(3, f"osc.{band.key}.decide", "decision", decision="align"),
    )
    middle = next(s for s in journey(FACTS, record).steps if ".round1" in s.key)
    assert middle.scale is not None and middle.ask is not None
    # what stands between is drawn once it is asked for
    assert [(len(m.readings), m.lit) for m in middle.scale.marks] == [
        (1, False),
        (0, True),
        (1, False),
    ]
    read = an_answer(4, middle.key, middle.ask.key, {"frequency": 1008e3})
    record = replace(record, answers=(*record.answers, read))
    step = next(
        s for s in journey(FACTS, record).steps if ".round1" in s.key and s.adjuster is not None
    )
    assert step.scale is not None
    assert [len(m.readings) for m in step.scale.marks] == [1, 1, 1]
    assert [m.readings[0].words for m in step.scale.marks] == ["as found", "checked", "as found"]
    (lit,) = [m for m in step.scale.marks if m.lit]
    seq = max(a.seq for a in record.answers) + 1
    assert step.ask is not None
    mark = band.high_mark_hz if step.key.endswith("high") else band.low_mark_hz
    moved = an_answer(seq, step.key, step.ask.key, {"turns": 0.125, "frequency": mark + 1e3})
    after = journey(FACTS, replace(record, answers=(*record.answers, moved))).step(step.key).scale
    assert after is not None
    mine = next(m for m in after.marks if m.label == lit.label)
    assert [r.words for r in mine.readings] == ["as found", "1/8 turn clockwise"]


SPREAD = {
    "name": "11.7 MHz spread",
    "main_hz": 12e6,
    "low_hz": 11.65e6,
    "high_hz": 12.05e6,
    "figures_hz": [11.65e6, 11.75e6, 11.95e6, 12.05e6],
}


def test_a_bandspread_stands_beside_its_main_scale() -> None:
    sheet = json.loads(demo_sheet("tidewater-six"))
    sheet["bands"][1]["bandspreads"] = [SPREAD]
    facts = receiver_facts(check_sheet(sheet))
    drawn = scale_picture(facts, facts.bands[1], (), 0.0)
    spread, other = drawn.beside
    assert spread.band == "11.7 MHz spread, main at 12 MHz" and other.band == facts.bands[0].name
    assert [(f.place, f.text) for f in spread.figures] == [
        (0.0, "11.65"),
        (0.25, "11.75"),
        (0.75, "11.95"),
        (1.0, "12.05"),
    ]


@pytest.mark.parametrize(
    "wrong", [{"main_hz": 4e6}, {"figures_hz": [11.9e6, 11.7e6]}, {"high_hz": 11.7e6}]
)
def test_a_bandspread_that_cannot_be_is_refused(wrong: dict[str, object]) -> None:
    sheet = json.loads(demo_sheet("tidewater-six"))
    sheet["bands"][1]["bandspreads"] = [SPREAD | wrong]
    with pytest.raises(BadInput):
        check_sheet(sheet)
