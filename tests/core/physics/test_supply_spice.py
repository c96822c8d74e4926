"""The supply against a circuit simulator: netlists beside this file, its answers stored with them.

Where ngspice is installed the stored answers are made anew and compared first.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest

from builders import a_supply
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Rectifier,
    RectifierKind,
    Supply,
    Topology,
    Waveform,
    gas_rectifier,
)
from glowdial.core.physics.supply.steady import steady_state

PLACE = Path(__file__).parent / "ngspice"
STORED = json.loads((PLACE / "answers.json").read_text("utf-8"))
TUBES = Load(0.06, 235.0, 1.4)
# a diode as the netlists have it
DIODE = Rectifier(RectifierKind.SILICON, threshold_v=0.8, resistance_ohm=0.5)
# the same circuits as the netlists of these names
CIRCUITS: dict[str, Supply] = {
    "vacuum-centre-tap": replace(a_supply(), load=TUBES),
    "silicon-half-wave": a_supply(Topology.HALF_WAVE, DIODE, source_ohm=90.0),
    "selenium-bridge": a_supply(
        Topology.BRIDGE, Rectifier(RectifierKind.SELENIUM, threshold_v=10.0, resistance_ohm=120.0)
    ),
    "gas-choke-section": replace(
        a_supply(rectifier=gas_rectifier()), sections=(FilterSection(250.0, 16e-6, 8.0),)
    ),
    "leaky-dried-out": replace(
        a_supply(),
        load=TUBES,
        reservoir_f=4e-6,
        reservoir_series_ohm=30.0,
        reservoir_leak_ohm=20e3,
        sections=(FilterSection(1200.0, 16e-6, leak_ohm=25e3),),
    ),
    "silicon-doubler": replace(
        a_supply(Topology.DOUBLER, DIODE, source_ohm=25.0),
        secondary_v=120.0,
        reservoir_f=47e-6,
        sections=(FilterSection(470.0, 47e-6),),
    ),
    "vacuum-choke-input": replace(
        a_supply(), load=Load(0.06, 235.0, 0.0), input_choke_h=10.0, input_choke_ohm=200.0
    ),
    "vibrator": replace(
        a_supply(source_ohm=150.0),
        line_v=6.0,
        line_hz=100.0,
        secondary_v=200.0,
        waveform=Waveform.SQUARE,
        reservoir_f=8e-6,
        sections=(FilterSection(1000.0, 8e-6),),
        load=Load(0.04, 235.0, 0.0),
    ),
}


def by_ngspice(name: str) -> dict[str, float]:
    """Run a netlist and read its measurements."""
    done = subprocess.run(
        ["ngspice", "-b", f"{name}.cir"], cwd=PLACE, capture_output=True, text=True, timeout=120
    )
    found = re.findall(r"^(node\d|ripple\d|rms)\s+=\s+(\S+)", done.stdout, re.MULTILINE)
    return {what: float(value) for what, value in found}


@pytest.mark.parametrize("name", CIRCUITS)
def test_the_steady_state_is_the_simulators(name: str) -> None:
    supply, spice = CIRCUITS[name], STORED[name]
    point = steady_state(supply, supply.line_v)
    # a choke keeps both plates conducting around the zero crossing, which one port cannot show
    close = 3e-3 if supply.input_choke_h else 1e-3
    assert point.node_v == pytest.approx((spice["node1"], spice["node2"]), rel=close)
    assert point.ripple_v[0] == pytest.approx(spice["ripple1"], rel=0.01)
    assert point.ripple_v[1] == pytest.approx(spice["ripple2"], rel=0.02, abs=0.01)
    assert point.rectifier_rms_a == pytest.approx(spice["rms"], rel=0.01)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("name", CIRCUITS)
def test_the_stored_answers_are_ngspices(name: str) -> None:
    assert by_ngspice(name) == pytest.approx(STORED[name], rel=2e-3)


def test_every_netlist_is_used() -> None:
    assert {p.stem for p in PLACE.glob("*.cir")} == set(CIRCUITS) == set(STORED)
