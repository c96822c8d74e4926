"""A band that its owner wants moved, as people type it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.dial_marks import printed_scale
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering
from glowdial.core.journey.steps import Step, find_ask, looked_at
from glowdial.core.language.errors import BadInput
from glowdial.core.plan.journey import situation_of
from glowdial.core.stages.tracking.mechanics import MECHANICS
from glowdial.core.stages.tracking.oscillator import fitted
from glowdial.core.stages.tracking.room import ROOM
from glowdial.core.stages.tracking.steps import tracking_steps

FACTS = tidewater_facts()
BC = FACTS.bands[0]
KEY = "osc.bc.move"
STATIONS = "540,Saltmarsh,dunes,1\n1330,Lantern Hill,village,2\n1700,Ferry House,far shore,3\n"


def surveyed(*more: Answer) -> JobRecord:
    return a_record(
        an_answer(1, MECHANICS, "stops", state="on its mark"),
        an_answer(2, MECHANICS, "drive", state="free"),
        an_answer(3, "osc.bc.set-up", "ready"),
        an_answer(4, "osc.bc.survey", "high", {"frequency": BC.high_mark_hz}),
        an_answer(5, "osc.bc.survey", "low", {"frequency": BC.low_mark_hz}),
        *more,
    )


def stepped(record: JobRecord) -> dict[str, Step]:
    return {s.key: looked_at(s) for s in tracking_steps(situation_of(FACTS, record))}


def typed(record: JobRecord, ask: str, line: str | None = None, **fields: str) -> JobRecord:
    """An entry of the step, checked as the page does it."""
    situation = situation_of(FACTS, record)
    step = next(s for s in tracking_steps(situation) if s.key == KEY)
    question = find_ask(step, ask)
    assert question is not None
    entry = read_entry(question, line, fields)
    ROOM.check(situation, step, question, Entering(entry.values, entry.texts))
    seq = max(a.seq for a in record.answers) + 1
    answer = an_answer(seq, KEY, ask, entry.values, **entry.texts)
    return replace(record, answers=(*record.answers, answer))


def test_it_is_thought_over_once_the_band_was_read_and_changes_nothing_by_itself() -> None:
    assert KEY not in stepped(a_record())
    record = typed(surveyed(), "wanted", None, wanted=STATIONS)
    words = " ".join(stepped(record)[KEY].advice)
    assert "2 of 3 wanted stations come in" in words
    assert "Gains Ferry House 1700 kHz; loses nothing" in words
    assert "the low stop stays" in words and "the low stop goes along" in words
    assert situation_of(FACTS, record).facts.bands == FACTS.bands


def test_what_is_decided_moves_the_marks_and_says_what_the_print_shows() -> None:
    record = typed(surveyed(), "to", "1720 high yes, for the ferry")
    band = situation_of(FACTS, record).facts.bands[0]
    assert band.high_hz == pytest.approx(1720e3, abs=200.0)
    assert band.low_hz > BC.low_hz and band.printed == BC
    # the set's face is what it was
    assert printed_scale(band) == printed_scale(BC)
    step = stepped(record)[KEY]
    assert any("yes, for the ferry" in n for n in step.notes)
    # both ends were right for the print, and are now where they are no longer wanted
    # and the move is the decision, whatever was decided before
    left = an_answer(20, "osc.bc.decide", "decision", decision="leave it")
    assert "osc.bc.decide" not in stepped(record)
    rounds = stepped(replace(record, answers=(*record.answers, left)))
    assert rounds.keys() == stepped(record).keys()
    between = rounds["osc.bc.round1.middle"]
    assert between.ask is not None and "1000 kHz as printed" in between.ask.prompt
    seen = an_answer(21, between.key, "check", {"frequency": 1050e3})
    due = stepped(replace(record, answers=(*record.answers, seen)))["osc.bc.round1.high"]
    assert due.ask is not None and f"{BC.high_mark_hz / 1e3:.0f} kHz as printed" in due.ask.prompt
    trimmer = FACTS.adjuster(BC.high_adjuster).name
    assert trimmer in due.title
    # the pointer's place is no longer what comes in: it is asked for by what the scale shows
    assert [f.name for f in due.ask.fields] == ["turns", "frequency", "dial"]
    assert due.ask.fields[-1].nominal == pytest.approx(BC.high_mark_hz, abs=100.0)


def test_it_is_taken_back_by_a_word() -> None:
    record = typed(surveyed(), "to", "1720 both yes")
    assert situation_of(FACTS, record).facts.bands[0].printed == BC
    back = typed(record, "back", "leave it after all")
    assert situation_of(FACTS, back).facts.bands == FACTS.bands
    assert "osc.bc.decide" in stepped(back)


@pytest.mark.parametrize(
    ("ask", "line", "words"),
    [
        ("to", "500 high yes", "must lie above"),
        ("to", "9 MHz high yes", "further than"),
        ("wanted", None, "line 1"),
    ],
)
def test_what_cannot_be_is_refused(ask: str, line: str | None, words: str) -> None:
    fields = {} if line else {"wanted": "nothing at all"}
    with pytest.raises(BadInput, match=words):
        typed(surveyed(), ask, line, **fields)


def test_after_its_dial_was_read_a_band_is_not_moved() -> None:
    read = Answer(30, "dial.bc", "mark", {"frequency": 1e6}, {}, point=(("dial_hz", 1e6),))
    with pytest.raises(BadInput, match="too late"):
        typed(surveyed(read), "to", "1720 high yes")


def test_what_was_read_and_turned_before_is_of_the_same_set() -> None:
    """The rate that was learned before the move is known after it."""
    turned = an_answer(
        8, "osc.bc.round1.high", "move1", {"turns": 0.25, "frequency": BC.high_mark_hz * 0.985}
    )
    align = an_answer(7, "osc.bc.decide", "decision", decision="align")
    before = surveyed(align, turned)
    after = typed(before, "to", "1700 high yes")
    facts = situation_of(FACTS, after).facts
    known = fitted(FACTS, before, BC).learned(BC.high_adjuster)
    moved = fitted(facts, after, facts.bands[0]).learned(BC.high_adjuster)
    assert moved.change == pytest.approx(known.change, rel=0.35)
    assert moved.doubt < 0.8 * fitted(FACTS, surveyed(), BC).learned(BC.high_adjuster).doubt
