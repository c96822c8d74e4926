"""The IF worked by its questions: what is asked, what is left alone, what changes nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.if_alignment import a_set, aligned, judged

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.bench.equipment import Equipment, GeneratorLimits, MeterLimits
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import JobRecord, Move
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.chassis import Layout, Placed, Reach, Side, Thing
from glowdial.core.model.facts import AlignmentRow, ReceiverFacts
from glowdial.core.physics.filters import CrystalFilter
from glowdial.core.stages.intermediate.adjusters import Movement, changes_nothing
from glowdial.core.stages.intermediate.indicators import IndicatorKind, indicator
from glowdial.core.stages.intermediate.order import (
    by_sheet,
    damped_with,
    damper_ohm,
    grouped,
    order_of,
    reordered,
    turnings,
    warnings,
)
from glowdial.core.stages.intermediate.steps import check_if, if_steps

FACTS = tidewater_facts()
CORE, LAST = "t1-primary", "t2-secondary"
SURVEYED = (
    an_answer(1, "if.set-up", "ready"),
    an_answer(2, "if.baseline", "avc", {"avc": -0.05}),
    an_answer(3, "if.survey", "reference@reading=0.45", {"level": 90e-6}),
    *(
        an_answer(4 + n, "if.survey", f"point@generator_hz={449e3 + 4e3 * n}", {"avc": -v})
        for n, v in enumerate((0.1, 0.2, 0.4, 0.45, 0.42, 0.3, 0.2, 0.1, 0.05))
    ),
    an_answer(20, "if.decide", "decision", decision="align"),
)


def step_of(record: JobRecord, key: str, facts: ReceiverFacts = FACTS) -> Step:
    return next(s for s in if_steps(Situation(facts, record)) if s.key == key)


def keys(record: JobRecord, facts: ReceiverFacts = FACTS) -> list[str]:
    return [s.key for s in if_steps(Situation(facts, record))]


def peaks(number: int, turns: float, seq: int = 30) -> tuple[object, ...]:
    values = {"before": -0.4, "after": -0.45, "turns": turns}
    return tuple(
        an_answer(seq + n, f"if.pass{number}.{key}", "peak", values)
        for n, key in enumerate(FACTS.if_adjusters())
    )


@pytest.mark.parametrize("seed", [1, 4, 11, 15])
def test_a_set_that_shares_nothing_with_the_project_is_aligned_by_the_questions(seed: int) -> None:
    true, facts = a_set(np.random.default_rng((seed, 12)))
    bench, _ = aligned(true, facts)
    centre, lost_db = judged(true)
    assert abs(centre) <= 0.003 and lost_db <= 0.5
    assert max(bench.visits.values()) <= 3


def test_a_second_look_ends_when_two_cores_in_a_row_had_hardly_to_be_turned() -> None:
    gain = an_answer(40, "if.pass1.gain", "level@reading=0.45", {"level": 40e-6})
    first = a_record(*SURVEYED, *peaks(1, 0.5), gain)  # type: ignore[arg-type]
    assert f"if.pass2.{LAST}" in keys(first) and "if.pass2.gain" in keys(first)
    second = peaks(2, 0.0625, 50)
    looked = replace(first, answers=(*first.answers, *second[:2]))  # type: ignore[arg-type]
    assert "if.pass2.gain" not in keys(looked) and keys(looked)[-2] == "if.survey-left"
    moved = replace(first, answers=(*first.answers, *peaks(2, 0.3, 50)[:2]))  # type: ignore[arg-type]
    assert "if.pass2.gain" in keys(moved)


def test_a_pass_that_lost_level_asks_what_was_wrong() -> None:
    gain = an_answer(40, "if.pass1.gain", "level@reading=0.45", {"level": 120e-6})
    record = a_record(*SURVEYED, *peaks(1, 0.5), gain)  # type: ignore[arg-type]
    step = step_of(record, "if.pass1.gain")
    assert step.ask is not None and step.ask.key == "lost" and step.status is not Status.DONE
    said = an_answer(41, "if.pass1.gain", "lost", lost="the tool")
    after = replace(record, answers=(*record.answers, said))
    assert step_of(after, "if.pass1.gain").status is Status.DONE
    assert f"if.pass2.{LAST}" in keys(after)


def flat(step: str, clockwise: float, other: float, seq: int = 60) -> JobRecord:
    values = {"before": -0.22, "clockwise": clockwise, "other": other}
    return a_record(*SURVEYED, an_answer(seq, step, "no-change", values))


def test_what_reads_alike_a_turn_either_way_is_dead_said_once_and_passed_over() -> None:
    record = flat(f"if.pass1.{CORE}", -0.22, -0.23)
    step = step_of(record, f"if.pass1.{CORE}")
    assert step.status is Status.TROUBLE and "changes nothing" in step.title
    assert any("stripped" in w and "another band" in w for w in step.advice)
    gain = an_answer(90, "if.pass1.gain", "level@reading=0.45", {"level": 40e-6})
    second = replace(record, answers=(*record.answers, *peaks(1, 0.5, 70), gain))  # type: ignore[arg-type]
    assert step_of(second, f"if.pass2.{CORE}").status is Status.DONE
    # somebody found its screw: it is taken up again
    freed = an_answer(95, f"if.pass1.{CORE}", "state", state="free")
    again = replace(second, answers=(*second.answers, freed))
    assert step_of(again, f"if.pass2.{CORE}").ask is not None


def test_what_differs_is_peaked() -> None:
    record = flat(f"if.pass1.{CORE}", -0.20, -0.25)
    step = step_of(record, f"if.pass1.{CORE}")
    assert step.status is Status.OPEN and step.ask is not None and step.ask.key == "peak"
    assert any("It works: 22 %" in w for w in step.advice)


@pytest.mark.parametrize(("clockwise", "other", "dead"), [(0.5, 0.54, True), (0.5, 0.56, False)])
def test_the_contrast_of_a_dead_core_is_what_two_needles_differ_by(
    clockwise: float, other: float, dead: bool
) -> None:
    answer = an_answer(1, "s", "no-change", {"before": 0.5, "clockwise": clockwise, "other": other})
    assert changes_nothing(answer) is dead


@pytest.mark.parametrize("state", [m for m in Movement if m is not Movement.DEAD])
def test_what_does_not_move_is_left_and_what_moves_is_peaked(state: Movement) -> None:
    said = an_answer(60, f"if.pass1.{CORE}", "state", state=state.value, why="N.N., new winding")
    step = step_of(a_record(*SURVEYED, said), f"if.pass1.{CORE}")
    moves = state in (
        Movement.FREE,
        Movement.STIFF,
        Movement.UNDER_COVER,
        Movement.OVERRIDDEN,
    )
    assert (step.ask is not None) is moves
    assert (step.status is Status.DONE) is not moves


def test_a_seal_is_overridden_by_somebody_for_a_reason() -> None:
    step = step_of(a_record(*SURVEYED), f"if.pass1.{CORE}")
    ask = next(a for a in step.others if a.key == "state")
    entry = read_entry(ask, None, {"state": "sealed, overridden"})
    with pytest.raises(BadInput, match="who and why"):
        check_if(Situation(FACTS, a_record()), step, ask, Entering(entry.values, entry.texts))


def test_a_turned_core_can_go_back_to_as_found_by_the_ledger() -> None:
    record = a_record(*SURVEYED, moves=(Move(25, CORE, 0.375, f"if.pass1.{CORE}"),))
    step = step_of(record, f"if.pass1.{CORE}")
    back = next(a for a in step.others if a.key == "back")
    assert "-0.375" in back.prompt
    fresh = step_of(a_record(*SURVEYED), f"if.pass1.{CORE}")
    assert all(a.key != "back" for a in fresh.others)


def placed(what: str, reach: Reach) -> Placed:
    return Placed(what, "", Thing.CORE, Side.TOP, 1.0, 1.0, 1.0, 1.0, reach)


def test_the_order_is_the_table_s_else_from_the_last_can_with_the_far_core_first() -> None:
    assert by_sheet(FACTS)[:2] == ("t2-secondary", "t2-primary")
    tabled = replace(FACTS, alignment=(AlignmentRow(("t1-primary", "t2-primary")),))
    assert by_sheet(tabled) == ("t1-primary", "t2-primary", "t2-secondary", "t1-secondary")
    near = placed("t2-secondary", Reach.NEAR)
    far = placed("t2-primary", Reach.FAR)
    shared = replace(FACTS, layout=Layout(1.0, 1.0, 1.0, (near, far)))
    assert by_sheet(shared)[:2] == ("t2-primary", "t2-secondary")
    assert warnings(shared, by_sheet(shared)) == ()
    wrong = reordered(by_sheet(shared), "2 1 3 4")
    assert any("reached through" in w for w in warnings(shared, wrong))
    assert any("usually first" in w for w in warnings(FACTS, reordered(by_sheet(FACTS), "3 4 1 2")))


def test_a_hand_s_order_is_kept_and_one_that_leaves_something_out_is_refused() -> None:
    said = an_answer(21, "if.decide", "order", order="4, 3, 2, 1")
    record = a_record(*SURVEYED, said)
    assert order_of(FACTS, record) == by_sheet(FACTS)[::-1]
    first = next(k for k in keys(record) if k.startswith("if.pass1."))
    assert first == f"if.pass1.{by_sheet(FACTS)[-1]}"
    for text in ("1 2 3", "1 2 3 3", "1 2 3 5", "backwards"):
        with pytest.raises(BadInput):
            reordered(by_sheet(FACTS), text)


def test_the_other_winding_is_damped_unless_the_pair_is_known_to_be_loose() -> None:
    assert damped_with(FACTS, "t2-secondary") == ("t2-primary",)
    can = FACTS.transformers[-1]
    loose = replace(
        FACTS, transformers=(*FACTS.transformers[:-1], replace(can, coupling_of_critical=0.4))
    )
    assert damped_with(loose, "t2-secondary") == ()
    single = replace(FACTS, transformers=(replace(can, secondary=None),))
    assert damped_with(single, can.primary) == () and by_sheet(single) == (can.primary,)
    # twelve times the reactance: 2.98 kohm at 465 kHz and 115 pF
    assert damper_ohm(FACTS, replace(can, capacitance_f=115e-12)) == 33e3


@pytest.mark.parametrize(("meter_ohm", "reference"), [(11e6, 0.45), (200e3, 0.071), (20e3, 0.0082)])
def test_the_reference_is_what_this_meter_can_show(meter_ohm: float, reference: float) -> None:
    equipment = Equipment(meter=MeterLimits("meter", meter_ohm))
    found = indicator(Situation(FACTS, a_record(), equipment))
    # half a volt behind the line's 1.2 Mohm
    assert found.reference == pytest.approx(reference)


def test_what_a_meter_cannot_be_brought_to_is_taken_as_far_as_it_goes() -> None:
    said = an_answer(3, "if.survey", "reference@reading=0.45", {"level": 0.1, "reads": -0.28})
    record = a_record(*SURVEYED[:2], said)
    found = indicator(Situation(FACTS, record))
    assert found.reference == 0.28
    step = step_of(replace(record, answers=(*record.answers, *SURVEYED[3:])), f"if.pass1.{LAST}")
    assert step.ask is not None and "0.28 V" in step.ask.prompt


def test_a_high_baseline_lifts_the_reference_before_it_is_first_used_and_not_after() -> None:
    noisy = an_answer(2, "if.baseline", "avc", {"avc": -0.3})
    assert indicator(Situation(FACTS, a_record(noisy))).reference == pytest.approx(0.9)
    record = a_record(*SURVEYED, replace(noisy, seq=60))
    assert indicator(Situation(FACTS, record)).reference == 0.45


@pytest.mark.parametrize("kind", list(IndicatorKind))
def test_every_indicator_has_its_leads_its_traps_and_its_own_levels(kind: IndicatorKind) -> None:
    chosen = an_answer(0, "if.set-up", "indicator", indicator=kind.value)
    record = a_record(chosen)
    found = indicator(Situation(FACTS, record))
    assert found.kind is kind and found.traps and found.reference > 0.0
    step = step_of(record, "if.set-up")
    assert found.lead in step.leads and any(found.set_up[0] == c for c in step.controls)
    # and it stands on the drawing where it is joined to the set
    if step.show_chain is not None:
        point = next(p for p in step.show_chain().points if p.letter == "V")
        assert point.words == found.shown.label
        assert (point.block == "loudspeaker") is found.tone
    if kind is IndicatorKind.SWEEP:
        return
    # a level by another indicator does not count for this one
    other = a_record(chosen, *SURVEYED)
    asked = step_of(other, "if.survey").ask
    assert (asked is None) is (kind is IndicatorKind.AVC)
    if asked is not None:
        assert asked.key.startswith("reference ")


def test_a_scrambled_set_is_fed_from_the_last_grid_backward() -> None:
    still = tuple(
        an_answer(4 + n, "if.survey", f"point@generator_hz={449e3 + 4e3 * n}", {"avc": -0.1})
        for n in range(9)
    )
    record = a_record(*SURVEYED[:3], *still, SURVEYED[-1])
    recipe = step_of(record, f"if.pass1.{LAST}").ask
    assert recipe is not None and recipe.recipe is not None
    stage = next(s.name for s in FACTS.circuit.stages if s.role.value == "IF amplifier")
    assert recipe.recipe.change.get("injection") == f"{stage} grid"
    normal = step_of(a_record(*SURVEYED), f"if.pass1.{LAST}").ask
    assert normal is not None and normal.recipe is not None
    assert normal.recipe.change.get("injection") == "mixer grid"


def with_filter(resonance_hz: float = 465.6e3, q: float = 900.0) -> ReceiverFacts:
    circuit = replace(FACTS.circuit, if_filter=CrystalFilter(resonance_hz, q))
    return replace(FACTS, circuit=circuit)


def test_behind_a_crystal_everything_is_aligned_to_the_crystal() -> None:
    facts = with_filter()
    survey = step_of(a_record(*SURVEYED[:3]), "if.survey", facts)
    spacing = survey.programme[1] - survey.programme[0]
    assert spacing <= 0.6 * 465.6e3 / 900.0
    points = tuple(
        an_answer(4 + n, "if.survey", f"point@generator_hz={f!r}", {"avc": -0.3})
        for n, f in enumerate(survey.programme)
    )
    asked = step_of(a_record(*SURVEYED[:3], *points), "if.survey", facts).ask
    assert asked is not None and asked.key == "filter"
    entry = read_entry(asked, "465.33 465.86", {})
    found = an_answer(18, "if.survey", "filter", entry.values)
    record = a_record(*SURVEYED[:3], *points, found, SURVEYED[-1])
    recipe = step_of(record, f"if.pass1.{LAST}", facts).ask
    assert recipe is not None and recipe.recipe is not None
    assert recipe.recipe.change.get("generator_hz") == pytest.approx(465.595e3)
    gain = step_of(record, "if.pass1.gain", facts).ask
    assert gain is not None and "465.60 kHz" in gain.prompt


def test_a_generator_that_only_shows_its_frequency_is_said_to_be_unsure() -> None:
    record = a_record(*SURVEYED)
    for error, said in ((0.01, True), (1e-5, False)):
        equipment = Equipment(generator=GeneratorLimits(frequency_error=error))
        steps = if_steps(Situation(FACTS, record, equipment))
        words = " ".join(next(s for s in steps if s.key == "if.survey").advice)
        assert ("beat its harmonic" in words) is said


def test_a_set_of_transistors_is_fed_at_a_base_and_has_no_b_plus_at_its_windings() -> None:
    facts = replace(FACTS, circuit=replace(FACTS.circuit, stages_given=False), all_transistors=True)
    record = a_record(*SURVEYED)
    for kind in IndicatorKind:
        chosen = an_answer(0, "if.set-up", "indicator", indicator=kind.value)
        for step in if_steps(Situation(facts, replace(record, answers=(chosen, *record.answers)))):
            leads = [f"{x.source} {x.through} {x.to}" for x in step.leads]
            words = (step.title, step.reason, *step.advice, *step.notes, *step.controls, *leads)
            said = " ".join(words)
            assert "grid" not in said and "B+" not in said and "plate" not in said, step.key


def chassis(*sides: Side) -> ReceiverFacts:
    """The set with each core, as by the sheet's order, reached from a side."""
    placed = tuple(
        Placed(key, "", Thing.CORE, side, 10.0, 10.0, 5.0, 5.0)
        for key, side in zip(by_sheet(FACTS), sides, strict=True)
    )
    return replace(FACTS, layout=Layout(300.0, 200.0, 70.0, placed))


def test_an_order_that_lays_the_set_over_at_every_core_names_one_that_does_not() -> None:
    up, under = Side.TOP, Side.UNDERSIDE
    facts = chassis(under, up, under, up)
    order = by_sheet(facts)
    assert turnings(facts, order) == 3
    better = grouped(facts, order)
    assert sorted(better) == sorted(order) and turnings(facts, better) == 1
    decide = step_of(a_record(*SURVEYED), "if.decide", facts)
    said = next(line for line in decide.advice if "laid over" in line)
    assert "laid over 3 times; in the order 1 3 2 4 once" in said
    assert reordered(order, "1 3 2 4") == better
    one_side = chassis(up, up, up, up)
    assert not any(
        "laid over" in a for a in step_of(a_record(*SURVEYED), "if.decide", one_side).advice
    )
    table = decide.table
    assert table is not None
    assert "on its end, 465 kHz" in {c.read for c in table.rows[0].cells}


def test_an_order_that_spares_a_turning_is_not_named_where_it_breaks_another_rule() -> None:
    """The last can from below, the first from above but for its far core: far before near."""
    order = by_sheet(FACTS)
    placed = [
        Placed(order[0], "", Thing.CORE, Side.TOP, 1.0, 1.0, 5.0, 5.0, Reach.FAR),
        Placed(order[1], "", Thing.CORE, Side.UNDERSIDE, 1.0, 1.0, 5.0, 5.0, Reach.NEAR),
        Placed(order[2], "", Thing.CORE, Side.UNDERSIDE, 9.0, 1.0, 5.0, 5.0, Reach.FAR),
        Placed(order[3], "", Thing.CORE, Side.TOP, 9.0, 1.0, 5.0, 5.0, Reach.NEAR),
    ]
    facts = replace(FACTS, layout=Layout(300.0, 200.0, 70.0, tuple(placed)))
    # grouped by posture the near core of the first can would come before its far one
    assert turnings(facts, order) == 2 and grouped(facts, order) == order
