"""Derived leg by leg is derived whole: random entries, withdrawals, changes, decisions, reopenings
over a finished job, a set with two chains, and one by hand; every step looked at."""

from __future__ import annotations

import os
import random
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import fields, replace
from typing import Any

import pytest

from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.memory import AtOnce
from glowdial.core.journey.record import (
    CHANGEABLES,
    Acknowledgement,
    Answer,
    Change,
    Closure,
    JobRecord,
    Move,
    Reopening,
    TemporaryConnection,
    Withdrawal,
)
from glowdial.core.journey.steps import Step
from glowdial.core.journey.watched import ENTRIES as LISTS
from glowdial.core.journey.watched import MAPS, Reads, WatchedRecord, unchanged
from glowdial.core.language.errors import GlowDialError
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.plan.journey import NO_JOURNEY, Journey, journey, journey_after
from glowdial.demo.fill import demo_sheet
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.sheets import facts_of, read_sheet
from workshop.conftest import Bench

ENTRIES = int(os.environ.get("GLOWDIAL_LEG_ENTRIES", "670"))
SHEETS = ("gallery-seven", "breakwater-eight")


def plain(state: Journey, key: str) -> dict[str, Any] | str:
    """A step as it is shown, without the functions that are left to be called; why it cannot be,
    where what was entered is what no page would take."""
    try:
        shown = state.step(key)
    except GlowDialError as error:
        return str(error)
    found = {f.name: getattr(shown, f.name) for f in fields(Step)}
    return {name: value for name, value in found.items() if not callable(value)}


class Entering:
    """Enters whatever a record can hold, drawn at random."""

    def __init__(self, facts: ReceiverFacts, record: JobRecord, rng: random.Random) -> None:
        self.facts, self.record, self.rng = facts, record, rng
        self.seq = 10_000

    def enter(self, state: Journey) -> None:
        """One entry more."""
        self.seq += 1
        acts = (self.answered, self.answered, self.answered, self.moved, self.changed)
        acts += (self.closed, self.seen, self.clipped, self.taken_off, self.back, self.reopened)
        with suppress(IndexError):
            self.rng.choice(acts)(state)

    def _grown(self, name: str, entry: object) -> None:
        self.record = replace(self.record, **{name: (*getattr(self.record, name), entry)})

    def answered(self, state: Journey) -> None:
        """A question of any step: as its own example has it, or an older answer again."""
        if self.rng.random() < 0.5:
            again = self.rng.choice(self.record.answers)
            off = {k: v * self.rng.choice((1.0, 1.001)) for k, v in again.values.items()}
            off |= {k: v for k, v in again.values.items() if k == "readings"}
            self._grown("answers", replace(again, seq=self.seq, values=off, withdrawn=False))
            return
        step = self.rng.choice([s for s in state.steps if s.ask is not None])
        ask = self.rng.choice([a for a in (step.ask, *step.others) if a is not None])
        with suppress(GlowDialError):
            entry = read_entry(ask, ask.example, {})
            places = {f.name: f.measurand for f in ask.fields if f.measurand is not None}
            self._grown(
                "answers",
                Answer(
                    self.seq,
                    step.key,
                    ask.key,
                    entry.values,
                    entry.texts,
                    point=ask.point,
                    places=places,
                    programme=step.programme,
                ),
            )

    def moved(self, state: Journey) -> None:
        """An adjuster turned, in a step or beside all."""
        keys = [s.adjuster for s in state.steps if s.adjuster] or list(self.facts.if_adjusters())
        step = self.rng.choice(state.steps).key
        self._grown("moves", Move(self.seq, self.rng.choice(keys), 0.25, step))

    def changed(self, _: Journey) -> None:
        """Something changed that readings rest on."""
        what = self.rng.choice(CHANGEABLES)
        self._grown("changes", Change(self.seq, what, self.rng.choice(("in", "out", "renewed"))))

    def closed(self, state: Journey) -> None:
        """A step closed by decision."""
        step = self.rng.choice(state.steps).key
        self._grown("closures", Closure(self.seq, step, "enough", "", "bench"))

    def seen(self, state: Journey) -> None:
        """A caution acknowledged."""
        step = self.rng.choice([s for s in state.steps if s.dangers])
        danger = self.rng.choice(step.dangers)
        self._grown("acknowledgements", Acknowledgement(self.seq, step.key, danger))

    def clipped(self, state: Journey) -> None:
        """A lead clipped on."""
        on = TemporaryConnection(str(self.seq), "clip", "grid", state.steps[0].key, self.seq)
        self._grown("temporaries", on)

    def taken_off(self, _: Journey) -> None:
        """Every lead taken off."""
        off = tuple(replace(t, removed_seq=self.seq) for t in self.record.temporaries)
        self.record = replace(self.record, temporaries=off)

    def back(self, _: Journey) -> None:
        """An answer taken back."""
        seq = self.rng.choice(self.record.answers).seq
        self._grown("withdrawals", Withdrawal(self.seq, seq))
        self.record = self.record.with_withdrawn(seq)

    def reopened(self, _: Journey) -> None:
        """The job opened again."""
        if self.rng.random() < 0.2:
            self._grown("reopenings", Reopening(self.seq, "came back"))


def records(handed_over: Bench) -> Iterator[tuple[ReceiverFacts, JobRecord]]:
    """A finished job, and jobs of other circuits that begin with nothing."""
    view = job_page(handed_over.workshop, handed_over.job)
    yield facts_of(read_sheet(demo_sheet("tidewater-six")).model_dump(mode="json")), view.record
    for name in SHEETS:
        facts = facts_of(read_sheet(demo_sheet(name)).model_dump(mode="json"))
        yield facts, JobRecord(answers=(Answer(1, "none", "none", {}, {}),))


@pytest.mark.parametrize("which", range(1 + len(SHEETS)))
def test_leg_by_leg_is_whole(handed_over: Bench, which: int) -> None:
    facts, record = list(records(handed_over))[which]
    rng, memory = random.Random(which), AtOnce()
    entering = Entering(facts, record, rng)
    state = journey_after(NO_JOURNEY, facts, record, memory=memory)
    kept = 0
    for n in range(ENTRIES):
        before, stood = state, entering.record
        entering.enter(state)
        try:
            state = journey_after(before, facts, entering.record, memory=memory)
        except GlowDialError:
            # what no page would take: nobody can derive it
            with pytest.raises(GlowDialError):
                journey(facts, entering.record, memory=memory)
            entering.record = stood
            continue
        legs = state.kept.legs
        kept += sum(legs.get(k) is leg for k, leg in before.kept.legs.items())
        if n % 20 and n < ENTRIES - 1:
            continue
        whole = journey(facts, entering.record, memory=memory)
        assert [s.key for s in state.steps] == [s.key for s in whole.steps]
        assert state.next_key == whole.next_key
        for mine, other in zip(state.steps, whole.steps, strict=True):
            assert (mine.status, mine.results, mine.blocked_by, mine.notes, mine.dangers) == (
                other.status, other.results, other.blocked_by, other.notes, other.dangers
            ), mine.key  # fmt: skip
        looked = rng.choice(whole.steps).key
        assert plain(state, looked) == plain(whole, looked), looked
    # most of it was kept, or the test shows nothing
    assert kept > 5 * ENTRIES


def test_another_bench_or_other_facts_keep_nothing(handed_over: Bench) -> None:
    facts, record = next(records(handed_over))
    first = journey_after(NO_JOURNEY, facts, record)
    same = journey_after(first, facts, record).kept.legs
    last = "handing over"
    assert all(same[k] is leg for k, leg in first.kept.legs.items() if k != last)
    raised = replace(facts, chassis="another")
    none = journey_after(first, raised, record).kept.legs
    assert not any(none[k] is leg for k, leg in first.kept.legs.items())


def test_a_leg_that_looks_back_follows_the_steps_before_it(handed_over: Bench) -> None:
    facts, record = next(records(handed_over))
    first = journey_after(NO_JOURNEY, facts, record)
    tested = record.latest("cold.tubes", "tubes")
    assert tested is not None
    again = replace(tested, seq=10_000)
    after = journey_after(first, facts, replace(record, answers=(*record.answers, again)))
    looking = {leg.leg.name for leg in first.kept.legs.values() if leg.leg.looks_back}
    assert len(looking) == 4
    assert not any(after.kept.legs[name] is first.kept.legs[name] for name in looking)
    # it holds otherwise: the IF looks up nothing of the tubes
    assert after.kept.legs["alignment of the IF"] is first.kept.legs["alignment of the IF"]


def test_every_list_of_a_record_is_watched() -> None:
    """What a record gains has to be watched too: nothing of it can be read past the watcher."""
    reads = Reads()
    watched = WatchedRecord(JobRecord(), reads)
    own = {f.name for f in fields(JobRecord)} - {"_chains"}
    assert own - set(LISTS) == {
        "answers_by", "moves_by", "lines_by", "seen_by_danger", "changes_by", "closures_by",
    }  # fmt: skip
    for name in LISTS:
        getattr(watched, name)
    asked = (
        watched.latest("a", "q"), watched.of_step("b"), watched.asked("q"), watched.with_value("v"),
        watched.turns_of("core"), watched.closure("c"), watched.register("parked"),
        watched.acknowledged("mains"), watched.begun("osc."), watched.turned, watched.changed,
    )  # fmt: skip
    assert len(asked) == 11
    noted = {name for _, (name, _) in reads.kept(JobRecord())}
    assert noted == {*LISTS, *MAPS, "begun"} - {"place", "moved"}


@pytest.mark.parametrize("name", [n for n in LISTS if n not in ("temporaries", "switched_off")])
def test_what_was_looked_up_is_another_once_something_came(name: str) -> None:
    reads = Reads()
    getattr(WatchedRecord(JobRecord(), reads), name)
    kept = reads.kept(JobRecord())
    assert unchanged(kept, JobRecord())
    entry = {
        "answers": Answer(1, "a", "q", {}, {}), "moves": Move(1, "core", 0.5, "a"),
        "changes": Change(1, "if"), "closures": Closure(1, "a", "", "", ""),
    }.get(name, Acknowledgement(1, "a", "mains"))  # fmt: skip
    if name == "entered":
        return
    assert not unchanged(kept, replace(JobRecord(), **{name: (entry,)}))
