"""Slips of the pen on the readings of seeded sets: nearly all asked about, right ones not."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import pytest

from builders import found, tidewater_facts, walked
from glowdial.bench.hands import carry_out
from glowdial.bench.simulated import SimulatedBench
from glowdial.bench.wording import typed_line
from glowdial.core.journey.entry import read_entry
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.slips import doubts_of, expected_window
from glowdial.core.journey.steps import Ask, Field, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import AVC_VOLTS, CURRENT, DC_VOLTS, split_values
from glowdial.core.language.verdicts import Window
from glowdial.core.plan.journey import journey_of, situation_of
from glowdial.core.plan.order import room_of
from glowdial.sim.condition import FilterFault, RectifierFault
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState

SEEDS = range(8)
SICK: tuple[dict[str, Any], ...] = (
    {"emission": 0.3},
    {"faults": (FilterFault(0, capacity=0.12),)},
    {"faults": (RectifierFault(half_dead=True),)},
    {"faults": (FilterFault(0, leak_ohm=5e3),)},
)
STEPS = ("cold.b-plus", "bring-up.ramp", "bring-up.chart", "osc.bc.survey")


@dataclass(frozen=True)
class Right:
    """A question, what a meter showed, and the points beside it."""

    ask: Ask
    parts: tuple[str, ...]
    points: tuple[float, ...]

    def doubted(self, parts: tuple[str, ...]) -> bool:
        """Whether it is asked about once, or refused at once."""
        try:
            return bool(read_entry(self.ask, " ".join(parts), {}, self.points).doubts)
        except BadInput:
            return True


@cache
def readings() -> tuple[Right, ...]:
    return tuple(_readings())


def _readings() -> Iterator[Right]:
    facts = tidewater_facts()
    starts = {key: walked(facts, "proof.found" if key.startswith("osc") else key) for key in STEPS}
    for key, start in starts.items():
        for seed in SEEDS:
            receivers = [found(facts, seed)]
            receivers += [
                SimulatedReceiver(facts, replace(receivers[0].condition, **sick))
                for sick in SICK[seed % len(SICK) :][:1]
            ]
            for receiver in receivers:
                yield from _step_by_step(key, start, SimulatedBench(receiver, BenchState()))


def _step_by_step(key: str, record: JobRecord, bench: SimulatedBench) -> Iterator[Right]:
    for _, step, ask, values in _answered(key, record, bench):
        parts = split_values(typed_line(ask, values), len(ask.fields), "", "", least=1)
        yield Right(ask, tuple(parts), step.programme)


def _answered(
    key: str, record: JobRecord, bench: SimulatedBench
) -> Iterator[tuple[Situation, Step, Ask, Mapping[str, float]]]:
    """Every question of a step that a bench answers, one after the other, with its answer."""
    for _ in range(12):
        situation = situation_of(tidewater_facts(), record)
        step = journey_of(situation).step(key)
        ask = step.ask
        if ask is None or ask.recipe is None or step.retake:
            return
        done = carry_out(ask, bench, already_turned=0.0, step_turns=0.06, reach_turns=2.0)
        yield situation, step, ask, done.values
        seq = max(a.seq for a in record.answers) + 1
        kept = Answer(seq, step.key, ask.key, done.values, {}, point=ask.point)
        record = replace(record, answers=(*record.answers, kept))


def slipped(right: Right) -> Iterator[tuple[str, ...]]:
    """What a hand makes of it: a point moved, a unit, two figures or two values changed over."""
    measured = [f for f in right.ask.fields if f.quantity is not None]
    for n, (field, part) in enumerate(zip(measured, right.parts, strict=False)):
        number, _, unit = part.partition(" ")
        try:
            value = float(number)
        except ValueError:
            continue
        window = expected_window(right.ask, field)
        for changed in (value * 10.0, value / 10.0, value * 1e3, value / 1e3):
            if _far(field, window, value, changed):
                text = f"{changed:.6g} {unit}".strip()
                yield (*right.parts[:n], text, *right.parts[n + 1 :])
    if len(measured) > 1 and len(right.parts) > 1:
        a, b = right.parts[0], right.parts[1]
        far = _far(measured[0], expected_window(right.ask, measured[0]), _number(a), _number(b))
        if far and _number(b) > 0.0:
            yield (b, a, *right.parts[2:])


def _number(part: str) -> float:
    return float(part.split()[0])


def _far(field: Field, window: Window | None, value: float, changed: float) -> bool:
    """Whether a slip shifts a reading by three half widths of what was expected."""
    if window is None or window.low is None or window.high is None or not field.nominal:
        return False
    half = max(0.5 * (window.high - window.low), 0.1 * abs(field.nominal))
    scale = 1e3 if field.quantity is not None and field.quantity.bare == "kHz" else 1.0
    return abs(changed - value) * scale >= 3.0 * half


def test_slips_are_asked_about_and_right_readings_are_not() -> None:
    right = [r.doubted(r.parts) for r in readings()]
    slips = [r.doubted(parts) for r in readings() for parts in slipped(r)]
    assert len(right) > 100 and len(slips) > 100
    assert sum(right) / len(right) <= 0.02, f"{sum(right)} of {len(right)} right ones asked"
    assert sum(slips) / len(slips) >= 0.90, f"{sum(slips)} of {len(slips)} slips asked"


def one(field: Field, value: float, typed: str, ask: Ask | None = None) -> str:
    question = ask or Ask("x", "", (field,), "")
    return " ".join(doubts_of(question, {field.name: value}, {field.name: typed}, (6e5, 1e6)))


B_PLUS = Field("b_plus", "B+", DC_VOLTS, nominal=246.0)


@pytest.mark.parametrize(
    ("value", "typed", "words"),
    [
        (24.6, "24.6", "too few: is it 246"),
        (2460.0, "2460", "too many: is it 246"),
        (-246.0, "-246", "sign"),
        (0.246, "0.246", "unit"),
    ],
)
def test_the_slip_is_named(value: float, typed: str, words: str) -> None:
    assert words in one(B_PLUS, value, typed)


@pytest.mark.parametrize("value", [246.0, 230.0, 200.0, 150.0, 0.0, 330.0])
def test_a_sick_set_reads_what_it_reads(value: float) -> None:
    assert one(B_PLUS, value, f"{value:g}") == ""


def test_a_current_far_from_its_own_is_asked_about() -> None:
    drawn = Field("current", "current", CURRENT, nominal=87e-3)
    assert one(drawn, 0.6e-3, "0.6") and one(drawn, 0.6, "0.6 A")
    assert not one(drawn, 130e-3, "130")


def test_an_avc_beyond_any_is_asked_about() -> None:
    avc = Field("avc", "AVC", AVC_VOLTS)
    assert "no state of this set" in one(avc, -28.0, "-28") and not one(avc, -14.0, "-14")


def test_line_and_b_plus_the_wrong_way_round() -> None:
    """Asked about or refused from three half widths on: nobody tells 160 V from 161 V."""
    facts, start = tidewater_facts(), walked(tidewater_facts(), "bring-up.ramp")
    told: list[bool] = []
    for seed in SEEDS:
        bench = SimulatedBench(found(facts, seed), BenchState())
        for situation, step, ask, values in _answered("bring-up.ramp", start, bench):
            line_v, b_plus_v = values["ac"], values["b_plus"]
            window = expected_window(ask, ask.fields[0])
            if window is None or window.low is None or window.high is None:
                continue
            if abs(line_v - b_plus_v) >= 1.5 * (window.high - window.low):
                swapped = {**values, "ac": b_plus_v, "b_plus": line_v}
                told.append(_asked_or_refused(situation, step, ask, swapped))
    assert len(told) > 2 * len(SEEDS) and all(told), f"{told.count(False)} of {len(told)} kept"


def _asked_or_refused(
    situation: Situation, step: Step, ask: Ask, values: Mapping[str, float]
) -> bool:
    line = f"{values['ac']:.1f} {values['b_plus']:.1f}"
    try:
        entry = read_entry(ask, line, {}, step.programme)
        room_of(step.stage).check(situation, step, ask, Entering(entry.values, entry.texts))
    except BadInput:
        return True
    return bool(entry.doubts)
