"""The whole alignment as one plan: what comes where, and where a maker's table goes another way."""

from __future__ import annotations

from dataclasses import replace

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Step
from glowdial.core.model.chassis import Layout, Placed, Side, Thing
from glowdial.core.model.facts import AlignmentRow, ReceiverFacts
from glowdial.core.stages.intermediate.steps import if_steps
from glowdial.core.stages.intermediate.whole_plan import band_places, table_warnings

FACTS = tidewater_facts()
ALIGNING = (
    an_answer(1, "if.set-up", "ready"),
    an_answer(2, "if.baseline", "avc", {"avc": -0.05}),
    an_answer(3, "if.survey", "reference@reading=0.45", {"level": 90e-6}),
    *(
        an_answer(4 + n, "if.survey", f"point@generator_hz={449e3 + 4e3 * n}", {"avc": -v})
        for n, v in enumerate((0.1, 0.2, 0.4, 0.45, 0.42, 0.3, 0.2, 0.1, 0.05))
    ),
    an_answer(20, "if.decide", "decision", decision="align"),
)


def decide(facts: ReceiverFacts = FACTS, record: JobRecord | None = None) -> Step:
    record = record or a_record(*ALIGNING)
    return next(s for s in if_steps(Situation(facts, record)) if s.key == "if.decide")


def test_oscillator_before_rf_before_aerial_high_before_low_in_every_band() -> None:
    rank = {"oscillator": 0, "RF": 1, "aerial": 2}
    for band in FACTS.bands:
        mine = [p for p in band_places(FACTS) if p.band == band.name]
        assert [rank[p.stage] for p in mine] == sorted(rank[p.stage] for p in mine)
        ends = [p.at_hz for p in mine if p.stage == "oscillator"]
        assert ends == sorted(ends, reverse=True)


def test_the_plan_numbers_on_from_the_if_and_leaves_nothing_out() -> None:
    table = decide().table
    assert table is not None
    numbers = [int(row.label.partition(".")[0]) for row in table.rows]
    assert numbers == list(range(1, len(numbers) + 1))
    assert len(numbers) == len(FACTS.if_adjusters()) + len(band_places(FACTS))


def test_a_sealed_one_is_left_alone_wherever_it_stands() -> None:
    band = FACTS.bands[0]
    placed = tuple(
        Placed(key, "", Thing.CORE, Side.TOP, 1.0, 1.0, 2.0, 2.0, sealed=True)
        for key in (band.high_adjuster, "t2-secondary")
    )
    facts = replace(FACTS, layout=Layout(300.0, 200.0, 70.0, placed))
    step = decide(facts)
    assert step.table is not None
    name = facts.adjuster(band.high_adjuster).name
    row = next(r for r in step.table.rows if r.label.endswith(f". {name}"))
    assert "left alone" in row.does and row.cells[0].read == "sealed"
    assert any("T2 secondary core" in a and "Left alone" in a for a in step.advice)


def test_a_table_that_goes_another_way_is_followed_and_said() -> None:
    band = FACTS.bands[0]
    assert band.aerial_adjuster is not None
    upside_down = replace(
        FACTS,
        alignment=(
            AlignmentRow((band.aerial_adjuster,)),
            AlignmentRow((band.high_adjuster,)),
            AlignmentRow(FACTS.if_adjusters()),
        ),
    )
    said = " ".join(table_warnings(upside_down))
    assert FACTS.adjuster(band.aerial_adjuster).name in said and "before the IF is done" in said
    right = replace(upside_down, alignment=upside_down.alignment[::-1])
    assert table_warnings(right) == () and table_warnings(FACTS) == ()


def test_what_two_bands_share_is_said() -> None:
    first, second = FACTS.bands[:2]
    shared = replace(FACTS, bands=(first, replace(second, aerial_adjuster=first.aerial_adjuster)))
    table = decide(shared).table
    assert table is not None
    rows = [r for r in table.rows if "shared between bands" in r.does]
    assert len(rows) == 2
