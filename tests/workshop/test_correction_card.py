"""The correction card of a set that was handed over."""

from __future__ import annotations

import csv
import io

import pytest

from glowdial.core.stages.dial.points import dial_curve
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.export import correction_card_csv
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
