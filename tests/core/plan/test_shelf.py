"""The shelf's line of a set: where it stands, what is wrong, what is next, what it waits for."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, held, tidewater_facts, walked
from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.plan.journey import journey_of, situation_of
from glowdial.core.plan.shelf import Standing, standing_of

FACTS = tidewater_facts()
SUPPLY = FACTS.supply


def stands(record: JobRecord) -> Standing:
    situation = situation_of(FACTS, record)
    return standing_of(situation, journey_of(situation))


def line(register: str, key: str, **texts: str) -> Entered:
    return Entered(seq=1, register=register, key=key, step="", at="", values={}, texts=texts)


def test_a_set_that_just_arrived_waits_for_nobody() -> None:
    shown = stands(a_record())
    assert shown.next_stage == "intake" and "complaint" in shown.next_title
    assert (shown.trouble, shown.waits_for, shown.photo) == ("", (), 0)
    assert [s.finished for s in shown.stages] == [0] * len(shown.stages)


def test_its_face_has_every_band_with_rising_places_and_the_sheets_figures() -> None:
    face = stands(a_record()).face
    assert [b.band for b in face] == [b.name for b in FACTS.bands]
    assert [b.unit for b in face] == ["kHz", "MHz"]
    for shown, band in zip(face, FACTS.bands, strict=True):
        scale = 1e6 if shown.unit == "MHz" else 1e3
        assert [float(f.text) * scale for f in shown.figures] == sorted(band.dial_marks_hz)
        places = [f.place for f in shown.figures]
        assert places == sorted(places) and places[0] >= 0.0 and places[-1] <= 1.0


def test_what_is_outside_is_said_with_its_figure() -> None:
    assert SUPPLY is not None
    record = walked(FACTS, "bring-up.ramp")
    seq = max(a.seq for a in record.answers) + 1
    low = an_answer(seq, "bring-up.ramp", held(100), {"ac": 230.0, "b_plus": 120.0})
    shown = stands(replace(record, answers=(*record.answers, low)))
    assert "120" in shown.trouble and "low by" in shown.trouble
    # once it is closed by decision, or never was, nothing is wrong any more
    assert stands(record).trouble == ""


@pytest.mark.parametrize("answer", ["", "yes, gladly"])
def test_a_question_waits_for_the_owner_until_it_is_answered(answer: str) -> None:
    asked = line("questions", "1", question="May the plug be changed?", photo="", answer=answer)
    shown = stands(a_record(entered=(asked,)))
    assert shown.waits_for == (() if answer else ("the owner's answer",))


def test_a_part_on_order_is_waited_for_and_the_first_photo_is_shown() -> None:
    school = an_answer(1, "parts.school", "school", school="dangerous first, then a few at a time")
    ordered = an_answer(2, "parts.first", "C20a", decision="order", proposal="")
    photo = line("photos", "1", title="front", photo_id="7")
    shown = stands(replace(a_record(school, ordered), entered=(photo,)))
    assert shown.waits_for == ("C20a, on order",)
    assert shown.photo == 7
    fitted = an_answer(3, "parts.first", "C20a", decision="keep", proposal="")
    assert stands(a_record(school, ordered, fitted)).waits_for == ()
