"""The voltage chart: loading against a resistor network, scaling, heaters, currents, leak logic."""

from __future__ import annotations

import json
import math
import re
from dataclasses import replace

import numpy as np
import pytest

from builders import a_record, aligned, an_answer, plain_answer, tidewater_facts, walked
from glowdial.bench.simulated import SimulatedBench
from glowdial.core.bench.equipment import Equipment, MeterLimits
from glowdial.core.journey.conditions import instruments_of
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ChartFigure, ReceiverFacts
from glowdial.core.model.measurands import electrode
from glowdial.core.physics.supply.line_current import heater_volts
from glowdial.core.plan.journey import journey
from glowdial.core.stages.bring_up.voltage_chart import (
    chart_lines,
    chart_meter_ohm,
    heater_lines,
    stage_currents,
)
from glowdial.demo.fill import demo_sheet
from glowdial.sim.condition import CapacitorFault, DeviceFault, ResistorFault
from glowdial.sim.state import BenchState
from glowdial.workshop.base.sheets import check_sheet, facts_of, read_sheet


def demo_facts(name: str) -> ReceiverFacts:
    return facts_of(read_sheet(demo_sheet(name)).model_dump(mode="json"))


KITCHEN, FARM = demo_facts("pantry-five"), demo_facts("sheepwalk-four")
TUNER = demo_facts("lintel-tuner")


def test_a_meter_takes_what_the_divider_that_it_makes_takes() -> None:
    """Solved as a network of conductances, the meter one of them."""
    line = next(x for x in chart_lines(KITCHEN.circuit, KITCHEN.supply, (), None) if x.open_v > 60)
    for meter_ohm in (20e3, 250e3, 11e6):
        conductance = np.array([[1.0 / line.source_ohm + 1.0 / meter_ohm]])
        volts = np.linalg.solve(conductance, np.array([line.open_v / line.source_ohm]))[0]
        assert line.read_v(1.0, meter_ohm) == pytest.approx(volts, rel=1e-12)
        assert line.read_v(0.9, meter_ohm) == pytest.approx(0.9 * volts)


def test_the_charts_own_meter_is_taken_out_before_ours_is_put_in() -> None:
    figure = ChartFigure("V3", "plate", 62.0)
    (line,) = [
        x
        for x in chart_lines(KITCHEN.circuit, KITCHEN.supply, (figure,), 1000.0)
        if (x.stage, x.electrode) == ("V3", "plate")
    ]
    assert chart_meter_ohm(62.0, 1000.0) == 250e3 and math.isinf(chart_meter_ohm(62.0, None))
    assert line.from_sheet and line.open_v > 62.0
    assert line.read_v(1.0, 250e3) == pytest.approx(62.0)
    assert 62.0 < line.read_v(1.0, 11e6) < line.open_v


def test_a_charts_own_names_and_odd_electrodes_are_kept() -> None:
    document = json.loads(demo_sheet("tidewater-six"))
    points = [
        {"tube": "V2", "electrode": "Anode", "volts": 226},
        {"tube": "V2", "electrode": "suppressor", "volts": 0.5},
        {"tube": "V9", "electrode": "target", "volts": 120},
    ]
    document["voltage_chart"]["points"] = points
    facts = facts_of(read_sheet(json.dumps(document)).model_dump(mode="json"))
    lines = chart_lines(facts.circuit, facts.supply, facts.chart, facts.chart_ohm_per_volt)
    assert [x.label for x in lines] == ["V2 plate", "V2 suppressor", "V9 target"]
    assert all(x.from_sheet for x in lines)


def test_every_figure_stands_where_a_sound_simulated_set_stands() -> None:
    for facts in (KITCHEN, FARM, TUNER):
        bench = SimulatedBench(aligned(facts), BenchState(line_v=facts.line_v or 230.0))
        lines = chart_lines(facts.circuit, facts.supply, facts.chart, facts.chart_ohm_per_volt)
        assert len(lines) >= 10
        for line in lines:
            read = bench.read(electrode(line.stage, line.electrode))
            window = line.window(1.0, 11e6)
            assert window.low is not None and window.high is not None
            assert window.low <= read <= window.high, line.label


def test_a_strings_heaters_share_the_line_and_add_up_to_it() -> None:
    heaters = KITCHEN.circuit.heaters
    for line_v in (180.0, 230.0, 245.0):
        volts = heater_volts(heaters, line_v, 230.0)
        current = [v / h.volts for v, h in zip(volts, heaters.heaters, strict=True)]
        assert max(current) == pytest.approx(min(current), rel=1e-6)  # one current, one share
        dropper_v = line_v - sum(volts)
        assert 0.4 * line_v < dropper_v < 0.6 * line_v
    lines = heater_lines(KITCHEN.circuit, 230.0, 230.0)
    assert [w.nominal for _, w in lines] == pytest.approx([14.0, 12.6, 14.0, 45.0, 31.0], rel=2e-3)


def test_currents_follow_from_the_resistors_and_the_energy_adds_up() -> None:
    receiver = aligned(KITCHEN)
    power = receiver.power.at(BenchState(line_v=230.0))
    for stage in KITCHEN.circuit.stages:
        point = power.points[stage.name]
        found = stage_currents(
            stage, power.node_v[stage.feed], point.plate_v, point.cathode_v, point.screen_v or None
        )
        assert found is not None
        assert found.cathode_a == pytest.approx(point.total_a, rel=1e-2)
        # what the plate's path takes from the feed is the plate's heat and both resistors'
        drawn_w = point.plate_a * power.node_v[stage.feed]
        resistors_w = point.plate_a**2 * stage.plate_ohm + point.plate_a * point.cathode_v
        if stage.screen_ohm > 0.0 or point.screen_a == 0.0:
            assert found.plate_w == pytest.approx(drawn_w - resistors_w, rel=0.02)


def charted(facts: ReceiverFacts, *faults: object, kit: Equipment | None = None) -> Step:
    """The chart of a simulated set with what ails it, measured as the step's recipes say."""
    receiver = aligned(facts, faults=faults)
    record = before_chart(facts)
    for _ in range(12):
        state = journey(facts, record, kit or Equipment())
        step = state.step("bring-up.chart")
        if step.ask is None or step.retake:
            return step
        bench = SimulatedBench(receiver, BenchState(line_v=facts.line_v or 230.0))
        assert step.ask.recipe is not None
        bench.apply(step.ask.recipe.change)
        values = {f.name: bench.read(f.measurand) for f in step.ask.fields if f.measurand}
        seq = max(a.seq for a in record.answers) + 1
        then = instruments_of(kit or Equipment(), step.ask)
        answer = replace(an_answer(seq, step.key, step.ask.key, values), instruments=then)
        record = replace(record, answers=(*record.answers, answer))
    raise AssertionError("the chart did not end")


def before_chart(facts: ReceiverFacts) -> JobRecord:
    record = walked(facts, "bring-up.ramp")
    return a_record(*record.answers)


@pytest.mark.parametrize("facts", [KITCHEN, FARM, TUNER, tidewater_facts()], ids=lambda f: f.title)
def test_a_sound_set_is_inside_everywhere(facts: ReceiverFacts) -> None:
    step = charted(facts)
    outside = [r.label for r in step.results if r.judgement.verdict.outside]
    assert (step.status, outside) == (Status.DONE, [])


def test_a_leaky_coupling_capacitor_is_told_from_a_gassy_tube() -> None:
    leaky = charted(KITCHEN, CapacitorFault("V4", "coupling", 3e6))
    assert leaky.status is Status.TROUBLE
    assert any("the coupling capacitor from V3 leaks" in line for line in leaky.advice)
    # a tube whose own grid is pulled up, and stays so with the capacitor lifted
    gassy = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in gassy.answers)
    nodes = an_answer(seq + 1, "bring-up.chart", "supply", {"line": 230.0, "b_plus": 166.0})
    volts = {"plate": 150.0, "screen": 160.0, "cathode": 11.0, "grid": 3.0}
    read = an_answer(seq + 2, "bring-up.chart", "V4", volts)
    state = replace(gassy, answers=(*gassy.answers, nodes, read))
    asked = journey(KITCHEN, state).step("bring-up.chart")
    lifted = next(a for a in (asked.ask, *asked.others) if a and a.key == "V4-lifted")
    assert lifted.makes == (("lifted lead", "coupling capacitor at V3 plate"),)
    assert any("Never pull a tube of a series string" in line for line in asked.advice)
    stays = an_answer(seq + 3, "bring-up.chart", "V4-lifted", {"grid": 2.8})
    told = journey(KITCHEN, replace(state, answers=(*state.answers, stays)))
    assert any("V4 is gassy" in line for line in told.step("bring-up.chart").advice)


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        (DeviceFault("V4", 0.15), "V4 draws too little"),
        (ResistorFault("V2", "screen", 3.0), "V2"),
        (CapacitorFault("V1", "screen bypass", 20e3), "V1's screen is low"),
        (ResistorFault("V4", "cathode", 0.3), "V4"),
    ],
)
def test_a_faulty_stage_is_named_with_its_likely_cause(fault: object, words: str) -> None:
    step = charted(KITCHEN, fault)
    assert step.status is Status.TROUBLE
    assert any(line.startswith(words) for line in step.advice), step.advice


@pytest.mark.parametrize(("share", "hot"), [(0.9, False), (1.15, False), (1.6, True), (3.0, True)])
def test_a_plate_that_burns_well_over_its_design_is_outside(share: float, hot: bool) -> None:
    """The heat of the output stage, from a cathode's volts that go up with its current."""
    stage = next(s for s in KITCHEN.circuit.stages if s.name == "V4")
    power = aligned(KITCHEN).power.at(BenchState(line_v=230.0))
    design, feed_v = power.points["V4"], power.node_v[stage.feed]
    cathode_v = share * design.cathode_v
    # the energy balance: what the feed gives less what the resistors burn
    current_a = share * design.plate_a
    plate_v = feed_v - current_a * stage.plate_ohm
    watts = current_a * (plate_v - cathode_v)
    designed = design.plate_a * (design.plate_v - design.cathode_v)
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in record.answers)
    nodes = {
        "line": 230.0,
        "b_plus": power.node_v[-1],
    }
    volts = {"plate": plate_v, "screen": design.screen_v, "cathode": cathode_v, "grid": 0.0}
    answers = (
        an_answer(seq + 1, "bring-up.chart", "supply", nodes),
        an_answer(seq + 2, "bring-up.chart", "V4", volts),
    )
    state = journey(KITCHEN, replace(record, answers=(*record.answers, *answers)))
    step = state.step("bring-up.chart")
    heat = next(r for r in step.results if r.label == "V4 plate heat")
    assert heat.value == pytest.approx(watts, rel=0.1)
    assert (watts > 1.3 * designed) is hot
    assert heat.judgement.verdict.outside is hot


def test_a_risen_ballast_shows_in_all_heaters_together() -> None:
    receiver = aligned(KITCHEN, dropper=1.25)
    volts = receiver.power.heater_v(BenchState(line_v=230.0))
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in record.answers)
    nodes = an_answer(seq + 1, "bring-up.chart", "supply", {"line": 230.0, "b_plus": 166.0})
    heaters = an_answer(seq + 2, "bring-up.chart", "heaters", volts)
    step = journey(KITCHEN, replace(record, answers=(*record.answers, nodes, heaters))).step(
        "bring-up.chart"
    )
    assert any("the dropper or ballast has risen" in line for line in step.advice)
    low = [r for r in step.results if r.label.endswith("heater")]
    assert all(r.judgement.verdict.value == "low" for r in low) and len(low) == 5


def test_a_poor_meter_narrows_nothing_but_moves_the_windows() -> None:
    poor = Equipment(meter=MeterLimits("old meter", 200e3))
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in record.answers)
    nodes = an_answer(seq + 1, "bring-up.chart", "supply", {"line": 207.0, "b_plus": 150.0})
    record = replace(record, answers=(*record.answers, nodes))

    def expected(kit: Equipment) -> str:
        step = journey(KITCHEN, record, kit).step("bring-up.chart")
        ask = next(a for a in (step.ask, *step.others) if a and a.key == "V3")
        return ask.expected_text

    good_v, poor_v = (float(expected(k).split()[0]) for k in (Equipment(), poor))
    (plate,) = [
        x
        for x in chart_lines(KITCHEN.circuit, KITCHEN.supply, (), None)
        if (x.stage, x.electrode) == ("V3", "plate")
    ]
    assert poor_v == pytest.approx(plate.open_v * 0.9 / (1 + plate.source_ohm / 200e3), rel=0.01)
    assert good_v == pytest.approx(plate.open_v * 0.9 / (1 + plate.source_ohm / 10e6), rel=0.01)
    assert poor_v < 0.9 * good_v


def test_what_was_not_read_is_a_dash_and_the_rest_counts() -> None:
    record = walked(tidewater_facts(), "bring-up.chart")
    for _ in range(12):
        step = journey(tidewater_facts(), record).step("bring-up.chart")
        assert step.ask is not None
        if step.ask.blanks and len(step.ask.fields) >= 2:
            break
        seq = max(a.seq for a in record.answers) + 1
        record = replace(record, answers=(*record.answers, plain_answer(seq, step, step.ask)))
    ask = step.ask
    line = " ".join(["-", *ask.example.split()[1:]])
    entry = read_entry(ask, line, {})
    skipped, *read = [f.name for f in ask.fields]
    assert skipped not in entry.values and set(entry.values) == set(read)
    kept = Answer(seq + 1, step.key, ask.key, entry.values, {})
    after = journey(tidewater_facts(), replace(record, answers=(*record.answers, kept))).step(
        step.key
    )
    assert {r.label for r in after.results} >= {f.label for f in ask.fields[1:]}
    with pytest.raises(BadInput, match="holds no value"):
        read_entry(ask, " ".join("-" for _ in ask.fields), {})


@pytest.mark.parametrize(
    ("read", "words"),
    [
        (("230", "0", "0", "0", "0"), "open at V1"),
        (("0", "0", "0", "0", "0"), "No volts at any heater"),
    ],
)
def test_an_open_series_heater_is_named(read: tuple[str, ...], words: str) -> None:
    facts = facts_of(read_sheet(demo_sheet("pantry-five")).model_dump(mode="json"))
    record = walked(facts, "bring-up.chart")
    for _ in range(6):
        step = journey(facts, record).step("bring-up.chart")
        assert step.ask is not None
        seq = max(a.seq for a in record.answers) + 1
        if "heater" in step.ask.fields[0].label:
            values = {f.name: float(v) for f, v in zip(step.ask.fields, read, strict=False)}
            kept = Answer(seq, step.key, step.ask.key, values, {})
            after = journey(facts, replace(record, answers=(*record.answers, kept)))
            assert any(words in line for line in after.step(step.key).advice)
            return
        record = replace(record, answers=(*record.answers, plain_answer(seq, step, step.ask)))
    raise AssertionError("the heaters were not asked for")


OLD, NEW = MeterLimits("old meter", 60e3), MeterLimits("new meter", 10e6)
BOTH = Equipment(meter=NEW, others=(OLD,))
NODES = {"line": 230.0, "b_plus": 166.0}


def read_with(
    name: str, kit: Equipment, volts: dict[str, float], later: Equipment | None = None
) -> Step:
    """The kitchen's chart with V3 read, on a chart said to be read with the meter of that name, as
    it stands when ``later`` is registered."""
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in record.answers)
    ask = journey(KITCHEN, record, kit).step("bring-up.chart").ask
    assert ask is not None
    texts = {"meter": name} if name else {}
    nodes = replace(
        an_answer(seq + 1, "bring-up.chart", "supply", NODES, **texts),
        instruments=instruments_of(kit, ask, texts),
    )
    stage = replace(
        an_answer(seq + 2, "bring-up.chart", "V3", volts), instruments=instruments_of(kit, ask)
    )
    done = replace(record, answers=(*record.answers, nodes, stage))
    return journey(KITCHEN, done, later or kit).step("bring-up.chart")


def plate_v3(meter_ohm: float) -> float:
    (plate,) = [
        x
        for x in chart_lines(KITCHEN.circuit, KITCHEN.supply, (), None)
        if (x.stage, x.electrode) == ("V3", "plate")
    ]
    return plate.open_v * meter_ohm / (meter_ohm + plate.source_ohm)


def test_the_meter_that_a_chart_was_read_with_is_asked_where_there_are_two() -> None:
    """Neither the newest nor a change of the register decides what a reading should have been."""
    volts = {"plate": plate_v3(60e3), "cathode": 1.2}

    def verdict(step: Step) -> bool:
        return next(r for r in step.results if r.label == "V3 plate").judgement.verdict.outside

    asked = journey(KITCHEN, walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN)), BOTH)
    first = asked.step("bring-up.chart").ask
    assert first is not None
    options = next(f.options for f in first.fields if f.name == "meter")
    assert options == ("new meter", "old meter")
    assert not verdict(read_with("old meter", BOTH, volts))
    assert verdict(read_with("new meter", BOTH, volts)) and verdict(read_with("", BOTH, volts))
    # what is read on is kept with that meter, too
    later = read_with("old meter", BOTH, volts)
    ask = next(a for a in (later.ask, *later.others) if a and a.key == "V2")
    assert instruments_of(BOTH, ask).meter == "old meter"
    assert "old meter, 60.0 kohm" in read_with("old meter", BOTH, volts).reason
    # only one is registered: nothing to ask
    alone = journey(KITCHEN, walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN)))
    ask = alone.step("bring-up.chart").ask
    assert ask is not None and all(f.name != "meter" for f in ask.fields)


def test_a_low_plate_on_an_unknown_meter_may_be_the_meters() -> None:
    low = {"plate": 0.7 * plate_v3(10e6), "cathode": 1.2}
    unknown = read_with("", Equipment(), low)
    assert any("or your meter loads it" in line for line in unknown.advice)
    assert "none is registered" in unknown.reason
    known = read_with("", Equipment(meter=NEW), low)
    assert any("plate is low" in line for line in known.advice)
    assert all("your meter" not in line for line in known.advice)
    # lower than any meter makes it: the set's own doing
    dead = read_with("", Equipment(), {"plate": 0.3 * plate_v3(10e6), "cathode": 1.2})
    assert all("your meter" not in line for line in dead.advice)


def test_a_meters_name_of_two_words_is_typed_at_the_end_of_the_line() -> None:
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    ask = journey(KITCHEN, record, BOTH).step("bring-up.chart").ask
    assert ask is not None
    typed = {"230 166 old meter": "old meter", "230 166 new": "new meter", "230 166": ""}
    for line, meter in typed.items():
        assert read_entry(ask, line, {}).texts["meter"] == meter
    # one letter is nano to a number: asked about, not kept
    assert read_entry(ask, "230 166 n", {}).doubts
    with pytest.raises(BadInput):
        read_entry(ask, "230 166 other meter", {})


def test_a_charted_output_tube_has_its_grid_to_measure_also_without_a_circuit() -> None:
    document = json.loads(demo_sheet("pantry-five"))
    points = [{"tube": "V4", "electrode": "plate", "volts": 150.0, "tolerance": 0.2}]
    bare = {
        **{k: v for k, v in document.items() if k not in ("circuit", "voltage_chart")},
        "voltage_chart": {"source": "service manual", "points": points},
    }
    facts = facts_of(check_sheet(bare).model_dump(mode="json"))
    record = walked(facts, "bring-up.chart", before_chart(facts))
    seq = max(a.seq for a in record.answers)
    nodes = an_answer(seq + 1, "bring-up.chart", "supply", NODES)
    volts = {"plate": 150.0, "grid": 4.0}
    read = an_answer(seq + 2, "bring-up.chart", "V4", volts)
    step = journey(facts, replace(record, answers=(*record.answers, nodes, read))).step(
        "bring-up.chart"
    )
    assert any("V4's grid is positive (4.0 V): the coupling capacitor" in x for x in step.advice)
    asked = [a.key for a in (step.ask, *step.others) if a]
    assert "V4-lifted" in asked


def test_a_transistor_set_reads_no_word_of_tubes() -> None:
    """Whatever ails it: collectors, bases and emitters, and nothing pulled from a socket."""
    said: list[str] = []
    faults: list[object] = [DeviceFault(s.name, 0.2) for s in TUNER.circuit.stages]
    faults += [ResistorFault(s.name, "cathode", 3.0) for s in TUNER.circuit.stages]
    for fault in faults:
        step = charted(TUNER, fault)
        said += [step.title, step.reason, *step.advice, *(r.label for r in step.results)]
    for step in journey(TUNER, before_chart(TUNER)).steps:
        said += [step.title, step.reason, *step.controls, *step.advice]
        said += [w for a in (step.ask, *step.others) if a for w in (a.prompt, a.example)]
        said += [f.label for a in (step.ask, *step.others) if a for f in a.fields]
    wrong = [w for w in said if re.search(r"\b(tubes?|plates?|cathodes?|grids?)\b", w)]
    assert wrong == []
    assert any("base divider" in w for w in said)


@pytest.mark.parametrize("facts", [KITCHEN, FARM, TUNER, tidewater_facts()], ids=lambda f: f.title)
def test_the_table_holds_every_figure_once_with_what_was_read(facts: ReceiverFacts) -> None:
    step = charted(facts)
    table = step.table
    assert table is not None
    cells = [(row.label, c) for row in table.rows for c in row.cells]
    places = [(label, c.column) for label, c in cells]
    assert len(places) == len(set(places)) and {p[1] for p in places} <= set(table.columns)
    lines = chart_lines(facts.circuit, facts.supply, facts.chart, facts.chart_ohm_per_volt)
    heaters = len(facts.circuit.heaters.heaters)
    assert sum(c.column not in ("heater", "heat") for _, c in cells) == len(lines)
    assert sum(c.column == "heater" for _, c in cells) == heaters
    # all was read: every cell has its verdict, as the step's results have
    shown = sorted(c.verdict for _, c in cells)
    judged = sorted(r.judgement.verdict.value for r in step.results if r.label.split()[0] != "B+")
    assert shown == judged
    # a row is taken by a question of the step
    asks = {a.key for a in (step.ask, *step.others) if a} | {r.ask for r in table.rows}
    assert {c.ask for _, c in cells} <= asks


def test_before_anything_is_read_the_table_says_what_is_expected() -> None:
    record = walked(KITCHEN, "bring-up.chart", before_chart(KITCHEN))
    seq = max(a.seq for a in record.answers)
    nodes = an_answer(seq + 1, "bring-up.chart", "supply", NODES)
    table = (
        journey(KITCHEN, replace(record, answers=(*record.answers, nodes)))
        .step("bring-up.chart")
        .table
    )
    assert table is not None
    (plate,) = [
        c for row in table.rows for c in row.cells if (row.label, c.column) == ("V3", "plate")
    ]
    assert plate.read == "" and plate.verdict == ""
    assert float(plate.expected.split()[0]) == pytest.approx(plate_v3(10e6), rel=0.01)


def test_a_meters_minus_goes_to_the_rail_that_the_set_has() -> None:
    rails = {f.title: charted(f).leads[0].to for f in (KITCHEN, TUNER)}
    assert rails == {KITCHEN.title: "B-", TUNER.title: "chassis"}


def test_what_was_read_stands_beside_what_was_expected_of_the_meter_of_then() -> None:
    """A meter that is registered later changes no cell that was read, but those that were not."""
    volts = {"plate": plate_v3(60e3), "cathode": 1.2}
    then = read_with("", Equipment(meter=OLD), volts)
    now = read_with("", Equipment(meter=OLD), volts, later=Equipment(meter=NEW, others=(OLD,)))

    def cells(step: Step, *, read: bool) -> dict[str, str]:
        assert step.table is not None
        every = [c for row in step.table.rows for c in row.cells]
        return {c.label: c.expected for c in every if bool(c.read) == read}

    assert cells(now, read=True) == cells(then, read=True) != {}
    plate = float(cells(then, read=True)["V3 plate"].split()[0])
    assert plate == pytest.approx(plate_v3(60e3), rel=0.01)
    assert cells(now, read=False) != cells(then, read=False)
