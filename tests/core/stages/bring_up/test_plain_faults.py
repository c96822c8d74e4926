"""Faults that need no fit, what cannot be read, and what ripple alone does not tell."""

from __future__ import annotations

from dataclasses import replace

import pytest

from builders import a_supply
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.heaters import NO_HEATERS
from glowdial.core.physics.supply.circuit import (
    FilterSection,
    Load,
    Supply,
    Topology,
    Waveform,
    silicon_rectifier,
    with_dead_half,
)
from glowdial.core.physics.supply.discharge import discharge_words, unloaded_v
from glowdial.core.physics.supply.steady import steady_state
from glowdial.core.stages.bring_up.stop_rules import CURRENT_EXCESS, most_line_a
from glowdial.core.stages.bring_up.supply_causes import Cause, SupplyReading
from glowdial.core.stages.bring_up.supply_diagnosis import diagnose
from glowdial.core.stages.parts.needs import seen_v

SUPPLY = a_supply(exponent=1.4)
SOUND = steady_state(SUPPLY, 230.0)


def read(nodes: tuple[float, float], ripple: tuple[float, float] = (0.1, 0.1)) -> SupplyReading:
    return SupplyReading(230.0, nodes, ripple)


def test_nothing_anywhere_is_no_output_or_a_short_and_never_healthy() -> None:
    found = diagnose(SUPPLY, (read((0.0, 0.0)),))
    assert {s.cause for s in found.suspicions} == {Cause.NO_OUTPUT, Cause.SHORT}
    assert "line current" in found.next_measurement


def test_a_reservoir_at_its_peak_with_nothing_behind_is_an_open_filter() -> None:
    found = diagnose(SUPPLY, (read((0.97 * SUPPLY.unloaded_peak_v, 0.0)),))
    assert found.first.cause is Cause.OPEN and found.first.probability == 1.0


def test_a_reservoir_pulled_down_with_nothing_behind_is_a_short() -> None:
    section = replace(SUPPLY.sections[0], leak_ohm=5.0)
    shorted = steady_state(replace(SUPPLY, sections=(section,)), 230.0)
    found = diagnose(SUPPLY, (read((shorted.node_v[0], shorted.node_v[1])),))
    assert found.first.cause is Cause.SHORT and "Switch off" not in found.next_measurement


@pytest.mark.parametrize(
    ("nodes", "ripple"),
    [((900.0, 235.0), (5.0, 0.3)), ((300.0, -5.0), (5.0, 0.3)), ((300.0, 235.0), (-5.0, 0.3))],
)
def test_what_no_state_gives_is_refused(
    nodes: tuple[float, float], ripple: tuple[float, float]
) -> None:
    with pytest.raises(BadInput):
        diagnose(SUPPLY, (read(nodes, ripple),))


def test_half_dead_is_sure_only_by_the_ripples_frequency() -> None:
    half = steady_state(with_dead_half(SUPPLY), 230.0)
    seen = SupplyReading(230.0, half.node_v, half.ripple_v)
    by_ripple = diagnose(SUPPLY, (seen,))
    assert by_ripple.first.cause is Cause.HALF_DEAD and by_ripple.first.probability <= 0.9
    assert "frequency" in by_ripple.next_measurement
    at_line = diagnose(SUPPLY, (replace(seen, ripple_hz=50.0),))
    assert at_line.first.cause is Cause.HALF_DEAD and at_line.first.probability > 0.97
    at_twice = diagnose(SUPPLY, (replace(seen, ripple_hz=100.0),))
    assert at_twice.first.probability < 0.97 or at_twice.first.cause is not Cause.HALF_DEAD


@pytest.mark.parametrize("source_ohm", [1.0, 1.5, 2.0])
@pytest.mark.parametrize("farad", [16e-6, 50e-6])
def test_a_stiff_half_wave_is_diagnosed(source_ohm: float, farad: float) -> None:
    supply = Supply(
        Topology.HALF_WAVE, 117.0, 60.0, 117.0, source_ohm, silicon_rectifier(), farad,
        (FilterSection(1000.0, 40e-6),), Load(0.06, 110.0),
    )  # fmt: skip
    sound = steady_state(supply, 117.0)
    found = diagnose(supply, (SupplyReading(117.0, sound.node_v, sound.ripple_v),))
    assert found.first.cause is Cause.HEALTHY


def test_without_heaters_the_current_has_a_limit_all_the_same() -> None:
    most = most_line_a(SUPPLY, NO_HEATERS, 230.0, line_v=230.0, tubes=6)
    drawn_w = SOUND.node_v[0] * SOUND.load_a
    assert CURRENT_EXCESS * drawn_w / 230.0 < most < 1.0
    assert most_line_a(None, NO_HEATERS, 230.0, line_v=230.0, tubes=0) < 2.0


def test_parts_and_discharge_speak_of_the_same_volts() -> None:
    for transformer in (True, False):
        volts = unloaded_v(SUPPLY, transformer=transformer)
        assert seen_v(SUPPLY, transformer=transformer) == volts
        assert f"from {volts:.0f} V" in discharge_words(
            replace(SUPPLY, load=replace(SUPPLY.load, bleeder_ohm=150e3)), transformer=transformer
        )
    battery = replace(SUPPLY, waveform=Waveform.BATTERY, secondary_v=90.0)
    assert unloaded_v(battery) == 90.0


def test_low_volts_are_not_said_to_fall_below_thirty() -> None:
    low = replace(SUPPLY, secondary_v=15.0, load=replace(SUPPLY.load, bleeder_ohm=1e3))
    words = discharge_words(low)
    assert "to below 30 V" not in words and "never stand above" in words
