"""Direct volts of networks: against closed forms, another solver, and Kirchhoff himself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glowdial.core.physics.dc_network import (
    Network,
    Resistor,
    TransistorInPlace,
    TubeInPlace,
    VoltageFeed,
)
from glowdial.core.physics.operating_point import (
    AmplifierStage,
    Device,
    Role,
    TypicalPoint,
    operating_point,
)

PENTODE = TypicalPoint(250.0, 0.009, -3.0, 2e-3, 100.0, 0.0026)
GERMANIUM = TypicalPoint(15.0, 0.001, 0.2, 0.038, current_gain=70.0)


@given(st.lists(st.floats(1e2, 1e6), min_size=2, max_size=6))
@settings(max_examples=40, deadline=None)
def test_a_ladder_is_solved_as_by_hand(ohm: list[float]) -> None:
    """Resistors in a row from the feed to the rail share its volts."""
    names = [f"n{k}" for k in range(len(ohm))] + [""]
    parts = [Resistor(f"r{k}", names[k], names[k + 1], r) for k, r in enumerate(ohm)]
    network = Network((VoltageFeed("feed", "n0", 100.0, 1e-3), *parts))
    volts = network.solve(np.zeros((1, len(network.keys))))[0]
    current = 100.0 / sum(ohm)
    expected = [current * sum(ohm[k:]) for k in range(len(ohm))]
    assert volts == pytest.approx(expected, rel=1e-3)


def test_a_meter_loads_what_it_measures() -> None:
    parts = (VoltageFeed("feed", "f", 100.0, 1e-3), Resistor("r", "f", "a", 1e6))
    network = Network((*parts, Resistor("s", "a", "", 1e6)))
    read = network.solve(np.zeros((1, 3)), [("a", 1e6)])[0, network.place["a"]]
    assert read == pytest.approx(100.0 / 3.0, rel=1e-3)


def _if_stage(screen_ohm: float, cathode_ohm: float) -> tuple[Network, AmplifierStage]:
    stage = AmplifierStage(
        "V2",
        Role.IF,
        Device.PENTODE,
        PENTODE,
        plate_ohm=2200.0,
        screen_ohm=screen_ohm,
        cathode_ohm=cathode_ohm,
        grid_leak_ohm=1e6,
    )
    network = Network(
        (
            VoltageFeed("feed", "f", 250.0, 1e-2),
            Resistor("plate", "f", "p", 2200.0),
            Resistor("screen", "f", "s", screen_ohm),
            Resistor("cathode", "k", "", cathode_ohm),
            Resistor("grid", "g", "", 1e6),
            TubeInPlace("tube", "p", "s", "g", "k", PENTODE),
        )
    )
    return network, stage


@pytest.mark.parametrize("cathode_ohm", [180.0, 270.0, 390.0])
@pytest.mark.parametrize("screen_ohm", [40e3, 60e3, 80e3])
def test_near_its_data_sheet_point_a_tube_stands_where_the_scalar_law_puts_it(
    screen_ohm: float, cathode_ohm: float
) -> None:
    network, stage = _if_stage(screen_ohm, cathode_ohm)
    volts = network.solve(np.zeros((1, len(network.keys))))[0]
    other = operating_point(stage, 250.0)
    at = {name: float(volts[network.place[name]]) for name in "psk"}
    assert at["k"] == pytest.approx(other.cathode_v, rel=0.04)
    assert at["s"] == pytest.approx(other.screen_v, rel=0.04)
    assert at["p"] == pytest.approx(other.plate_v, rel=0.02)


@given(
    st.lists(st.floats(-3.0, 6.0), min_size=4, max_size=4),
    st.floats(-6.0, 0.5),
    st.floats(-0.4, 0.4),
)
@settings(max_examples=60, deadline=None)
def test_whatever_fails_every_node_balances(
    drifts: list[float], strength: float, mu: float
) -> None:
    """Resistors from a twentieth to open, a tube from dead to strong."""
    network, _ = _if_stage(60e3, 270.0)
    logs = np.array([[0.0, *drifts, strength, mu, 0.0]])
    volts = network.solve(logs)
    flows = network.currents(volts, logs)
    assert np.max(np.abs(flows)) < 1e-6
    inside = volts[0][[network.place[n] for n in "psk"]]
    assert np.all(inside > -1.0) and np.all(inside < 251.0)


def test_sensitivities_are_what_a_small_step_does() -> None:
    network, _ = _if_stage(60e3, 270.0)
    logs = np.zeros((1, len(network.keys)))
    load = np.zeros((1, len(network.nodes)))
    volts = network.settle(logs, load)
    slopes = network.sensitivities(volts, logs, load)[0]
    for n in range(1, len(network.keys)):
        moved = logs.copy()
        moved[0, n] = 1e-3
        step = (network.settle(moved, load) - volts)[0] / 1e-3
        assert slopes[:, n] == pytest.approx(step, rel=0.02, abs=0.05)


@pytest.mark.parametrize("gain_log", [0.0, -0.5, -2.0])
def test_a_transistor_stands_where_its_divider_puts_it(gain_log: float) -> None:
    network = Network(
        (
            VoltageFeed("feed", "f", 18.0, 1e-2),
            Resistor("collector", "f", "c", 470.0),
            Resistor("upper", "f", "b", 68e3),
            Resistor("lower", "b", "", 6800.0),
            Resistor("emitter", "e", "", 1000.0),
            TransistorInPlace("q", "c", "b", "e", GERMANIUM),
        )
    )
    logs = np.zeros((1, len(network.keys)))
    logs[0, network.keys.index("q")] = gain_log
    volts = network.solve(logs)[0]
    gain = 70.0 * np.exp(gain_log)
    open_v, behind = 18.0 * 6.8 / 74.8, 68e3 * 6.8e3 / 74.8e3
    base_a = (open_v - 0.2) / (behind + (gain + 1.0) * 1000.0)
    assert volts[network.place["e"]] == pytest.approx(base_a * (gain + 1.0) * 1000.0, abs=0.04)
    assert volts[network.place["c"]] == pytest.approx(18.0 - base_a * gain * 470.0, abs=0.04)
