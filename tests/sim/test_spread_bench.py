"""A bandspread read at the simulated bench, by both schools."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from builders import a_record, an_answer
from glowdial.bench.hands import Measured, carry_out
from glowdial.bench.simulated import SimulatedBench
from glowdial.core.journey.record import Answer
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask
from glowdial.core.language.errors import Conflict
from glowdial.core.physics.tracking import AdjusterKind
from glowdial.core.stages.dial.spreads import MAIN_FIRST, SCHOOL, SET, ZERO_SET
from glowdial.core.stages.dial.steps import dial_steps
from glowdial.demo.fill import demo_sheet
from glowdial.sheets.facts import receiver_facts
from glowdial.sim.condition import Condition
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState
from glowdial.workshop.base.sheets import read_sheet

FACTS = receiver_facts(read_sheet(demo_sheet("breakwater-eight")))
BAND = next(b for b in FACTS.bands if b.spreads)
SPREAD = BAND.spreads[0]
KEY = f"dial.{BAND.key}.spread1"
CABINET = an_answer(1, "dial.cabinet", "in", done="done")


def due(*answers: Answer) -> Ask:
    """What is asked next of the bandspread."""
    steps = dial_steps(Situation(FACTS, a_record(CABINET, *answers)))
    ask = next(s for s in steps if s.key == KEY).ask
    assert ask is not None
    return ask


def read(ask: Ask, condition: Condition) -> Measured:
    bench = SimulatedBench(SimulatedReceiver(FACTS, condition), BenchState())
    return carry_out(ask, bench, already_turned=0.0, step_turns=0.1, reach_turns=1.0)


def figures(condition: Condition, *answers: Answer) -> list[float]:
    """What comes in on every figure, less the figure, in Hz."""
    errors, given = [], list(answers)
    for n, hz in enumerate(SPREAD.figures_hz):
        ask = due(*given)
        values = read(ask, condition).values
        assert dict(ask.point)["dial_hz"] == hz
        given.append(an_answer(10 + n, KEY, ask.name, values))
        errors.append(values["frequency"] - hz)
    return errors


def trimmed(turns: float) -> Condition:
    """A set whose oscillator trimmer stands elsewhere."""
    assert FACTS.adjuster(BAND.high_adjuster).kind is AdjusterKind.TRIMMER
    return Condition(seed=3, turns={BAND.high_adjuster: turns})


def test_a_set_as_it_was_built_brings_every_figure_in() -> None:
    school = an_answer(2, KEY, SCHOOL, school=MAIN_FIRST)
    assert figures(Condition(seed=3), school) == pytest.approx([0.0] * 4, abs=600.0)


def test_by_a_known_signal_the_main_dial_makes_up_for_the_oscillator() -> None:
    """The school that leaves the main pointer on its place has the oscillator's whole error."""
    set_wrong = trimmed(0.15)
    main_first = an_answer(2, KEY, SCHOOL, school=MAIN_FIRST)
    left = figures(set_wrong, main_first)
    assert all(abs(e) > 4e3 for e in left)
    chosen = an_answer(2, KEY, SCHOOL, school=ZERO_SET)
    ask = due(chosen)
    assert ask.key == SET
    found = read(ask, set_wrong).values
    assert abs(found["main"] - SPREAD.main_hz) > 4e3
    zero = an_answer(3, KEY, SET, found)
    errors = figures(set_wrong, chosen, zero)
    assert abs(errors[len(errors) // 2]) < 800.0
    assert max(abs(e) for e in errors) < 0.3 * min(abs(e) for e in left)


def test_its_own_plates_stretch_the_scale() -> None:
    """A small gang that departs by a share is off by it, of the way from the main's place."""
    wander, phase = 0.02, 0.3
    condition = Condition(seed=3, gang_wander=wander, gang_phase=phase)
    school = an_answer(2, KEY, SCHOOL, school=MAIN_FIRST)
    errors = figures(condition, school)
    # the main gang's own departure is the same on all figures
    slope = (errors[-1] - errors[0]) / (SPREAD.figures_hz[-1] - SPREAD.figures_hz[0])
    assert slope == pytest.approx(wander * math.cos(phase), rel=0.25)


def test_what_does_not_come_in_is_said() -> None:
    ask = due(an_answer(2, KEY, SCHOOL, school=MAIN_FIRST))
    assert ask.recipe is not None
    off = ask.recipe.setting(line_v=0.0, generator_emf_v=0.0)
    with pytest.raises(Conflict, match="Nothing came in"):
        read(replace(ask, recipe=off), Condition(seed=3))
