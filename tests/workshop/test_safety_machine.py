"""Safety as invariants: whatever is entered, in whatever order, by page, call or bench.

A machine makes random entries on a simulated set. What must hold is worked out here from the bare
record and the table of cautions, not by asking the gates that are tested.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from glowdial.core.journey.record import JobRecord
from glowdial.core.language.errors import GlowDialError
from glowdial.core.safety.cautions import Activity, dangers_for
from glowdial.demo.volunteer import Volunteer
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench
from glowdial.workshop.base.alarms import settle_alarm, something_is_wrong, switched_off
from glowdial.workshop.base.jobs import JobPage, job_page
from glowdial.workshop.bench_work import live_values, measure, turn
from glowdial.workshop.entries import (
    AnswerCommand,
    acknowledge,
    close_step,
    make_temporary,
    note_change,
    record_answer,
    remove_temporary,
    withdraw,
)
from glowdial.workshop.registers import enter_line
from workshop.conftest import Bench, a_simulated_job, over

LEAST_OHM = 10e3
UNPOWERED = ("intake.", "cold.", "parts.school", "parts.first", "parts.resistors", "parts.list",
             "bring-up.gate", "bring-up.school", "handover")  # fmt: skip
STEPS = ("bring-up.ramp", "bring-up.chart", "bring-up.set-up", "proof.found.bc.1", "if.set-up",
         "if.baseline", "if.survey", "intake.label", "cold.b-plus")  # fmt: skip


def why_not(page: JobPage) -> list[str]:
    """Reasons why the set may have no power, from the bare record."""
    record, reasons = page.record, []
    alarms = [a.event.value for a in record.alarms]
    if (
        "alarm" in alarms
        and "alarm settled" not in alarms[len(alarms) - alarms[::-1].index("alarm") :]
    ):
        reasons.append("an alarm stands")
    reasons += [
        f"{danger} was never acknowledged"
        for danger in dangers_for(page.facts, Activity.POWER)
        if not any(a.danger == danger for a in record.acknowledgements)
    ]
    reasons += [f"{t.what} is on" for t in record.temporaries if t.on and not t.wanted_under_power]
    changed = max((c.seq for c in record.changes if c.what == "supply"), default=0)
    ohm = record.latest("cold.b-plus", "resistance")
    measured = ohm is not None and ohm.seq > changed and ohm.values["resistance"] >= LEAST_OHM
    if not measured and not _decided(record, "cold.b-plus", changed):
        reasons.append("B+ to chassis")
    gate = record.latest("bring-up.gate", "ready")
    label = record.latest("intake.label", "label")
    if label is None or gate is None or gate.seq < label.seq:
        reasons.append("the gate was not passed for what it runs from")
    volts = label.values.get("label_v") if label else None
    if volts and abs(volts / 230.0 - 1.0) > 0.12 and not _decided(record, "intake.label", 0):
        reasons.append("the label's volts")
    tubes = record.latest("cold.tubes", "tubes")
    if tubes is not None and "shorted" in tubes.texts.values():
        reasons.append("a shorted tube")
    return reasons


def _decided(record: JobRecord, step: str, since: int) -> bool:
    closed = [c.seq for c in record.closures if c.step == step]
    entered = [a.seq for a in record.answers if a.step == step and not a.withdrawn]
    return bool(closed) and closed[-1] > max([since, *entered])


class Safety(RuleBasedStateMachine):
    """A set worked to its ramp, then anything."""

    ready: Path | None = None

    @initialize()
    def begin(self) -> None:
        if Safety.ready is None:
            Safety.ready = Path(tempfile.mkdtemp()) / "ready.sqlite"
            made = a_simulated_job(Safety.ready)
            Volunteer(made.workshop, made.job).work(lambda s: s.key == "bring-up.ramp")
            made.workshop.database.engine.dispose()
        self.folder = Path(tempfile.mkdtemp())
        for file in Safety.ready.parent.glob("ready.sqlite*"):
            shutil.copy(file, self.folder / file.name)
        self.bench = Bench(over(self.folder / "ready.sqlite"), 1)
        self.before = self.page()
        self.count = 0

    def page(self) -> JobPage:
        return job_page(self.bench.workshop, self.bench.job)

    def teardown(self) -> None:
        if hasattr(self, "bench"):
            self.bench.workshop.lines.close()
            self.bench.workshop.database.engine.dispose()
            shutil.rmtree(self.folder)

    def _try(self, act: object, *args: object, **named: object) -> None:
        """Do something; what is refused is refused."""
        self.before = self.page()
        self.count += 1
        stamp = self.bench.stamp(f"machine-{self.count}")
        try:
            act(self.bench.workshop, self.bench.job, stamp, *args, **named)  # type: ignore[operator]
        except GlowDialError:
            assert self.page().version == self.before.version

    def _open_again(self, step: str, question: str) -> None:
        """Take an answer back, so that it can be given anew."""
        found = self.page().record.latest(step, question)
        if found is not None:
            self._try(withdraw, found.seq)

    @rule(
        step=st.sampled_from(STEPS),
        tail=st.sampled_from(["", "", " smoke", " no smoke", " 0.6"]),
        careful=st.sampled_from([True, True, True, False]),
    )
    def answers(self, step: str, tail: str, careful: bool) -> None:
        if careful:
            self.sees_to(step)
        shown = next((s for s in self.page().journey.steps if s.key == step), None)
        if shown is None:
            return
        asks = [a for a in (shown.ask, *shown.others) if a is not None]
        for ask in asks[:1]:
            line = "done" if ask.confirm else f"{ask.example}{tail}"
            self._try(record_answer, AnswerCommand(step, ask.name, line, (), confirmed=True))

    @rule(step=st.sampled_from(STEPS), careful=st.booleans())
    def measures(self, step: str, careful: bool) -> None:
        if careful:
            self.sees_to(step)
        self._try(measure, step)

    @rule()
    def puts_everything_right(self) -> None:
        """Settle, take off, see to all, read everything as it should be, and pass the gate."""
        self._try(switched_off)
        self._try(settle_alarm, cause="C12", done="renewed")
        for connection in [t for t in self.page().record.temporaries if t.on]:
            self._try(remove_temporary, int(connection.key))
        self.reads_the_label("mains transformer", "no", "230")
        self.tests_the_tubes("exchanged")
        self.measures_b_plus("150k")
        self.sees_to("bring-up.gate")
        self.passes_the_gate()

    @rule(step=st.sampled_from(("if.survey", "if.pass1.t2-secondary")))
    def turns(self, step: str) -> None:
        self._try(turn, step, 0.25)

    @rule(step=st.sampled_from((*STEPS, "bring-up.gate")))
    def sees_to(self, step: str) -> None:
        shown = next((s for s in self.page().journey.steps if s.key == step), None)
        for danger in shown.dangers if shown else ():
            self._try(acknowledge, step, danger)

    @rule()
    def passes_the_gate(self) -> None:
        self.sees_to("bring-up.gate")
        self._try(record_answer, AnswerCommand("bring-up.gate", "ready", "done", ()))

    @rule(
        chassis=st.sampled_from(["mains transformer", "transformerless"]),
        luminous=st.sampled_from(["no", "yes"]),
        volts=st.sampled_from(["", "230", "117"]),
    )
    def reads_the_label(self, chassis: str, luminous: str, volts: str) -> None:
        self._open_again("intake.label", "label")
        fields = (("chassis", chassis), ("luminous", luminous), ("label_v", volts))
        self._try(record_answer, AnswerCommand("intake.label", "label", None, fields))

    @rule(wires=st.sampled_from(["clear", "found"]))
    def looks(self, wires: str) -> None:
        self._open_again("intake.look", "look")
        names = ("seats", "screws", "burnt", "resoldered", "wires", "rust")
        fields = tuple((n, wires if n == "wires" else "clear") for n in names)
        self._try(record_answer, AnswerCommand("intake.look", "look", None, fields))

    @rule(decision=st.sampled_from(["not decided", "ask the owner", "keep"]))
    def finds_a_modification(self, decision: str) -> None:
        fields = {"what": "a wire", "whose": "found", "decision": decision, "decided_by": "owner"}
        self._try(enter_line, "modifications", fields=fields)

    @rule(ohm=st.sampled_from(["150k", "800"]))
    def measures_b_plus(self, ohm: str) -> None:
        self._open_again("cold.b-plus", "resistance")
        self.sees_to("cold.b-plus")
        read = AnswerCommand("cold.b-plus", "resistance", ohm, (), confirmed=True)
        self._try(record_answer, read)

    @rule(state=st.sampled_from(["good", "shorted", "exchanged"]))
    def tests_the_tubes(self, state: str) -> None:
        self._open_again("cold.tubes", "tubes")
        self.sees_to("cold.tubes")
        fields = [(t.position, "good") for t in self.page().facts.tubes]
        fields[0] = (fields[0][0], state)
        self._try(record_answer, AnswerCommand("cold.tubes", "tubes", None, tuple(fields)))

    @rule(step=st.sampled_from(("cold.b-plus", "intake.label", "bring-up.gate", "cold.tubes")))
    def decides(self, step: str) -> None:
        self._try(close_step, step, "good enough", "bench")

    @rule(what=st.sampled_from(["supply", "if", "cabinet"]))
    def changes(self, what: str) -> None:
        self._try(note_change, what, "renewed")

    @rule(wanted=st.sampled_from([True, True, False]))
    def clips(self, wanted: bool) -> None:
        self._try(make_temporary, what="clip", place="grid", wanted=wanted)

    @rule()
    def takes_off(self) -> None:
        for connection in [t for t in self.page().record.temporaries if t.on][:1]:
            self._try(remove_temporary, int(connection.key))

    @rule(data=st.data())
    def takes_back(self, data: st.DataObject) -> None:
        answers = [a.seq for a in self.page().record.answers if not a.withdrawn]
        self._try(withdraw, data.draw(st.sampled_from(answers)))

    @rule(sign=st.sampled_from(["smoke", "arcing", "other"]))
    def cries_out(self, sign: str) -> None:
        self._try(something_is_wrong, step="", sign=sign, words="")

    @rule()
    def switches_off(self) -> None:
        self._try(switched_off)

    @rule()
    def settles(self) -> None:
        self._try(settle_alarm, cause="C12", done="renewed")

    @invariant()
    def nothing_powered_was_accepted_that_may_not_be(self) -> None:
        if not hasattr(self, "bench"):
            return
        now = self.page()
        known = {a.seq for a in self.before.record.answers}
        new = [a for a in now.record.answers if a.seq not in known]
        powered = [a.step for a in new if not a.step.startswith(UNPOWERED)]
        assert not powered or not why_not(self.before), (powered, why_not(self.before))

    @invariant()
    def what_may_have_no_power_takes_no_reading(self) -> None:
        """Tried by a typed line, by fields and by the bench, in every step that has power."""
        if not hasattr(self, "bench") or not why_not(self.page()):
            return
        reasons = why_not(self.page())
        powered = [s for s in self.page().journey.steps if not s.key.startswith(UNPOWERED)]
        for step in [s for s in powered if s.ask is not None or s.others][:2]:
            for ask in [a for a in (step.ask, *step.others) if a is not None][:1]:
                line = "done" if ask.confirm else ask.example
                tried = AnswerCommand(step.key, ask.name, line, (), confirmed=True)
                self._try(record_answer, tried)
                self._try(measure, step.key)
                assert self.page().version == self.before.version, (step.key, reasons)

    @invariant()
    def no_output_is_on_that_may_not_be(self) -> None:
        if not hasattr(self, "bench"):
            return
        with self.bench.workshop.database.reading() as session:
            row = get_bench(session, self.bench.job)
            assert row is not None
            state = BenchState.from_document(row.state)
        reasons = why_not(self.page())
        assert not reasons or state.line_v == 0.0, reasons
        assert not reasons or state.generator_emf_v == 0.0, reasons

    @invariant()
    def nothing_is_live_in_an_alarm(self) -> None:
        if not hasattr(self, "bench") or self.page().record.alarm is None:
            return
        try:
            next(live_values(self.bench.workshop, self.bench.job))
        except GlowDialError as error:
            assert "Alarm" in str(error)
        else:
            raise AssertionError("a live reading was taken")


TestSafety = Safety.TestCase
TestSafety.settings = settings(
    max_examples=12,
    stateful_step_count=30,
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
)
