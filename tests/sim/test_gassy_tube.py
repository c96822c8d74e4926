"""A gassy tube in a simulated set: on its own grid, and over the AVC line on all others; what the
volts that a person types tell of it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import aligned, tidewater_facts
from glowdial.core.journey.inside_stage import Inside, inside_of, volts_ask
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.language.errors import BadInput
from glowdial.core.model.measurands import AVC, electrode
from glowdial.core.plan.journey import situation_of
from glowdial.sim.condition import Condition, DeviceFault
from glowdial.sim.probes import node
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState

TIDEWATER = tidewater_facts()
# as a sheet gives them that names its resistors
FACTS = replace(TIDEWATER, circuit=replace(TIDEWATER.circuit, stages_given=True))
LINE_OHM = FACTS.circuit.avc.source_ohm
GAS_A = 0.8e-6
ON = BenchState(line_v=230.0)


def gassy(stage: str) -> SimulatedReceiver:
    sound = aligned(FACTS)
    return SimulatedReceiver(
        FACTS, replace(sound.condition, faults=(DeviceFault(stage, 1.0, GAS_A),))
    )


def volts(receiver: SimulatedReceiver, key: str, state: BenchState = ON) -> float:
    return node(receiver, state, key).dc_v


def test_the_line_and_both_grids_stand_where_ohms_law_puts_them() -> None:
    sick = gassy("V1")
    assert volts(sick, "avc") == pytest.approx(GAS_A * LINE_OHM, rel=0.02)
    assert volts(sick, "V2 grid") == pytest.approx(GAS_A * LINE_OHM, rel=0.02)
    assert volts(sick, "V1 grid") == pytest.approx(GAS_A * (LINE_OHM + 1e6), rel=0.02)
    assert volts(sick, "V2 cathode") > volts(aligned(FACTS), "V2 cathode") + 0.03


def test_clamped_only_its_own_grid_is_off() -> None:
    clamped = replace(ON, avc_clamp_v=0.0)
    sick = gassy("V1")
    assert volts(sick, "V2 grid", clamped) == pytest.approx(0.0, abs=0.01)
    assert volts(sick, "V1 grid", clamped) == pytest.approx(GAS_A * 1e6, rel=0.02)


@pytest.mark.parametrize(("stage", "gas_a"), [("V4", -1e-6), ("V9", 1e-6)])
def test_what_cannot_be_is_refused(stage: str, gas_a: float) -> None:
    document = {"faults": [{"kind": "device", "stage": stage, "strength": 1.0, "gas_a": gas_a}]}
    with pytest.raises(BadInput):
        Condition.from_document(document, FACTS)


def typed(receiver: SimulatedReceiver, seq: int, stage: str, **more: float) -> Answer:
    """What a meter that takes next to nothing shows at a stage's electrodes."""
    at = ("plate", "screen", "cathode", "grid")
    values = {e: volts(receiver, f"{stage} {e}") for e in at} | more
    places = {e: electrode(stage, e) for e in at} | dict.fromkeys(more, AVC)
    return Answer(seq, "faults.mend.1", f"volts-of {stage}", values, {}, places=places)


def inside(name: str, *answers: Answer, clamped: bool = False) -> Inside:
    situation = situation_of(FACTS, JobRecord(answers=answers))
    found = inside_of(situation, name, clamped=clamped)
    assert found is not None and found.found is not None
    return found


def test_one_stage_read_leaves_all_tubes_on_the_line_two_read_name_the_one() -> None:
    sick = gassy("V1")
    alone = inside("V2", typed(sick, 1, "V2"))
    assert {"tube V1", "tube V2"} <= {part for part, _ in alone.named}
    both = inside("V2", typed(sick, 1, "V2"), typed(sick, 2, "V1"))
    assert both.named[0] == ("tube V1", pytest.approx(1.0, abs=0.1))


def test_the_line_is_asked_for_with_the_volts_of_those_on_it() -> None:
    ask = volts_ask(inside("V2", typed(aligned(FACTS), 1, "V2")))
    assert ask.fields[-1].measurand == AVC and not ask.fields[-1].required
    output = volts_ask(inside("V4", typed(aligned(FACTS), 1, "V4")))
    assert all(f.measurand != AVC for f in output.fields)


def test_volts_on_the_line_are_a_condition_of_the_stage_s_own() -> None:
    """A strong station holds the line at -4 V: the grid stands there too, and nothing is wrong."""
    sound = aligned(FACTS)
    values = {e: volts(sound, f"V2 {e}") for e in ("plate", "screen")} | {"grid": -4.0}
    bare = Answer(
        1,
        "faults.mend.1",
        "volts-of V2",
        values,
        {},
        places={e: electrode("V2", e) for e in values},
    )
    with_line = replace(
        bare, values=bare.values | {"avc": -4.0}, places={**bare.places, "avc": AVC}
    )
    sure = [e.fit for e in (inside("V2", bare).found, inside("V2", with_line).found) if e]
    assert sure[1] < sure[0]


def test_a_clamped_line_takes_the_blame_from_the_others() -> None:
    sick = gassy("V2")
    clamped = inside("V2", typed(sick, 1, "V2"), clamped=True)
    assert [part for part, share in clamped.named if share > 0.1] == ["tube V2"]
