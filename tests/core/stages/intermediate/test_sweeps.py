"""The swept school: what a trace shows, what is turned for it, and when it is right."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from benchmarks.if_alignment import TrueSet, judged

from builders import a_record, an_answer, tidewater_facts
from glowdial.core.bench.equipment import Equipment, GeneratorLimits
from glowdial.core.journey.record import Answer, JobRecord, Move
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.steps import Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.chassis import Layout, Placed, Side, Thing
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.intermediate.report import if_report
from glowdial.core.stages.intermediate.steps import check_if, if_steps

FACTS = tidewater_facts()
CENTRE_HZ = FACTS.intermediate_frequency_hz
CHOSEN = (
    an_answer(1, "if.set-up", "indicator", indicator="swept curve"),
    an_answer(2, "if.set-up", "ready"),
)
ALIGN = an_answer(5, "if.decide", "decision", decision="align")


def true_set(off: dict[str, float], seed: int) -> TrueSet:
    """A set whose circuits stand off by so much of frequency; its Qs are its own."""
    rng = np.random.default_rng(seed)
    cans = []
    for can in FACTS.transformers:
        qs = [q * float(rng.uniform(0.75, 1.3)) for q in can.qs]
        cans.append((qs, [can.coupling_of_critical / math.sqrt(qs[0] * qs[1])]))
    keys = [key for can in FACTS.transformers for key in can.cores]
    rates = [FACTS.adjuster(k).change_per_turn or 0.015 for k in keys]
    places = [-2.0 * off.get(k, 0.0) / r for k, r in zip(keys, rates, strict=True)]
    return TrueSet(CENTRE_HZ, cans, rates, places, None, 1.0, rng, [0.0] * len(keys))


def swept(true: TrueSet, noise: float = 0.02) -> str:
    """What an oscilloscope would write of it."""
    row = CENTRE_HZ * np.linspace(0.955, 1.045, 301)
    volts = np.array([true.gain(float(f)) for f in row])
    volts = volts / volts.max() + noise * true.rng.standard_normal(row.size)
    return "\n".join(
        ["kHz;V", *(f"{f / 1e3:.3f};{v:.5f}" for f, v in zip(row, volts, strict=True))]
    )


def step_of(record: JobRecord, key: str, facts: ReceiverFacts = FACTS) -> Step:
    return next(s for s in if_steps(Situation(facts, record)) if s.key == key)


def brought_home(true: TrueSet, facts: ReceiverFacts, most: int, noise: float = 0.02) -> int:
    """Sweeps and turns as the steps ask for them, until they say that it is right; how many."""
    record = a_record(*CHOSEN)
    keys = [k for can in facts.transformers for k in can.cores]
    for number in range(1, most + 1):
        seq = 10 * number
        trace = an_answer(seq, f"if.sweep{number}", "trace", trace=swept(true, noise))
        record = replace(record, answers=(*record.answers, trace))
        if number == 1:
            record = replace(record, answers=(*record.answers, replace(ALIGN, seq=11)))
        step = step_of(record, f"if.sweep{number}", facts)
        if step.status is Status.DONE:
            return number
        assert step.ask is not None and step.ask.key.startswith("turned ")
        while step.ask is not None:
            # each core that is asked for is turned by what its example says
            key, turned = step.ask.key.removeprefix("turned "), float(step.ask.example)
            seq += 1
            true.turned[keys.index(key)] += turned
            said = an_answer(seq, step.key, step.ask.key, {"turns": turned})
            moves = (*record.moves, Move(seq, key, turned, step.key))
            record = replace(record, answers=(*record.answers, said), moves=moves)
            step = step_of(record, step.key, facts)
    raise AssertionError("it did not end")


@pytest.mark.parametrize("core", ["t1-primary", "t1-secondary", "t2-primary", "t2-secondary"])
@pytest.mark.parametrize("offset", [-0.011, 0.007])
def test_a_core_that_is_off_is_brought_home_by_sweeps_alone(core: str, offset: float) -> None:
    true = true_set({core: offset}, seed=len(core) + round(1e4 * (0.1 + offset)))
    assert brought_home(true, FACTS, most=7) > 1
    centre, lost_db = judged(true)
    assert abs(centre) <= 0.003 and lost_db <= 0.5


def test_the_decision_comes_after_the_first_sweep_and_leaving_it_ends_it() -> None:
    true = true_set({"t1-primary": 0.01}, 3)
    trace = an_answer(3, "if.sweep1", "trace", trace=swept(true))
    record = a_record(*CHOSEN, trace)
    steps = if_steps(Situation(FACTS, record))
    assert [s.key for s in steps] == ["if.set-up", "if.sweep1", "if.decide", "if.restore"]
    assert steps[1].status is Status.DONE and steps[2].ask is not None
    labels = [r.label for r in steps[1].results]
    assert labels[0] == "centre" and "wide at -6 dB" in labels
    left = replace(ALIGN, texts={"decision": "leave it"})
    after = if_steps(Situation(FACTS, replace(record, answers=(*record.answers, left))))
    assert len(after) == 4


def test_a_right_curve_is_left_as_it_is() -> None:
    trace = an_answer(3, "if.sweep1", "trace", trace=swept(true_set({}, 4), 0.01))
    step = step_of(a_record(*CHOSEN, trace, ALIGN), "if.sweep1")
    assert step.status is Status.DONE and any("stands as it should" in w for w in step.advice)


@pytest.mark.parametrize(
    ("texts", "values", "field"),
    [
        ({"trace": "kHz,V\n440,x\n"}, {}, "line 2"),
        ({"trace": swept(true_set({}, 5)).replace("kHz", "MHz")}, {}, "trace"),
        (
            {"trace": "s,V\n" + "\n".join(f"{n / 10},{1 / (1 + abs(n - 20))}" for n in range(40))},
            {},
            "start",
        ),
        (
            {"trace": "kHz,V\n" + "\n".join(f"{440 + n},{(n * 7) % 5}" for n in range(60))},
            {},
            "sweep",
        ),
    ],
)
def test_what_is_no_trace_of_this_if_is_refused(
    texts: dict[str, str], values: dict[str, float], field: str
) -> None:
    step = step_of(a_record(*CHOSEN), "if.sweep1")
    assert step.ask is not None
    with pytest.raises(BadInput) as caught:
        check_if(Situation(FACTS, a_record(*CHOSEN)), step, step.ask, Entering(values, texts))
    assert caught.value.field == field


def test_a_trace_over_time_is_laid_over_the_sweep() -> None:
    true = true_set({}, 6)
    row = np.linspace(0.0, 5.0, 301)
    volts = [true.gain(445e3 + 40e3 * t / 5.0) for t in row]
    text = "\n".join(
        ["s,V", *(f"{t:.4f},{v / max(volts):.5f}" for t, v in zip(row, volts, strict=True))]
    )
    values = {"start": 445e3, "stop": 485e3, "pass": 5.0}
    trace = an_answer(3, "if.sweep1", "trace", values, trace=text)
    centre = step_of(a_record(*CHOSEN, trace), "if.sweep1").results[0]
    assert centre.value == pytest.approx(CENTRE_HZ, rel=1e-3)


def test_the_set_up_says_how_slow_is_slow_enough_and_what_the_generator_cannot_sync() -> None:
    equipment = Equipment(generator=GeneratorLimits(sync_hz=300e3))
    steps = if_steps(Situation(FACTS, a_record(CHOSEN[0]), equipment))
    words = " ".join(steps[0].controls)
    assert "span" in words and "or slower" in words and "cannot sync above 300 kHz" in words
    assert "cannot sync" not in " ".join(step_of(a_record(CHOSEN[0]), "if.set-up").controls)


def test_what_a_turn_does_is_learned_where_the_sheet_does_not_say() -> None:
    """Cores of twice the commonest thread: the known move says so, and the next turn is right."""
    unknown = tuple(replace(a, change_per_turn=None) for a in FACTS.adjusters)
    facts = replace(FACTS, adjusters=unknown)
    true = true_set({"t1-secondary": -0.010}, 11)
    true.rate = [0.028] * 4
    true.place = [0.0, 2.0 * 0.010 / 0.028, 0.0, 0.0]
    brought_home(true, facts, most=7, noise=0.01)
    assert max(abs(true.offset(n)) for n in range(4)) < 0.0015


def test_the_report_tells_the_first_and_the_last_sweep() -> None:
    first = an_answer(3, "if.sweep1", "trace", trace=swept(true_set({"t1-primary": 0.012}, 8)))
    last = an_answer(30, "if.sweep2", "trace", trace=swept(true_set({}, 9)))
    turned = an_answer(20, "if.sweep1", "turned t1-primary", {"turns": 2.0})
    moves = (Move(20, "t1-primary", 2.0, "if.sweep1"),)
    record = a_record(*CHOSEN, first, ALIGN, turned, last, moves=moves)
    situation = Situation(FACTS, record)
    part = if_report(situation, tuple(if_steps(situation)))
    centre, wide = part.rows
    assert centre.what == "IF, centre" and centre.verdict in ("inside", "near the edge")
    assert centre.found != centre.left and "kHz" in wide.left


def test_a_sealed_core_is_never_asked_to_be_turned_by_a_sweep() -> None:
    sealed = ("t1-primary", "t2-secondary")
    placed = tuple(
        Placed(key, "", Thing.CORE, Side.TOP, 1.0, 1.0, 1.0, 1.0, sealed=True) for key in sealed
    )
    facts = replace(FACTS, layout=Layout(9.0, 9.0, 9.0, placed))
    first = an_answer(3, "if.sweep1", "trace", trace=swept(true_set({"t1-primary": -0.011}, 12)))
    record = a_record(*CHOSEN, first, ALIGN)
    step = step_of(record, "if.sweep1", facts)
    asked = [a.key for a in (step.ask, *step.others) if a is not None]
    assert asked and not any(f"turned {key}" in asked for key in sealed)
    every = tuple(replace(placed[0], what=key) for key in facts.if_adjusters())
    still = replace(facts, layout=Layout(9.0, 9.0, 9.0, every))
    done = step_of(record, "if.sweep1", still)
    assert done.status is Status.DONE and "left alone" in done.advice[0]


def test_a_sweep_that_was_kept_is_read_whatever_if_the_sheet_has_today() -> None:
    trace = an_answer(3, "if.sweep1", "trace", trace=swept(true_set({}, 13)))
    other = replace(FACTS, intermediate_frequency_hz=262e3)
    assert step_of(a_record(*CHOSEN, trace), "if.sweep1", other).results


def written(row: np.ndarray, volts: np.ndarray) -> str:
    lines = [f"{f / 1e3:.4f};{v:.6f}" for f, v in zip(row, volts, strict=True)]
    return "\n".join(["kHz;V", *lines])


def a_sweep(seq: int, **texts: str) -> Answer:
    return Answer(seq, "if.sweep1", "trace", {}, dict(texts))


def figure(step: Step, label: str) -> float:
    value = next(r.value for r in step.results if r.label == label)
    assert value is not None
    return value


def hard_avc(signal: np.ndarray, volts_per_neper: float = 1.0) -> np.ndarray:
    """The line of a loop that compresses: v = x exp(-v / c), by bisection."""
    low, high = np.zeros_like(signal), np.full_like(signal, 100.0)
    for _ in range(80):
        middle = 0.5 * (low + high)
        more = middle < signal * np.exp(-middle / volts_per_neper)
        low, high = np.where(more, middle, low), np.where(more, high, middle)
    return 0.5 * (low + high)


def test_through_its_law_a_curve_on_the_avc_line_is_as_wide_as_it_is() -> None:
    true = true_set({}, 4)
    row = CENTRE_HZ * np.linspace(0.955, 1.045, 401)
    gain = np.array([true.gain(float(f)) for f in row])
    gain /= gain.max()
    plain = JobRecord(answers=(*CHOSEN, a_sweep(3, trace=written(row, gain))))
    wide_hz = figure(step_of(plain, "if.sweep1"), "wide at -6 dB")
    line = written(row, -hard_avc(20.0 * gain))
    crooked = JobRecord(answers=(*CHOSEN, a_sweep(3, trace=line)))
    assert figure(step_of(crooked, "if.sweep1"), "wide at -6 dB") > 1.3 * wide_hz
    levels = (1e-4, 4e-4, 16e-4, 64e-4)
    reads = hard_avc(np.array(levels) * 20.0 / levels[-1])
    values = {f"level{n}": v for n, v in enumerate(levels, 1)}
    values |= {f"reads{n}": -float(v) for n, v in enumerate(reads, 1)}
    law = Answer(4, "if.sweep1", "law", values, {})
    straight = JobRecord(answers=(*CHOSEN, a_sweep(3, trace=line), law))
    assert figure(step_of(straight, "if.sweep1"), "wide at -6 dB") == pytest.approx(
        wide_hz, rel=0.03
    )


def test_a_law_that_does_not_rise_is_refused() -> None:
    step = step_of(JobRecord(answers=CHOSEN), "if.sweep1")
    law = next(a for a in step.others if a.key == "law")
    values = {"level1": 1e-3, "reads1": -0.8, "level2": 1e-2, "reads2": -0.5}
    with pytest.raises(BadInput):
        check_if(Situation(FACTS, JobRecord()), step, law, Entering(values, {}))


def test_both_ways_averaged_take_the_lag_off() -> None:
    """A pass up drags the curve up, one down drags it down: their mean stands where it is."""
    true = true_set({}, 4)
    row = CENTRE_HZ * np.linspace(0.93, 1.07, 2801)
    gain = np.array([true.gain(float(f)) for f in row])
    gain /= gain.max()
    step_s, lag_s = 0.5 / row.size, 0.003
    up, down = np.zeros_like(gain), np.zeros_like(gain)
    held = 0.0
    for n, v in enumerate(gain):
        held += (v - held) * step_s / lag_s
        up[n] = held
    held = 0.0
    for n in range(row.size - 1, -1, -1):
        held += (gain[n] - held) * step_s / lag_s
        down[n] = held

    def centre(**texts: str) -> Step:
        return step_of(JobRecord(answers=(*CHOSEN, a_sweep(3, **texts))), "if.sweep1")

    at_rest = figure(centre(trace=written(row, gain)), "centre")
    alone = figure(centre(trace=written(row, up)), "centre")
    both = centre(trace=written(row, up), back=written(row[::-1], down[::-1]))
    # one of so many seconds behind, at so many Hz a second
    dragged_hz = lag_s * (row[-1] - row[0]) / 0.5
    assert alone - at_rest == pytest.approx(dragged_hz, rel=0.1)
    assert abs(figure(both, "centre") - at_rest) < 0.05 * dragged_hz
    apart = figure(both, "up less down, taken off by averaging")
    assert apart == pytest.approx(2.0 * dragged_hz, rel=0.1)


def test_over_time_the_other_way_runs_backward() -> None:
    true = true_set({}, 4)
    row = CENTRE_HZ * np.linspace(0.955, 1.045, 301)
    gain = np.array([true.gain(float(f)) for f in row])
    gain /= gain.max()
    time_s = np.linspace(0.0, 2.0, row.size)

    def over_time(volts: np.ndarray) -> str:
        rows = (f"{t:.5f};{v:.6f}" for t, v in zip(time_s, volts, strict=True))
        return "\n".join(["s;V", *rows])

    values = {"start": float(row[0]), "stop": float(row[-1]), "pass": 2.0}
    texts = {"trace": over_time(gain), "back": over_time(gain[::-1])}
    swept = Answer(3, "if.sweep1", "trace", values, texts)
    step = step_of(JobRecord(answers=(*CHOSEN, swept)), "if.sweep1")
    assert abs(figure(step, "up less down, taken off by averaging")) < 20.0
