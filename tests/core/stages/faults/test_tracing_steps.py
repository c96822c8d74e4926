"""Fault tracing as steps: what is asked, what counts, and what a repair changes."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import pytest

from builders import tidewater_facts
from glowdial.core.journey.findings import ANSWERS, answer_of, gathered, outcome_of, winding_block
from glowdial.core.journey.pictures import BlockStanding
from glowdial.core.journey.record import (
    Answer,
    Change,
    Closure,
    Entered,
    JobRecord,
    Withdrawal,
)
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Status, Step, find_ask, looked_at, result
from glowdial.core.language.verdicts import Window
from glowdial.core.model.facts import ReceiverFacts, WindingFact
from glowdial.core.model.measurands import B_PLUS, electrode
from glowdial.core.stages.bring_up.chart_step import chart_steps
from glowdial.core.stages.bring_up.voltage_chart import chart_lines, computed_points
from glowdial.core.stages.faults.asks import levels_of, trial_ask
from glowdial.core.stages.faults.case import area_of, known_trials
from glowdial.core.stages.faults.complaints import COMPLAINTS, complaint_of
from glowdial.core.stages.faults.room import ROOM
from glowdial.core.stages.faults.tracing_steps import tracing_steps
from glowdial.core.tracing.derived import diagram_of
from glowdial.core.tracing.failures import Symptom
from glowdial.core.tracing.trials import Finding, Outcome, Trial, TrialKind
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.workshop.base.sheets import read_sheet


@cache
def portable() -> ReceiverFacts:
    return receiver_facts(read_sheet(demo_sheet("causeway-portable")))


def cell(seq: int, row: str, state: str, oddity: str = "") -> Entered:
    texts = {"row": row, "column": "plays", "state": state, "oddity": oddity}
    return Entered(seq, "matrix", f"{row}|plays", "intake.function", {}, texts)


SILENT_VHF = (
    cell(1, "lw AM", "works"),
    cell(2, "mw AM", "works"),
    cell(3, "vhf FM", "fails"),
)


def said(seq: int, step: str, ask: str, **texts: str) -> Answer:
    name, _, at = ask.partition("@")
    point = (("expected", float(at.partition("=")[2])),) if at else ()
    return Answer(seq, step, name, {}, texts, point=point)


def dead(*answers: Answer, entered: tuple[Entered, ...] = SILENT_VHF, **more: object) -> JobRecord:
    first = said(4, "faults.complaint", "what", what="dead")
    return JobRecord(answers=(first, *answers), entered=entered, **more)  # type: ignore[arg-type]


def traced(record: JobRecord, facts: ReceiverFacts | None = None) -> dict[str, Step]:
    steps = tracing_steps(Situation(facts or portable(), record))
    return {s.key: s for s in steps}


def suspicion(step: Step, block: str) -> float:
    diagram = looked_at(step).diagram
    assert diagram is not None
    return next(b.suspicion for b in diagram.blocks if b.key == block)


def test_nothing_is_asked_of_a_set_that_plays() -> None:
    plays = JobRecord(entered=(cell(1, "mw AM", "works"),))
    assert tracing_steps(Situation(portable(), plays)) == []
    [step] = tracing_steps(Situation(portable(), JobRecord(entered=SILENT_VHF)))
    assert step.status is Status.OPEN and step.leave
    drawn = looked_at(step).diagram
    assert drawn is not None and len(drawn.blocks) == 41


def test_what_works_exonerates_before_anything_is_tried() -> None:
    step = traced(dead())["faults.trace.1"]
    diagram = looked_at(step).diagram
    assert diagram is not None and not diagram.derived
    by = {b.key: b for b in diagram.blocks}
    assert by["volume"].standing is BlockStanding.CLEARED is by["am-mixer"].standing
    assert by["socket-fm"].standing is BlockStanding.SUSPECTED and by["socket-fm"].figure
    assert any("VHF fails" in line for line in by["ratio"].evidence)
    assert by["volume"].evidence[0].startswith("Cleared")
    assert sum(b.suspicion for b in diagram.blocks) == pytest.approx(0.99, abs=0.011)


def test_three_ways_are_offered_and_any_other_test_is_taken() -> None:
    step = traced(dead())["faults.trace.1"]
    kinds = {a.called for a in (step.ask, *step.others) if a}
    assert {"inject", "trace", "take one up", "a guess"} <= kinds
    assert len(step.advice) == 2 and "If it is right" in step.advice[1]
    assert find_ask(step, "volts fm-if-2") is not None
    assert find_ask(step, "volts nowhere") is None
    levelled = find_ask(step, "tracing vhf FM >if-1-base signal")
    assert levelled is None, "an AM point is not on the way of VHF"


def test_levels_are_kept_at_what_was_expected_then() -> None:
    step = traced(dead())["faults.trace.1"]
    known = known_trials(portable().diagram, Symptom.SIGNAL)  # type: ignore[arg-type]
    trial = next(
        t
        for t in known.values()
        if t.kind is TrialKind.TRACING and t.target == "ratio-in" and t.position == "vhf FM"
    )
    diagram = looked_at(step).diagram
    assert diagram is not None
    ratio = next(b for b in diagram.blocks if b.key == "fm-can-3" or b.key == "ratio")
    assert ratio.tests
    before = suspicion(step, "ratio")
    good = replace(
        said(5, "faults.trace.1", f"{trial.key}@expected=0.03", found="works"),
        values={"level": 0.028},
    )
    after = traced(dead(good))["faults.trace.1"]
    assert suspicion(after, "ratio") > 2.0 * before
    gone = said(5, "faults.trace.1", f"{trial.key}@expected=0.03", found="fails")
    assert suspicion(traced(dead(gone))["faults.trace.1"], "ratio") < 0.01


CONVICTING = (
    said(5, "faults.trace.1", "reseat socket-fm", found="changes"),
    said(6, "faults.trace.1", "ohms socket-fm", found="wrong"),
)


def test_evidence_convicts_and_withdrawn_evidence_lets_go() -> None:
    step = traced(dead(*CONVICTING))["faults.trace.1"]
    assert step.status is Status.DONE and "socket" in step.decision
    taken_back = replace(CONVICTING[0], withdrawn=True)
    record = dead(taken_back, CONVICTING[1], withdrawals=(Withdrawal(7, 5),))
    assert traced(record)["faults.trace.1"].status is Status.OPEN


def test_one_change_then_what_failed_is_tried_again_and_a_second_fault_starts_from_there() -> None:
    steps = traced(dead(*CONVICTING))
    mend = steps["faults.mend.1"]
    assert mend.ask is not None and mend.ask.key == "mended socket-fm"
    assert mend.change == ("if", "FM IF board's socket mended")
    done = said(8, "faults.mend.1", "mended socket-fm", done="reseated")
    asked = traced(dead(*CONVICTING, done, changes=(Change(9, "if"),)))["faults.mend.1"].ask
    assert asked is not None and asked.key == "function vhf FM signal"
    again = said(10, "faults.mend.1", asked.name, found="partly")
    record = dead(*CONVICTING, done, again, changes=(Change(9, "if"),))
    second = traced(record)["faults.trace.2"]
    assert second.status is Status.OPEN
    # what was cleared before stays cleared, what was mended is hardly suspected
    assert suspicion(second, "volume") < 0.02 and suspicion(second, "socket-fm") < 0.1
    works = replace(again, texts={"found": "works"})
    over = traced(dead(*CONVICTING, done, works, changes=(Change(9, "if"),)))
    assert over["faults.trace.2"].status is Status.DONE
    assert over["faults.trace.2"].decision == "everything that failed works again"


def test_a_person_may_take_a_block_up_and_believe_what_he_likes() -> None:
    believes = said(5, "faults.trace.1", "belief", block="ratio detector D1 D2")
    before = suspicion(traced(dead())["faults.trace.1"], "ratio")
    after = suspicion(traced(dead(believes))["faults.trace.1"], "ratio")
    assert before < after < 1.4 * before
    takes = said(5, "faults.trace.1", "take up", block="ratio detector D1 D2")
    step = traced(dead(takes))["faults.trace.1"]
    assert step.status is Status.DONE and "by decision" in step.decision


def test_what_was_touched_last_and_what_was_parked_join_the_evidence() -> None:
    plain = suspicion(traced(dead())["faults.trace.1"], "ratio")
    touched = said(5, "faults.trace.1", "touched", block="ratio detector D1 D2")
    assert suspicion(traced(dead(touched))["faults.trace.1"], "ratio") > 2.5 * plain
    line = Entered(
        4, "parked", "p1", "intake.story", {}, {"what": "ratio detector D1 D2 looks browned"}
    )
    parked = traced(dead(entered=(*SILENT_VHF, line)))["faults.trace.1"]
    assert 1.5 * plain < suspicion(parked, "ratio") < 2.5 * plain


def test_what_earlier_visits_found_is_likelier_now() -> None:
    line = Entered(
        4, "history", "this set ratio", "faults.complaint", {"count": 2.0},
        {"of": "this set", "block": "ratio"},
    )  # fmt: skip
    known = dead(entered=(*SILENT_VHF, line))
    plain = suspicion(traced(dead())["faults.trace.1"], "ratio")
    step = traced(known)["faults.trace.1"]
    assert suspicion(step, "ratio") > 1.8 * plain
    diagram = looked_at(step).diagram
    assert diagram is not None
    assert any("in this set before" in x for b in diagram.blocks if b.key == "ratio" for x in
               b.evidence)  # fmt: skip


def test_a_side_effect_points_at_what_is_shared() -> None:
    odd = (*SILENT_VHF[:2], cell(3, "vhf FM", "fails", "the dial lamp goes dim"))
    plain = suspicion(traced(dead())["faults.trace.1"], "socket-fm")
    assert suspicion(traced(dead(entered=odd))["faults.trace.1"], "socket-fm") > 1.2 * plain
    hums = (*SILENT_VHF[:2], cell(3, "vhf FM", "partly", "it hums"))
    situation = Situation(portable(), JobRecord(entered=hums))
    diagram = diagram_of(portable())
    found = gathered(situation, diagram, Symptom.HUM, known_trials(diagram, Symptom.HUM))
    assert [e.finding.outcome for e in found if e.finding.trial.position == "vhf FM"] == [
        Outcome.BAD
    ]
    signal = gathered(situation, diagram, Symptom.SIGNAL, known_trials(diagram, Symptom.SIGNAL))
    assert all(e.finding.outcome is Outcome.GOOD for e in signal)


def test_a_charts_verdicts_count_without_being_typed_again() -> None:
    facts = tidewater_facts()
    diagram = diagram_of(facts)
    reading = Answer(3, "bring-up.chart", "V2", {"plate": 20.0}, {})
    off = result(reading, "V2 plate", "20 V", 20.0, Window(180.0, 260.0, 220.0))
    well = result(reading, "V3 plate", "90 V", 90.0, Window(80.0, 100.0, 90.0))
    chart = Step("bring-up.chart", "bring-up", "chart", "", results=(off, well))
    situation = Situation(facts, JobRecord(), before=(chart,))
    found = gathered(situation, diagram, Symptom.SIGNAL, known_trials(diagram, Symptom.SIGNAL))
    outcomes = {e.finding.trial.key: e.finding.outcome for e in found}
    assert outcomes["volts V2"] is Outcome.BAD
    assert outcomes["volts first-audio"] is Outcome.GOOD


def test_a_block_is_as_good_as_the_worst_of_its_windings() -> None:
    facts = tidewater_facts()
    diagram = diagram_of(facts)
    both = (
        WindingFact("t1-primary", "first can, primary", 9.0, "if"),
        WindingFact("t1-secondary", "first can, secondary", 9.0, "if"),
        WindingFact("osc-sw", "oscillator coil", 1.0, "oscillator"),
        WindingFact("output-primary", "output transformer", 300.0, "audio"),
        WindingFact("mains-primary", "mains transformer", 20.0, "supply"),
        WindingFact("t10-primary", "another can", 9.0, "if"),
    )
    blocks = [winding_block(diagram, w) for w in both]
    assert [b.key if b else "" for b in blocks] == [
        *("t1", "t1", "oscillator-coil-sw", "V4", "b-plus", "")
    ]
    answer = Answer(3, "cold.windings", "t1", {}, {})
    fine, dead = Window(8.0, 10.0, 9.0), 1e6
    read = (result(answer, both[1].name, "open", dead, fine),)
    read = (result(answer, both[0].name, "9 ohm", 9.0, fine), *read)
    step = Step("cold.windings", "cold checks", "windings", "", results=read)
    situation = Situation(replace(facts, windings=both), JobRecord(), before=(step,))
    found = gathered(situation, diagram, Symptom.SIGNAL, known_trials(diagram, Symptom.SIGNAL))
    [told] = [e for e in found if e.finding.trial.key == "ohms t1"]
    assert told.finding.outcome is Outcome.BAD and "secondary" in told.said


def test_every_test_is_answered_by_a_letter_and_read_back_as_it_was_meant() -> None:
    for kind, answers in ANSWERS.items():
        assert len({a[0] for a in answers}) == len(answers), kind
    diagram = diagram_of(portable())
    for trial in known_trials(diagram, Symptom.SIGNAL).values():
        for outcome in (Outcome.GOOD, Outcome.BAD):
            assert outcome_of(trial, answer_of(Finding(trial, outcome))) is outcome


def test_every_complaint_has_a_way_through_both_kinds_of_sets() -> None:
    for complaint in COMPLAINTS:
        assert complaint_of(complaint.words) is complaint and complaint.order
        for facts in (portable(), tidewater_facts()):
            first = said(4, "faults.complaint", "what", what=complaint.words)
            record = JobRecord(answers=(first,))
            step = traced(record, facts)["faults.trace.1"]
            assert step.ask is not None, complaint.words
            words = f"{step.title} {step.ask.prompt} {step.advice}"
            assert facts.device_word == "tube" or "grid" not in words, complaint.words


def test_a_blocks_area_is_where_it_stands() -> None:
    diagram = diagram_of(portable())
    areas = {k: area_of(diagram, k) for k in ("ferrite", "fm-if-1", "ratio", "driver", "battery")}
    assert areas == {
        "ferrite": "aerial",
        "fm-if-1": "if",
        "ratio": "if",
        "driver": "audio",
        "battery": "supply",
    }
    assert area_of(diagram, "vhf-oscillator") == "oscillator"


def expected_of(trial: Trial) -> float:
    levels = levels_of(trial)
    assert levels is not None
    return float(f"{levels[1]:.3g}")


def test_what_is_read_is_called_by_the_way_it_is_tried() -> None:
    diagram = diagram_of(portable())
    for trial in known_trials(diagram, Symptom.SIGNAL).values():
        ask = trial_ask(diagram, trial)
        if len(ask.fields) > 1:
            injected = trial.kind is TrialKind.INJECTION
            assert ("generator level" in ask.fields[1].label) is injected, trial.words


BANDS = ("lw AM", "mw AM", "vhf FM")
LEADS = Answer(20, "faults.contacts", "leads", {"leads": 0.2, "resolution": 0.1}, {})


def row(seq: int, kind: str, position: str, *ohm: float, path: float = 4.0) -> Answer:
    values = dict(zip(("r1", "r2", "r3"), ohm, strict=False)) | {"path": path}
    return Answer(seq, "faults.contacts", f"{kind} {position}", values, {})


def on_a_band(*answers: Answer) -> JobRecord:
    entered = (cell(1, "lw AM", "works"), cell(2, "mw AM", "fails"), cell(3, "vhf FM", "works"))
    first = said(4, "faults.complaint", "what", what="weak on some bands")
    return JobRecord(answers=(first, *answers), entered=entered)


def surveyed(*more: Answer) -> dict[str, Step]:
    rows = [row(21 + n, "row", p, *((9.1,) * 3 if p == "mw AM" else (4.3,) * 3)) for n, p in
            enumerate(BANDS)]  # fmt: skip
    return traced(on_a_band(LEADS, *rows, *more))


def test_contacts_are_surveyed_where_they_are_suspected_and_count_as_evidence() -> None:
    steps = traced(on_a_band())
    assert steps["faults.contacts"].ask is not None
    before = suspicion(steps["faults.trace.1"], "coil-mw")
    after = surveyed()
    step = after["faults.contacts"]
    assert step.table is not None and [r.label for r in step.table.rows][:1] == ["long wave"]
    assert "medium wave: 8.90 ohm" in step.advice[0]
    # a contact that only this band uses is likelier now, and what the others share is not
    assert suspicion(after["faults.trace.1"], "coil-mw") > before
    assert suspicion(after["faults.trace.1"], "sw-aerial") < 0.02
    assert step.ask is not None and step.ask.key == "school"


PLAN = {"volts": 12.0, "resistor": 47.0, "watts": 5.0, "burden": 1.0, "contact": 1.0}
WET = said(30, "faults.contacts", "school", school="wetting current")


def test_a_wetting_current_through_anything_else_is_not_opened() -> None:
    ways = {"from": "ferrite rod", "to": "AM mixer Q5"}
    plan = Answer(31, "faults.contacts", "wetting", PLAN, ways)
    step = surveyed(WET, plan)["faults.contacts"]
    assert (step.advice[0].startswith("Refused") and "AM mixer Q5" in step.advice[0]) or (
        "aerial coil" in step.advice[0]
    )
    assert step.ask is not None and step.ask.key == "wetting"
    assert all(not a.key.startswith("wet1") for a in (step.ask, *step.others))
    hot = Answer(31, "faults.contacts", "wetting", PLAN | {"resistor": 10.0},
                 {"from": "ferrite rod", "to": "push-buttons, aerial"})  # fmt: skip
    step = surveyed(WET, hot)["faults.contacts"]
    assert step.ask is not None and step.ask.key == "wetting" and "Refused" in step.advice[0]


def test_all_positions_twice_then_the_survey_again() -> None:
    ways = {"from": "ferrite rod", "to": "push-buttons, aerial"}
    plan = Answer(31, "faults.contacts", "wetting", PLAN, ways)
    answers: list[Answer] = [WET, plan]
    seen = []
    for n in range(12):
        step = surveyed(*answers)["faults.contacts"]
        if step.ask is None:
            break
        seen.append(step.ask.key)
        kind, _, position = step.ask.key.partition(" ")
        if kind == "after":
            answers.append(row(40 + n, "after", position, 4.3, 4.3, 4.3))
        else:
            answers.append(Answer(40 + n, "faults.contacts", step.ask.key, {"current": 0.23}, {}))
    assert seen == [f"{k} {p}" for k in ("wet1", "wet2", "after") for p in BANDS]
    step = surveyed(*answers)["faults.contacts"]
    assert step.status is Status.DONE and "8.90 ohm before, 4.10 ohm after" in step.advice[0]


def test_a_set_that_can_transmit_is_locked_first() -> None:
    facts = replace(portable(), traits=("can transmit",))
    rows = [row(21 + n, "row", p, 4.3, 4.3, 4.3) for n, p in enumerate(BANDS)]
    step = traced(on_a_band(LEADS, *rows, WET), facts)["faults.contacts"]
    assert step.ask is not None and step.ask.key == "locked"


@cache
def tuner() -> ReceiverFacts:
    return receiver_facts(read_sheet(demo_sheet("lintel-tuner")))


def volts_of_q4(seq: int, **volts: float) -> Answer:
    places = {e: electrode("Q4", e) for e in volts}
    return Answer(seq, "faults.mend.1", "volts-of Q4", volts, {}, places=places)


def a_silent_tuner(*answers: Answer) -> JobRecord:
    taken_up = said(5, "faults.trace.1", "take up", block="first audio Q4")
    fed = Answer(3, "bring-up.ramp", "held", {"b_plus": 17.5}, {}, places={"b_plus": B_PLUS})
    first = said(4, "faults.complaint", "what", what="dead")
    return JobRecord(answers=(fed, first, taken_up, *answers), entered=(cell(1, "bc AM", "fails"),))


def test_inside_a_block_its_own_circuit_tells_the_part_and_a_check_decides() -> None:
    step = traced(a_silent_tuner(), tuner())["faults.mend.1"]
    asks = {a.key: a for a in step.others}
    assert "volts-of Q4" in asks and "collector" in asks["volts-of Q4"].prompt
    # an emitter that stands at nothing, and its collector at the feed: no current
    dead_q4 = volts_of_q4(10, plate=17.4, cathode=0.02, grid=3.4)
    step = traced(a_silent_tuner(dead_q4), tuner())["faults.mend.1"]
    assert any("transistor Q4" in line for line in step.advice)
    assert not any("plate" in line or "grid" in line for line in step.advice)
    diagram = looked_at(step).diagram
    assert diagram is not None
    q4 = next(b for b in diagram.blocks if "Q4" in b.label)
    [drawn] = q4.circuits
    assert drawn.solid and {p.place for p in drawn.parts} >= {"plate", "upper", "lower", "device"}
    assert next(v for v in drawn.volts if v.at == "plate").read == "17.4 V"
    assert max(drawn.parts, key=lambda p: p.suspicion).place == "device"
    assert {p.place: p.named for p in drawn.parts}["device"]
    said_of = [x.words for x in (*drawn.parts, *drawn.volts)]
    assert "collector resistor" in said_of and "base" in said_of
    assert not any(w in said for said in said_of for w in ("plate", "cathode", "grid", "tube"))
    assert all(p.named == (p.suspicion >= 0.05) for p in drawn.parts)
    # what it would be if it were sound has nothing to do with what is read: a divider of 33 and 8.2
    # kohm that feeds a base through a germanium junction, 1.5 kohm below it and 3.3 above
    said_sound = {v.at: float(v.sound.removesuffix(" V")) for v in drawn.volts}
    loose = said_sound["feed"] * 8.2 / 41.2
    assert 0.85 * loose < said_sound["grid"] < loose
    assert said_sound["grid"] - said_sound["cathode"] == pytest.approx(0.2, abs=0.1)
    fallen = 3.3 / 1.5 * said_sound["cathode"]
    assert said_sound["feed"] - said_sound["plate"] == pytest.approx(fallen, rel=0.1)
    # too much of a drop leaves more than one part
    low = volts_of_q4(10, plate=3.9, cathode=3.6, grid=3.8)
    step = traced(a_silent_tuner(low), tuner())["faults.mend.1"]
    check = next(a for a in step.others if a.key.startswith("check "))
    part = next(line for line in step.advice if line.startswith("Decides: "))
    blamed = part.removeprefix("Decides: ").split(":")[0]
    sound = said(11, "faults.mend.1", check.key, found="good")
    after = traced(a_silent_tuner(low, sound), tuner())["faults.mend.1"]
    assert blamed not in after.advice[0].split(", or ")[0]


def test_sound_volts_are_said_to_be_looked_past_by_signal() -> None:
    step = traced(a_silent_tuner(), tuner())["faults.mend.1"]
    healthy = computed_points(tuner().circuit, tuner().supply)["Q4"]
    sound = volts_of_q4(10, plate=healthy.plate_v, cathode=healthy.cathode_v, grid=healthy.grid_v)
    step = traced(a_silent_tuner(sound), tuner())["faults.mend.1"]
    assert "Look for it by signal" in step.advice[0]


def test_a_chart_that_is_off_is_explained_by_the_stages_circuit() -> None:
    facts = tuner()
    lines = {f"{line.stage} {line.electrode}": line.read_v(1.0, 10e6) for line in chart_lines(
        facts.circuit, facts.supply, (), None)}  # fmt: skip
    supply = Answer(6, "bring-up.chart", "supply", {"line": 230.0, "b_plus": 17.5}, {},
                    places={"b_plus": B_PLUS})  # fmt: skip
    answers = [supply]
    for n, name in enumerate(("Q1", "Q2", "Q3", "Q4")):
        volts = {e: lines[f"{name} {e}"] for e in ("plate", "cathode", "grid")}
        if name == "Q4":
            volts = {"plate": 17.4, "cathode": 0.02, "grid": 3.4}
        places = {e: electrode(name, e) for e in volts}
        answers.append(Answer(7 + n, "bring-up.chart", name, volts, {}, places=places))
    [chart] = chart_steps(Situation(facts, JobRecord(answers=tuple(answers))))
    assert any("Q4, solved with each fault: transistor Q4" in line for line in chart.advice)


def test_what_was_defeated_is_put_back() -> None:
    weak = said(4, "faults.complaint", "what", what="weak everywhere")
    record = JobRecord(answers=(weak,), entered=SILENT_VHF)
    steps = traced(record)
    assert "faults.avc" in steps and "faults.restore" not in steps
    clamped = said(5, "faults.avc", "clamped")
    steps = traced(JobRecord(answers=(weak, clamped), entered=SILENT_VHF))
    assert "clamp off" in steps["faults.restore"].title
    assert steps["faults.restore"].undoes == "faults.avc"
    transmits = replace(portable(), traits=("can transmit",))
    title = traced(dead(), transmits)["faults.restore"].title
    assert "transmit inhibit" in title and "AVC" not in title


def test_with_the_avc_left_working_levels_behind_it_are_not_counted_in_full() -> None:
    weak = said(4, "faults.complaint", "what", what="weak everywhere")
    entered = tuple(cell(n, p, "partly") for n, p in enumerate(BANDS, 1))
    left = Closure(5, "faults.avc", "left working", "", "me")
    free = traced(JobRecord(answers=(weak,), entered=entered, closures=(left,)))
    held = traced(JobRecord(answers=(weak, said(5, "faults.avc", "clamped")), entered=entered))
    for steps, works in ((free, True), (held, False)):
        step = steps["faults.trace.1"]
        injected = known_trials(diagram_of(portable()), Symptom.SIGNAL)
        ahead, behind = "injection lw AM if-1-base> signal", "injection lw AM q11-base> signal"
        held_back = find_ask(step, f"{ahead} avc@expected={expected_of(injected[ahead]):g}")
        assert (held_back is not None) is works
        # behind the detector the control has nothing to say
        assert f"{behind} avc" not in injected


def test_what_came_back_is_looked_at_again() -> None:
    known = Entered(
        4, "history", "this set socket-fm", "faults.complaint", {"count": 1.0},
        {"of": "this set", "block": "socket-fm"},
    )  # fmt: skip
    done = said(8, "faults.mend.1", "mended socket-fm", done="reseated")
    for entered, again in ((SILENT_VHF, False), ((*SILENT_VHF, known), True)):
        situation = Situation(portable(), dead(*CONVICTING, done, entered=entered))
        part = ROOM.report(situation, tuple(tracing_steps(situation)))
        assert part.story == ("FM IF board's socket: reseated.",)
        assert ("came back" in part.next_check) is again


def test_two_faults_at_once_are_shown_on_request() -> None:
    step = traced(dead())["faults.trace.1"]
    assert "two" in {a.key for a in step.others}
    asked = traced(dead(said(5, "faults.trace.1", "two")))["faults.trace.1"]
    assert asked.advice[0].startswith("Two faults at once, ") and " with " in asked.advice[0]
    assert asked.advice[1:] == step.advice


def test_a_diagram_that_was_derived_is_said_to_be() -> None:
    entered = (cell(1, "bc AM", "fails"),)
    derived = traced(dead(entered=entered), tidewater_facts())["faults.trace.1"]
    assert derived.notes and "gives no block diagram" in derived.notes[0]
    assert traced(dead())["faults.trace.1"].notes == ()


def test_figures_of_the_matrix_are_compared() -> None:
    def figure(seq: int, row: str, text: str) -> Entered:
        texts = {"row": row, "column": "plays", "state": "figure", "figure": text}
        return Entered(seq, "matrix", f"{row}|plays", "intake.function", {}, texts)

    diagram = diagram_of(portable())
    known = known_trials(diagram, Symptom.SIGNAL)
    for figures, wanted in (
        (("S8", "S7", "S2"), [Outcome.GOOD, Outcome.GOOD, Outcome.PARTLY]),
        (("S8",), []),
    ):
        entered = tuple(
            figure(n, p, f) for n, (p, f) in enumerate(zip(BANDS, figures, strict=False))
        )
        situation = Situation(portable(), JobRecord(entered=entered))
        found = gathered(situation, diagram, Symptom.SIGNAL, known)
        assert [e.finding.outcome for e in found] == wanted


def test_after_a_repair_somebody_asks_whether_it_is_right_now() -> None:
    """Nobody filled the matrix: what the mended block serves is tried as a whole."""
    hums = said(4, "faults.complaint", "what", what="hum at twice the line's frequency")
    taken_up = said(5, "faults.trace.1", "take up", block="battery and on-switch")
    done = said(6, "faults.mend.1", "mended battery", done="filter renewed")
    steps = traced(JobRecord(answers=(hums, taken_up, done)))
    asked = steps["faults.trace.2"].ask
    assert asked is not None and asked.key == "function lw AM hum"
    quiet = said(7, "faults.trace.2", asked.name, found="works")
    steps = traced(JobRecord(answers=(hums, taken_up, done, quiet)))
    assert steps["faults.trace.2"].status is Status.DONE
    still = replace(quiet, texts={"found": "fails"})
    steps = traced(JobRecord(answers=(hums, taken_up, done, still)))
    assert steps["faults.trace.2"].status is Status.OPEN


def test_what_passes_a_signal_everywhere_is_tried_again_before_more_is_tested() -> None:
    whole = "function bc AM signal"
    passes = [
        said(21, "faults.trace.1", "tracing bc AM >detector signal", found="works"),
        said(22, "faults.trace.1", "injection bc AM detector> signal", found="works"),
    ]

    def first(*answers: Answer) -> Step:
        silent = dead(*answers, entered=(cell(1, "bc AM", "fails"),))
        return traced(silent, tuner())["faults.trace.1"]

    half = first(passes[0])
    assert half.ask is not None and half.ask.name != whole
    asked = first(*passes)
    assert asked.ask is not None and asked.ask.name == whole
    assert "try it again" in asked.advice[0]
    against = said(23, "faults.trace.1", "injection bc AM first-audio> signal", found="fails")
    torn = first(*passes, against)
    assert torn.ask is not None and torn.ask.name != whole
    still = first(*passes, said(23, "faults.trace.1", whole, found="fails"))
    assert still.ask is not None and still.ask.name != whole
    works = first(*passes, said(23, "faults.trace.1", whole, found="works"))
    assert works.ask is not None and works.ask.name != whole
    assert "works now" in works.advice[0]


@pytest.mark.parametrize(
    "facts", [tuner(), portable(), tidewater_facts()], ids=("tuner", "portable", "table set")
)
def test_no_test_asks_for_a_level_that_cannot_be_set_or_overloads(facts: ReceiverFacts) -> None:
    diagram = diagram_of(facts)
    levels = [levels_of(t) for t in known_trials(diagram, Symptom.SIGNAL).values()]
    known = [one for one in levels if one is not None]
    assert known
    for put_in, seen in known:
        assert 1e-8 <= put_in <= 10.0 and 1e-8 <= seen <= max(put_in, 2.0)
