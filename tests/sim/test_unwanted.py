"""Image and IF of a simulated set, read by a bench as a person reads them, against its circuits."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from builders import a_record, aligned, an_answer, tidewater_facts
from glowdial.bench.hands import Measured, carry_out
from glowdial.bench.simulated import SimulatedBench
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import find_ask
from glowdial.core.stages.proof.steps import as_left_steps
from glowdial.sheets.measurement_list import shipped_list
from glowdial.sim.state import BenchState
from glowdial.sim.stereo_tuner import StereoTuner, TunerCondition

FACTS = tidewater_facts()
BEGUN = an_answer(1, "proof.left.bc.1", "pair1", {"level": 15e-6, "on": 0.95, "off": 0.3})


def a_bench() -> SimulatedBench:
    receiver = aligned(FACTS)
    warm = receiver.advance(BenchState(line_v=230.0), 120.0)
    return SimulatedBench(receiver, replace(warm, moving=None))


def measured(bench: SimulatedBench, step: str, ask: str) -> Measured:
    steps = {s.key: s for s in as_left_steps(Situation(FACTS, a_record(BEGUN)))}
    found = find_ask(steps[step], ask)
    assert found is not None
    return carry_out(found, bench, already_turned=0.0, step_turns=0.1, reach_turns=1.0)


@pytest.mark.parametrize("band", ["bc", "sw"])
def test_the_image_is_down_by_what_the_aerial_circuit_leaves_of_it(band: str) -> None:
    bench = a_bench()
    values = measured(bench, f"proof.left.{band}.answers", "image").values
    receiver = aligned(FACTS)
    front = receiver.front_end(bench.state, receiver.power.at(bench.state))
    assert front is not None
    offset = FACTS.band(band).tracked.offset_hz
    pair = np.array([front.local_oscillator_hz - offset, front.local_oscillator_hz + offset])
    tuned, image = front.aerial_gain(pair)
    assert 20.0 * math.log10(values["other"] / values["wanted"]) == pytest.approx(
        20.0 * math.log10(tuned / image), abs=0.5
    )


def test_what_the_generator_cannot_reach_is_said() -> None:
    done = measured(a_bench(), "proof.left.sw.answers", "intermediate")
    over_db = 20.0 * math.log10(done.values["other"] / done.values["wanted"])
    assert over_db > 60.0 and (done.values["other"] < 0.3 or "range ended" in done.remarks[0])


def test_false_answers_of_the_tuner_are_heard_where_they_stand_and_nowhere_else() -> None:
    """What the front end leaves of image, half the IF and IF, plus what capture takes; an
    oscillator above hears nothing at the places of one below."""
    tuner = StereoTuner(TunerCondition(image_rejection_db=40.0, half_if_rejection_db=55.0))
    measured = shipped_list().of("spurious")
    assert measured is not None
    reading = measured.readings[0]
    told = {x: tuner.read(measured.drive(x, reading), reading.look) for x in measured.points}
    same = shipped_list().of("capture")
    assert same is not None
    on_tune = replace(measured.drive(0.0, reading), other_offset_hz=0.0)
    captured = tuner.read(on_tune, reading.look)
    assert told[2.0 * 10.7e6] == pytest.approx(captured + 40.0, abs=0.6)
    assert told[0.5 * 10.7e6] == pytest.approx(captured + 55.0, abs=0.6)
    assert told[-2.0 * 10.7e6] > 79.0 and told[-0.5 * 10.7e6] > 79.0
