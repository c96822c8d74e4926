"""The lists that a job leaves in: its correction card and its stations."""

from __future__ import annotations

import csv
import io

import pytest

from glowdial.core.language.errors import BadInput
from glowdial.core.model.stations import Station, read_stations
from glowdial.core.stages.dial.air import AIR, STATIONS
from glowdial.core.stages.dial.points import dial_curve, read_points
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.entries import AnswerCommand, record_answer, reopen
from glowdial.workshop.export import correction_card_csv, stations_csv
from workshop.conftest import Bench


def test_the_card_says_what_comes_in_anywhere_on_every_dial(handed_over: Bench) -> None:
    view = job_page(handed_over.workshop, handed_over.job)
    rows = list(
        csv.DictReader(io.StringIO(correction_card_csv(handed_over.workshop, handed_over.job)))
    )
    for band in view.situation.facts.bands:
        mine = [r for r in rows if r["band"] == band.name]
        dial = [float(r["dial_hz"]) for r in mine]
        assert len(mine) > 10 and dial == sorted(dial)
        curve = dial_curve(view.record, band)
        assert curve is not None
        # the marks themselves are as they were typed, not as a curve has them
        read = {float(r["dial_hz"]): float(r["true_hz"]) for r in mine if r["read"]}
        assert read == {m.dial_hz: pytest.approx(m.true_hz, abs=0.6) for m in curve.marks}
        for row in mine:
            error = float(row["true_hz"]) - float(row["dial_hz"])
            assert float(row["correction_hz"]) == pytest.approx(error, abs=1.1)
            assert abs(error) < 0.02 * float(row["dial_hz"])


def test_the_card_comes_in_again_as_the_points_that_were_read(handed_over: Bench) -> None:
    view = job_page(handed_over.workshop, handed_over.job)
    text = correction_card_csv(handed_over.workshop, handed_over.job)
    for band in view.situation.facts.bands:
        curve = dial_curve(view.record, band)
        assert curve is not None
        again = read_points(text, band)
        assert [p.dial_hz for p in again] == [m.dial_hz for m in curve.marks]
        assert [p.true_hz for p in again] == pytest.approx([m.true_hz for m in curve.marks], abs=1)


def test_stations_go_out_with_what_was_heard_and_come_in_again(handed_over: Bench) -> None:
    workshop, job = handed_over.workshop, handed_over.job
    reopen(workshop, job, handed_over.stamp("reopen"), "came back")
    listed = '1000.5, Harbour, north quay, 3\n7.2 MHz, Lantern Hill\n9 MHz, "Salt, marsh", , 0.5'

    def entered(name: str, ask: str, line: str | None, *fields: tuple[str, str]) -> None:
        command = AnswerCommand(AIR, ask, line, fields, confirmed=True)
        record_answer(workshop, job, handed_over.stamp(name), command)

    entered("list", STATIONS, None, ("stations", listed))
    (step,) = [s for s in job_page(workshop, job).journey.steps if s.key == AIR]
    entered("one", step.others[0].name, "1003 good")
    text = stations_csv(workshop, job)
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [r["heard"] for r in rows] == ["good", "", ""]
    assert float(rows[0]["dial_khz"]) == 1003.0
    assert read_stations(text) == [
        Station(1000.5e3, "Harbour", "north quay", 3.0),
        Station(7.2e6, "Lantern Hill"),
        Station(9e6, "Salt, marsh", "", 0.5),
    ]
    entered("again", STATIONS, None, ("stations", text))
    assert stations_csv(workshop, job) == text


def test_more_columns_than_the_heading_names_are_refused() -> None:
    with pytest.raises(BadInput, match="line 2"):
        read_stations("frequency,name,place,weight\n1610,Harbour,quay,3,1612,good")
