"""What the simulated set remembers is what it would say anew: nothing that counts is forgotten."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from builders import aligned, tidewater_facts
from glowdial.core.model.measurands import AVC, B_PLUS, B_PLUS_RIPPLE, LINE_CURRENT, LOUDSPEAKER
from glowdial.sim.condition import Condition, DeviceFault, FilterFault, SwitchFault
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.remembered import Remembered
from glowdial.sim.state import BenchState

FACTS = tidewater_facts()
SOUND = aligned(FACTS).condition
FORMING = FilterFault(0, leak_ohm=6e3, reforms_in_s=30.0)
# lifts the AVC line, and with it every tube on it, unless that is clamped
GASSY = DeviceFault("V2", 1.0, 2e-6)
SHAKY = SwitchFault("bc", contact_ohm=20.0, open_share=0.5)
ASKED = (AVC, LOUDSPEAKER, B_PLUS, B_PLUS_RIPPLE, LINE_CURRENT)
# every one of these counts for some reading
CHANGES: tuple[dict[str, object], ...] = (
    {"line_v": 110.0},
    {"line_v": 230.0},
    {"lamp_w": 60.0},
    {"lamp_w": 0.0},
    {"injection": "mixer grid"},
    {"injection": "aerial"},
    {"injection": ""},
    {"generator_hz": 1000.4e3},
    {"generator_hz": 1000e3},
    {"generator_emf_v": 30e-6},
    {"generator_emf_v": 3e-3},
    {"band": "sw", "dial_hz": 9e6, "generator_hz": 9e6},
    {"band": "bc", "dial_hz": 1000e3, "generator_hz": 1000e3},
    {"dial_side": -1},
    {"oscillator_stopped": True},
    {"oscillator_stopped": False},
    {"in_cabinet": True},
    {"lifted": ("load",)},
    {"lifted": ()},
    {"series_ohm": 150.0},
    {"series_ohm": 150.0, "series_behind": True},
    {"series_ohm": None, "series_behind": False},
    {"damped": ("t1-primary",)},
    {"damped": ()},
    {"turns": {"t1-primary": 0.4}},
    {"turns": {"t1-primary": 0.4, "bc-aerial": -0.3}},
    {"turns": {}},
    {"avc_clamp_v": 3.0},
    {"avc_clamp_v": None},
    {"tone_on": True},
    {"time_s": 7.0},
    {"healed": {"0": 0.6}},
    {"burnt": ("V1",)},
    {"burnt": ()},
)


# a gassy tube's point is found by going to and fro with its line: each of its steps takes seconds
@pytest.mark.parametrize(
    ("condition", "steps"),
    [
        (SOUND, 90),
        (replace(SOUND, faults=(FORMING,)), 90),
        (replace(SOUND, faults=(SHAKY,)), 90),
        (replace(SOUND, faults=(GASSY,)), 36),
    ],
    ids=["sound", "a filter that re-forms", "a contact that comes and goes", "a gassy tube"],
)
def test_a_set_that_was_asked_before_says_what_a_fresh_one_does(
    condition: Condition, steps: int
) -> None:
    rng = np.random.default_rng(len(condition.faults) + 3)
    asked_before = SimulatedReceiver(FACTS, condition)
    state = BenchState(line_v=230.0, injection="aerial", band="bc", dial_hz=1000e3)
    read: list[float] = []
    for n in range(steps):
        state = replace(state, **CHANGES[int(rng.integers(len(CHANGES)))])
        if n % 6 == 5:
            state = asked_before.advance(state, 0.5)
        fresh = SimulatedReceiver(FACTS, condition)
        for what in ASKED:
            read.append(fresh.read(state, what))
            # twice: as it is worked out, and as it is remembered
            assert asked_before.read(state, what) == read[-1], (what, state)
            assert asked_before.read(state, what) == read[-1], (what, state)
    assert len(set(read)) > 0.6 * steps


def test_it_forgets_what_was_asked_longest_ago() -> None:
    made: list[int] = []

    def answer(n: int) -> int:
        made.append(n)
        return 10 * n

    last: Remembered[int] = Remembered(2)
    asked = [1, 2, 1, 3, 1, 2]
    assert [last.get(n, lambda n=n: answer(n)) for n in asked] == [10 * n for n in asked]
    assert made == [1, 2, 3, 2]
