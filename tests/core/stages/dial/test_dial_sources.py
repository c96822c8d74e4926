"""A dial read by harmonics, lists, bandspreads, drift runs and stations: as people type it."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import JobRecord, Move
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Ask, Status, Step, find_ask
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import BandFacts, Bandspread, ReceiverFacts
from glowdial.core.model.stations import read_stations
from glowdial.core.stages.dial.card import card_table, correction_card
from glowdial.core.stages.dial.drift import drift_run
from glowdial.core.stages.dial.points import dial_curve, dial_points, read_points
from glowdial.core.stages.dial.room import ROOM
from glowdial.core.stages.dial.steps import dial_steps

FACTS = tidewater_facts()
BAND = FACTS.bands[0]
SPREAD = Bandspread("7 MHz", 7.3e6, 7.0e6, 7.3e6, (7.0e6, 7.1e6, 7.2e6, 7.3e6))
CABINET = an_answer(1, "dial.cabinet", "in", done="done")
CALIBRATOR = an_answer(2, "dial.bc", "calibrator", {"spacing": 100e3}, by="zero beat")


def with_spread() -> tuple[ReceiverFacts, BandFacts]:
    band = replace(FACTS.bands[1], spreads=(SPREAD,))
    return replace(FACTS, bands=(FACTS.bands[0], band)), band


def step(record: JobRecord, key: str, facts: ReceiverFacts = FACTS) -> Step:
    return next(s for s in dial_steps(Situation(facts, record)) if s.key == key)


def asked(record: JobRecord, key: str, name: str, facts: ReceiverFacts = FACTS) -> Ask:
    found = find_ask(step(record, key, facts), name)
    assert found is not None
    return found


def checked(key: str, name: str, line: str) -> None:
    """Typed, and checked as the page and the interface do."""
    record = a_record(CABINET)
    now = step(record, key)
    ask = asked(record, key, name)
    typed = {f.name: line for f in ask.fields} if ask.fields[0].table else {}
    entry = read_entry(ask, None if typed else line, typed)
    ROOM.check(Situation(FACTS, record), now, ask, Entering(entry.values, entry.texts))


def test_a_calibrator_asks_for_the_harmonics_nearest_to_the_marks() -> None:
    record = a_record(CABINET, CALIBRATOR)
    now = step(record, "dial.bc")
    assert now.ask is not None and now.ask.key == "harmonic"
    multiples = [round(hz / 100e3) for hz in now.programme]
    assert [n * 100e3 for n in multiples] == list(now.programme)
    assert all(BAND.low_hz <= hz <= BAND.high_hz for hz in now.programme)
    assert f"{multiples[0]}th harmonic of 100 kHz" in now.ask.prompt


def test_a_harmonic_is_a_point_of_the_curve_and_of_the_card() -> None:
    answers = [CABINET, CALIBRATOR]
    for n, true in enumerate((600e3, 800e3, 1000e3, 1200e3, 1400e3)):
        # the dial says half a per cent too much, all over
        answers.append(
            an_answer(10 + n, "dial.bc", f"harmonic@true_hz={true}", {"dial": 1.005 * true})
        )
    record = a_record(*answers)
    curve = dial_curve(record, BAND)
    assert curve is not None
    for mark in curve.marks:
        assert mark.true_hz == pytest.approx(mark.dial_hz / 1.005, abs=1.0)
    printed = card_table(record, BAND)
    assert printed is not None
    told = [
        (float(row.label.split()[0]) + float(cell.column), float(cell.read))
        for row in printed.rows
        for cell in row.cells
        if cell.read
    ]
    assert len(told) > 15 and all(abs(came / (dial / 1.005) - 1.0) < 6e-4 for dial, came in told)
    card = correction_card(FACTS, record)
    assert max(abs(line.correction_hz / line.dial_hz + 0.005 / 1.005) for line in card) < 1e-4
    shown = step(record, "dial.bc")
    assert shown.status in (Status.DONE, Status.TROUBLE)
    # what comes in at the mark itself is as far off the other way
    first = shown.results[0]
    assert first.value == pytest.approx(600e3 / 1.005, rel=1e-6)


@pytest.mark.parametrize(("off", "direction"), [(-1, "down"), (1, "up")])
def test_a_miscount_is_noticed_once_the_dial_is_known(off: int, direction: str) -> None:
    known = [
        an_answer(10 + n, "dial.bc", f"harmonic@true_hz={true}", {"dial": 1.004 * true})
        for n, true in enumerate((600e3, 800e3))
    ]
    record = a_record(CABINET, CALIBRATOR, *known)
    ask = step(record, "dial.bc").ask
    assert ask is not None and ask.point == (("true_hz", 1000e3),)
    right = read_entry(ask, f"{1.004 * 1000:.1f}", {})
    assert not right.doubts
    wrong = read_entry(ask, f"{1.004 * (1000 + 100 * off):.1f}", {})
    assert wrong.doubts and f"next one {direction}" in wrong.doubts[0]
    assert "Count again" in wrong.doubts[0]


def test_where_nothing_is_known_it_says_that_it_has_to_be_counted() -> None:
    fifty = replace(CALIBRATOR, values={"spacing": 50e3})
    ask = step(a_record(CABINET, fifty), "dial.bc").ask
    assert ask is not None and "count from a station" in ask.prompt


def test_a_calibrator_with_too_few_signals_is_refused() -> None:
    with pytest.raises(BadInput, match="1 signal on"):
        checked("dial.bc", "calibrator", "1 MHz most AVC")
    checked("dial.bc", "calibrator", "100 kHz zero")


def test_points_come_from_a_list_or_from_a_saved_card() -> None:
    listed = read_points("dial,true\n604, 600\n1005 kHz,1000 kHz\n\n1.404 MHz, 1400", BAND)
    assert [(p.dial_hz, p.true_hz) for p in listed] == [
        (604e3, 600e3),
        (1005e3, 1000e3),
        (1404e3, 1400e3),
    ]
    card = (
        "band,dial_hz,true_hz,correction_hz,read\n"
        f"{BAND.name},600000,601000,+1000,yes\n{BAND.name},700000,700900,+900,\n"
        "Elsewhere,700000,500000,-1,yes\n"
    )
    assert [(p.dial_hz, p.true_hz) for p in read_points(card, BAND)] == [(600e3, 601e3)]
    low, high = BAND.dial_marks_hz[0] / 1e3, BAND.dial_marks_hz[-1] / 1e3
    whole = an_answer(3, "dial.bc", "points", points=f"{low},{low + 1}\n{high},{high + 1}")
    told = step(a_record(CABINET, whole), "dial.bc")
    assert told.status is Status.DONE and len(told.results) == len(BAND.dial_marks_hz)
    assert all("from the list" in r.text and "+1.0 kHz" in r.text for r in told.results)
    # an adjuster that was turned since spoils a list as it spoils a reading
    moved = a_record(
        CABINET, whole, moves=(Move(9, BAND.high_adjuster, 0.1, "osc.bc.round1.high"),)
    )
    assert step(moved, "dial.bc").status is not Status.DONE
    record = a_record(CABINET, an_answer(3, "dial.bc", "points", points="604,600\n1404,1400"))
    assert [p.dial_hz for p in dial_points(record, BAND)] == [604e3, 1404e3]
    assert dial_curve(record, BAND) is not None


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("604", "line 1"),
        ("604,600\n1404,", "line 2"),
        ("604,600\n9000,9000", "line 2"),
        ("604,1400", "line 1"),
        ("", "no point"),
        ("band,dial_hz,true_hz\nBroadcast,600000", "line 2"),
        ("band,dial_hz,true_hz,read\nBroadcast,six,600000,yes", "line 2"),
    ],
)
def test_a_broken_list_of_points_is_refused_with_its_line(text: str, told: str) -> None:
    with pytest.raises(BadInput) as refused:
        read_points(text, BAND)
    assert told in str(refused.value)


def test_a_station_beside_the_mark_tells_of_the_mark() -> None:
    mark = BAND.dial_marks_hz[0]
    ask = asked(a_record(CABINET), "dial.bc", f"mark@dial_hz={mark:g}")
    beside = read_entry(ask, "612 615", {})
    assert not beside.doubts and beside.values == {"frequency": 612e3, "dial": 615e3}
    # without the pointer it would have been asked about, as far off as it is
    record = a_record(
        CABINET, an_answer(3, "dial.bc", f"mark@dial_hz={mark:g}", dict(beside.values))
    )
    found = step(record, "dial.bc").results[0]
    assert found.value == pytest.approx(612e3 * mark / 615e3, abs=1.0)
    assert "612 kHz at 615 kHz" in found.text
    with pytest.raises(BadInput, match="too far"):
        checked("dial.bc", f"mark@dial_hz={mark:g}", "700 705")


def test_a_bandspread_off_alike_wants_the_main_pointer_and_a_wrong_width_says_so() -> None:
    facts, band = with_spread()
    key = f"dial.{band.key}.spread1"
    begun = [CABINET, an_answer(2, key, "school", school="main on its place")]
    off = [
        an_answer(10 + n, key, f"figure@dial_hz={hz}", {"frequency": hz + 20e3})
        for n, hz in enumerate(SPREAD.figures_hz)
    ]
    alike = step(a_record(*begun, *off), key, facts)
    assert alike.status is Status.TROUBLE and "off alike, by +20.0 kHz" in alike.advice[0]
    wide = [
        an_answer(10 + n, key, f"figure@dial_hz={hz}", {"frequency": 7e6 + 1.3 * (hz - 7e6)})
        for n, hz in enumerate(SPREAD.figures_hz)
    ]
    assert "30% more than it says" in step(a_record(*begun, *wide), key, facts).advice[0]
    right = [
        an_answer(10 + n, key, f"figure@dial_hz={hz}", {"frequency": hz + 1e3})
        for n, hz in enumerate(SPREAD.figures_hz)
    ]
    assert step(a_record(*begun, *right), key, facts).status is Status.DONE


def test_by_the_other_school_setting_the_main_pointer_again_spoils_what_was_read() -> None:
    facts, band = with_spread()
    key = f"dial.{band.key}.spread1"
    begun = [CABINET, an_answer(2, key, "school", school="main set by a known signal")]
    assert step(a_record(*begun), key, facts).ask.key == "set"  # type: ignore[union-attr]
    setting = an_answer(3, key, "set", {"main": 7.28e6})
    read = [
        an_answer(10 + n, key, f"figure@dial_hz={hz}", {"frequency": hz})
        for n, hz in enumerate(SPREAD.figures_hz)
    ]
    done = step(a_record(*begun, setting, *read), key, facts)
    assert done.status is Status.DONE and "20 kHz beside" in done.notes[0]
    again = an_answer(30, key, "set", {"main": 7.31e6})
    assert step(a_record(*begun, setting, *read, again), key, facts).status is Status.RECHECK


def test_a_drift_run_gives_rate_and_settling_of_a_known_law() -> None:
    """An exponential of ten minutes: what is left after t is whole times exp(-t / 10)."""
    whole, tau = 8e3, 10.0
    import math

    minutes = [0.0, 2.0, 5.0, 10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 70.0]
    taken = [
        an_answer(
            10 + n,
            "dial.bc.drift",
            f"drift{n + 1}",
            {"minutes": m, "frequency": 1400e3 - whole * (1.0 - math.exp(-m / tau))},
        )
        for n, m in enumerate(minutes)
    ]
    run = drift_run(taken)
    assert run is not None
    assert run.whole_hz == pytest.approx(-whole * (1.0 - math.exp(-7.0)))
    assert abs(run.hz_per_minute()) < 3.0
    within = 0.1 * BAND.tolerance_hz(BAND.high_mark_hz)
    # closed form: tau ln(whole / within), and the next reading after it
    wanted = tau * math.log(whole / within)
    assert run.settled_after(within) == min(m for m in minutes if m >= wanted)
    shown = step(a_record(CABINET, *taken), "dial.bc.drift")
    assert shown.status is Status.DONE
    assert "Hz a minute" in shown.advice[0] and "Settled after" in shown.advice[1]
    assert drift_run(taken[:2]) is None
    still = step(a_record(CABINET, *taken[:4]), "dial.bc.drift")
    assert "has not settled" in " ".join(still.advice)


def test_on_the_air_every_station_of_the_list_is_asked_for_once() -> None:
    stations = "frequency,name\n700,Saltmarsh\n1.2 MHz,Lantern Hill\n90000,Far Out"
    listed = an_answer(3, "dial.air", "stations", stations=stations)
    now = step(a_record(CABINET, listed), "dial.air")
    assert [a.called for a in now.others] == [
        "Saltmarsh 700 kHz",
        "Lantern Hill 1200 kHz",
        "stations from a list",
    ]
    heard = an_answer(4, "dial.air", "station@true_hz=700000", {"dial": 701e3}, heard="good")
    lost = an_answer(
        5, "dial.air", "station@true_hz=1200000.0", {"dial": 1200e3}, heard="not heard"
    )
    after = step(a_record(CABINET, listed, heard, lost), "dial.air")
    assert "2 of 2 stations tried, 1 good. Not heard: Lantern Hill." in after.notes
    assert "-1.0 kHz" in after.results[0].text


@pytest.mark.parametrize("text", ["700", "700,Saltmarsh\nnoon,Lantern", ""])
def test_a_broken_station_list_is_not_kept(text: str) -> None:
    with pytest.raises(BadInput):
        checked("dial.air", "stations", text)


@settings(max_examples=300, deadline=None)
@given(st.text(max_size=200), st.sampled_from(["", "dial,true\n604,600\n", '1,"', "604,600\n" * 9]))
def test_whatever_is_pasted_as_a_list_is_read_or_refused_in_words(text: str, before: str) -> None:
    for read in (lambda t: read_points(t, BAND), read_stations):
        with suppress(BadInput):
            read(before + text)


@pytest.mark.parametrize(
    "text", ["x" * 200_000, "604,600\n" * 6000, '"' + "604," * 50_000, "\x00\n604,600"]
)
def test_lists_that_are_far_too_long_are_refused(text: str) -> None:
    for read in (lambda t: read_points(t, BAND), read_stations):
        with pytest.raises(BadInput):
            read(text)
