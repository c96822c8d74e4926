"""The list of parts: needs by use, substitutes, schools and their order, the journey through it."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest

from builders import a_record, a_supply, an_answer, held, tidewater_facts, walked
from glowdial.core.journey.record import Change, JobRecord
from glowdial.core.journey.steps import Status
from glowdial.core.language.errors import BadInput
from glowdial.core.model.parts import Part, PartKind, PartUse
from glowdial.core.plan.journey import journey
from glowdial.core.stages.parts.marking import marking_of
from glowdial.core.stages.parts.measured import check_measured, leakage_limit_a
from glowdial.core.stages.parts.needs import need_of
from glowdial.core.stages.parts.order import DANGEROUS, School, batches
from glowdial.core.stages.parts.state import found_parts, part_states
from glowdial.core.stages.parts.substitutes import StockItem, substitutes

FACTS = tidewater_facts()
SUPPLY = a_supply()
PAPER, CAN = PartKind.PAPER, PartKind.ELECTROLYTIC


def capacitor(
    use: PartUse, value: float, volts: float, kind: PartKind = PAPER, **more: float
) -> Part:
    return Part("C1", "a part", kind, use, value, volts=volts, **more)  # type: ignore[arg-type]


def test_volts_are_what_the_part_can_see_before_the_tubes_draw() -> None:
    part = capacitor(PartUse.FIRST_FILTER, 16e-6, 350.0, CAN)
    need = need_of(part, SUPPLY, transformer=True)
    # crest of one half, at high line, from an unloaded transformer
    assert need.wanted.rating == pytest.approx(2**0.5 * 300.0 * 1.1 * 1.1)
    live = need_of(part, SUPPLY, transformer=False)
    assert live.wanted.rating == pytest.approx(2**0.5 * 300.0 * 1.1)
    low = need_of(capacitor(PartUse.CATHODE, 25e-6, 25.0, CAN), SUPPLY, transformer=True)
    assert low.wanted.rating == 25.0


def test_a_first_filter_stays_below_what_the_rectifier_permits() -> None:
    part = capacitor(PartUse.FIRST_FILTER, 16e-6, 450.0, CAN, most_f=20e-6)
    assert need_of(part, SUPPLY, transformer=True).wanted.above == pytest.approx(0.25)
    free = replace(part, most_f=None)
    assert need_of(free, SUPPLY, transformer=True).wanted.above == 0.5


def test_where_the_mains_is_bridged_a_class_is_wanted_and_to_the_chassis_a_small_one() -> None:
    line = need_of(capacitor(PartUse.MAINS, 47e-9, 400.0), SUPPLY, transformer=True)
    assert line.safety == "X2 or Y2" and line.wanted.rating == 250.0
    chassis = capacitor(PartUse.CHASSIS, 100e-9, 400.0)
    need = need_of(chassis, SUPPLY, transformer=False)
    assert need.safety == "Y2" and need.wanted.value == pytest.approx(4.7e-9)
    stock = (
        StockItem(1, False, 100e-9, 630.0, 5),
        StockItem(2, False, 22e-9, 275.0, 5, "X2"),
        StockItem(3, False, 4.7e-9, 250.0, 5, "Y2"),
    )
    best = substitutes(chassis, need, stock)[0]
    assert [i.key for i in best.items] == [3] and best.from_stock and "Y2" in best.words


def test_the_best_from_stock_is_the_best_of_all_that_there_are() -> None:
    """Against a plain search over every combination, random stocks of electrolytics."""
    rng = np.random.default_rng(5)
    for _ in range(60):
        stock = tuple(
            StockItem(n + 1, False, float(v), float(rng.choice([250.0, 450.0])), 9, "", True)
            for n, v in enumerate(
                rng.choice([4.7e-6, 10e-6, 22e-6, 33e-6, 47e-6], 5, replace=False)
            )
        )
        value = float(rng.uniform(12e-6, 60e-6))
        part = capacitor(PartUse.FILTER, value, 300.0, CAN)
        need = need_of(part, None, transformer=True)
        good = [i for i in stock if i.rating >= 300.0]
        ways = [
            c
            for k in (1, 2, 3)
            for c in itertools.combinations_with_replacement(good, k)
            if 0.8 * value <= sum(i.value for i in c) <= 1.5 * value
        ]
        found = [s for s in substitutes(part, need, stock) if s.from_stock]
        assert bool(found) == bool(ways)
        if ways:
            best = min(
                ways, key=lambda c: (len(c), round(abs(np.log(sum(i.value for i in c) / value)), 9))
            )
            assert len(found[0].items) == len(best)
            assert found[0].value == pytest.approx(sum(i.value for i in best))


def test_with_an_empty_stock_a_standard_value_is_proposed() -> None:
    part = capacitor(PartUse.OUTPUT_COUPLING, 10e-9, 400.0)
    (only,) = substitutes(part, need_of(part, SUPPLY, transformer=True), ())
    assert not only.from_stock and only.inside and "630 V" in only.words
    paper = Part("R1", "a resistor", PartKind.RESISTOR, PartUse.RESISTANCE, 223e3, watts=0.5)
    (resistor,) = substitutes(paper, need_of(paper, SUPPLY, transformer=True), ())
    assert resistor.words == "220 kohm 0.5 W"


@pytest.mark.parametrize("school", list(School))
def test_every_school_takes_each_perishable_part_once_and_the_dangerous_ones_early(
    school: School,
) -> None:
    found = batches(FACTS.parts, school)
    refs = [p.ref for b in found for p in b.parts]
    wanted = [p.ref for p in FACTS.parts if p.kind not in (PartKind.MICA, PartKind.CERAMIC)]
    assert sorted(refs) == sorted(wanted)
    before = [p for b in found if b.before_power for p in b.parts]
    if school is not School.AS_FOUND:
        assert all(p in before for p in FACTS.parts if p.use in DANGEROUS)
    mains = [p for p in FACTS.parts if p.use is PartUse.MAINS]
    assert mains and all(p in before for p in mains)
    later = [b for b in found if not b.before_power]
    assert all(b.tested and len(b.parts) <= 3 for b in later)
    assert bool(later) == (school is not School.ALL)


def test_what_a_measured_value_says() -> None:
    paper = capacitor(PartUse.COUPLING, 10e-9, 400.0)
    assert "within" in check_measured(paper, 10.5e-9)
    assert "a leaky paper reads high" in check_measured(paper, 14e-9)
    resistor = Part("R1", "plate", PartKind.RESISTOR, PartUse.RESISTANCE, 220e3)
    assert "replace it" in check_measured(resistor, 310e3)
    assert "may stay" in check_measured(resistor, 240e3)
    with pytest.raises(BadInput, match="is a short"):
        check_measured(resistor, 0.0)
    with pytest.raises(BadInput, match="more than a resistor in a receiver can shed"):
        heater = replace(resistor, dissipation_w=200.0)
        substitutes(heater, need_of(heater, SUPPLY, transformer=True), ())


def test_leakage_limits_follow_the_charge_and_the_place() -> None:
    can = capacitor(PartUse.FILTER, 32e-6, 450.0, CAN)
    assert leakage_limit_a(can) == pytest.approx(0.01 * 32e-6 * 450.0 + 1e-4)
    grid = capacitor(PartUse.OUTPUT_COUPLING, 10e-9, 400.0)
    assert leakage_limit_a(grid) == pytest.approx(4e-6)
    assert leakage_limit_a(capacitor(PartUse.SCREEN, 1e-7, 400.0)) > leakage_limit_a(grid)


def test_parts_found_in_the_set_are_read_from_their_markings() -> None:
    texts = {"ref": "C30", "marked": "16/8 MFD 450V", "kind": "electrolytic", "use": "filter"}
    both = found_parts(texts)
    assert [(p.ref, round(p.value * 1e6), p.volts, p.can) for p in both] == [
        ("C30a", 16, 450.0, "C30"),
        ("C30b", 8, 450.0, "C30"),
    ]
    dots = marking_of("red green brown", resistor=False)
    assert dots[0].value == pytest.approx(250e-12)
    bands = marking_of("yellow violet orange gold", resistor=True)
    assert (bands[0].value, bands[0].tolerance) == (pytest.approx(47e3), 0.05)
    assert marking_of("47k", resistor=True)[0].value == 47e3


def at_parts(school: School) -> JobRecord:
    start = walked(FACTS, "parts.school")
    seq = max(a.seq for a in start.answers) + 1
    chosen = an_answer(seq, "parts.school", "school", school=school.value)
    return replace(start, answers=(*start.answers, chosen))


def decided(record: JobRecord, step: str, ref: str, decision: str, **values: float) -> JobRecord:
    seq = max(a.seq for a in record.answers) + 1
    answer = an_answer(seq, step, ref, values, decision=decision)
    return replace(record, answers=(*record.answers, answer))


def test_a_batch_is_done_part_by_part_in_any_order_and_order_keeps_it_open() -> None:
    record = at_parts(School.DANGEROUS)
    first = journey(FACTS, record).step("parts.first")
    refs = [a.key for a in (first.ask, *first.others) if a is not None]
    assert refs[0] == "C1" and "C20b" in refs and "C13" not in refs
    for ref in refs[:-1]:
        record = decided(record, "parts.first", ref, "fit")
    record = decided(record, "parts.first", refs[-1], "order")
    waiting = journey(FACTS, record).step("parts.first")
    assert waiting.status is Status.OPEN and waiting.notes == (f"On order: {refs[-1]}.",)
    assert waiting.leave  # may be closed with a reason while the part is on its way
    done = decided(record, "parts.first", refs[-1], "keep")
    assert journey(FACTS, done).step("parts.first").status is Status.DONE
    states = {s.part.ref: s for s in part_states(FACTS, done)}
    assert states["C1"].settled and states["C13"].decision == "" and states["C4"].batch == ""


def test_a_batch_half_done_is_finished_before_the_re_check_that_it_caused() -> None:
    record = decided(at_parts(School.DANGEROUS), "parts.first", "C20a", "fit")
    seq = max(a.seq for a in record.answers)
    record = replace(record, changes=(Change(seq + 1, "supply", "C20a renewed"),))
    state = journey(FACTS, record)
    assert state.step("cold.b-plus").status is Status.RECHECK
    assert state.next_key == "parts.first"


def test_a_few_at_a_time_each_has_its_test_against_the_reading_before() -> None:
    state = journey(FACTS, walked(FACTS, "bring-up.ramp", at_parts(School.DANGEROUS)))
    keys = [s.key for s in state.steps if s.key.startswith("parts.few")]
    assert keys == ["parts.few1", "parts.few1-test"]
    record = a_record(
        *walked(FACTS, "bring-up.ramp", at_parts(School.DANGEROUS)).answers,
        an_answer(900, "bring-up.ramp", held(100), {"ac": 230.0, "b_plus": 221.0}),
    )
    for n, ref in enumerate(("C13", "C16", "C17")):
        record = replace(
            record,
            answers=(*record.answers, an_answer(901 + n, "parts.few1", ref, decision="fit")),
        )
    for volts, status in ((219.0, Status.DONE), (190.0, Status.TROUBLE)):
        test = an_answer(950, "parts.few1-test", "test", {"ac": 230.0, "b_plus": volts})
        step = journey(FACTS, replace(record, answers=(*record.answers, test))).step(test.step)
        assert step.status is status
    assert "C13, C16, C17" in step.advice[0]
    # another change after the test spoils it
    later = an_answer(960, "parts.few1", "C16", decision="restuff")
    stale = journey(FACTS, replace(record, answers=(*record.answers, test, later))).step(test.step)
    assert stale.results[0].stale
