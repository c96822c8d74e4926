"""The simulated receiver obeys its components, and tells nothing but meter values."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from builders import aligned, found, slipway_facts, tidewater_facts
from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.model.measurands import (
    AVC,
    B_PLUS,
    B_PLUS_OHM,
    B_PLUS_RIPPLE,
    LINE,
    LOUDSPEAKER,
    RESERVOIR,
    Kind,
    Measurand,
)
from glowdial.core.physics.resonance import passband
from glowdial.sim.condition import Condition, neglected
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState

FACTS = tidewater_facts()
AT_IF = BenchState(
    line_v=230.0,
    injection="mixer grid",
    oscillator_stopped=True,
    generator_hz=465e3,
    generator_emf_v=200e-6,
)


def at_dial(dial_hz: float, band: str = "bc", **changes: object) -> BenchState:
    state = BenchState(
        line_v=230.0,
        injection="aerial",
        band=band,
        dial_hz=dial_hz,
        generator_hz=dial_hz,
        generator_emf_v=100e-6,
    )
    return replace(state, **changes)


def comes_in_hz(receiver: SimulatedReceiver, state: BenchState, reach_hz: float = 40e3) -> float:
    """Where the AVC peaks over the generator's frequency: a plain fine scan."""
    grid = np.arange(state.dial_hz - reach_hz, state.dial_hz + reach_hz, 200.0)
    volts = [receiver.read(replace(state, generator_hz=float(f)), AVC) for f in grid]
    return float(grid[int(np.argmax(volts))])


def test_if_response_is_that_of_its_windings_by_nodal_analysis() -> None:
    receiver = aligned(FACTS)
    sweep = np.linspace(445e3, 485e3, 41)
    l_h = 1.0 / ((2 * math.pi * 465e3) ** 2 * 115e-12)
    product = np.ones(sweep.size)
    for _ in FACTS.transformers:
        for n, f in enumerate(sweep):
            w = 2 * math.pi * f
            r1, r2 = (2 * math.pi * 465e3 * l_h / q for q in (88.0, 96.0))
            m = 0.88 / math.sqrt(88.0 * 96.0) * l_h
            z = np.array(
                [
                    [1j * w * 115e-12, 0, 1, 0],
                    [0, 1j * w * 115e-12, 0, 1],
                    [1, 0, -(r1 + 1j * w * l_h), -1j * w * m],
                    [0, 1, -1j * w * m, -(r2 + 1j * w * l_h)],
                ]
            )
            product[n] *= abs(np.linalg.solve(z, [1, 0, 0, 0])[1])
    gain = receiver.if_gain(AT_IF, sweep)
    assert gain / gain.max() == pytest.approx(product / product.max(), rel=1e-6)
    assert 5e3 < passband(sweep, gain).width_hz < 12e3


def test_aligned_set_brings_every_mark_in_where_it_is_printed() -> None:
    receiver = aligned(FACTS)
    for band in FACTS.bands:
        for mark in band.dial_marks_hz:
            error = comes_in_hz(receiver, at_dial(mark, band.key), 0.01 * mark) - mark
            assert abs(error) < 1.5e3


def shift_hz(adjuster: str, turns: float, mark: float, band: str = "bc") -> float:
    receiver = aligned(FACTS)
    # straight into the mixer: through the aerial circuit its slope would pull the peak along
    state = receiver.turn(at_dial(mark, band, injection="mixer grid"), adjuster, turns)
    return comes_in_hz(receiver, state) - mark


def test_turning_the_padder_moves_the_low_end_most_and_the_trimmer_the_high_end() -> None:
    padder = [shift_hz("bc-padder", 0.5, f) for f in (600e3, 1400e3)]
    trimmer = [shift_hz("bc-osc-trimmer", 0.25, f) for f in (600e3, 1400e3)]
    assert padder[0] < 0 and trimmer[1] < 0  # clockwise is more capacity
    assert abs(padder[0]) > 1.5 * abs(padder[1])
    assert abs(trimmer[1]) > 5 * abs(trimmer[0])


def test_the_shift_is_the_oscillator_formulas() -> None:
    band = FACTS.band("bc")
    lo = band.tracked.oscillator
    adjuster = FACTS.adjuster("bc-osc-trimmer")
    assert adjuster.change_per_turn is not None
    gang = float(band.tracked.signal.gang_capacity_f(1e6))  # near enough to the 1000 kHz mark
    trimmer = lo.trimmer_f * math.exp(0.25 * adjuster.change_per_turn)
    total = lo.padder_f * (gang + trimmer) / (lo.padder_f + gang + trimmer)
    expected = 1 / (2 * math.pi * math.sqrt(lo.inductance_h * total)) - 465e3 - 1e6
    assert shift_hz("bc-osc-trimmer", 0.25, 1e6) == pytest.approx(expected, abs=400.0)


def test_avc_rises_with_the_generator_and_falls_off_the_peak() -> None:
    receiver = aligned(FACTS)
    levels = np.geomspace(1e-6, 0.1, 25)
    volts = [receiver.read(replace(AT_IF, generator_emf_v=float(v)), AVC) for v in levels]
    assert np.all(np.diff(volts) > 0)
    beside = receiver.read(replace(AT_IF, generator_hz=475e3), AVC)
    assert beside < 0.7 * receiver.read(AT_IF, AVC)


def test_the_image_comes_in_at_the_signal_plus_twice_the_if_only_weaker() -> None:
    receiver = aligned(FACTS)
    signal = at_dial(1e6, generator_emf_v=1e-3)
    image = replace(signal, generator_hz=1e6 + 2 * 465e3)
    beside = replace(signal, generator_hz=1e6 + 2 * 465e3 + 40e3)
    wanted, mirrored, nothing = (receiver.read(s, AVC) for s in (signal, image, beside))
    assert wanted > mirrored > 3 * nothing


def test_signal_to_noise_follows_the_level_and_the_tone_makes_the_audio() -> None:
    receiver = aligned(FACTS)
    for level, least_db in ((5e-6, 3.0), (20e-6, 10.0), (200e-6, 25.0)):
        on = receiver.read(at_dial(1e6, generator_emf_v=level, tone_on=True), LOUDSPEAKER)
        off = receiver.read(at_dial(1e6, generator_emf_v=level), LOUDSPEAKER)
        assert 20 * math.log10(on / off) > least_db
    assert receiver.read(BenchState(), LOUDSPEAKER) == 0.0


def test_same_seed_same_answers_and_another_seed_another_set() -> None:
    one, same, other = (found(FACTS, seed) for seed in (5, 5, 6))
    assert one.condition == same.condition != other.condition
    for what in (AVC, LOUDSPEAKER, B_PLUS, RESERVOIR, LINE, B_PLUS_RIPPLE, B_PLUS_OHM):
        assert one.read(at_dial(1e6), what) == same.read(at_dial(1e6), what)
    assert one.read(at_dial(1e6), AVC) != other.read(at_dial(1e6), AVC)


def test_a_neglected_set_is_neglected_everywhere_and_settled_bands_are_not() -> None:
    condition = neglected(FACTS, 9, settled_bands=("sw",))
    assert min(abs(condition.turns[k]) for k in FACTS.if_adjusters()) > 0.7
    assert max(abs(condition.turns[k]) for k in ("sw-osc-trimmer", "sw-osc-core")) < 0.1
    assert Condition.from_document(condition.as_document()) == condition


@pytest.mark.parametrize("spoil", ["extra", "seed"])
def test_a_broken_condition_is_refused_with_the_key(spoil: str) -> None:
    document = neglected(FACTS, 1).as_document()
    if spoil in document:
        del document[spoil]
    else:
        document[spoil] = 1
    with pytest.raises(BadInput, match=spoil):
        Condition.from_document(document)


def test_turning_stops_at_the_end_of_the_thread() -> None:
    receiver = aligned(FACTS)
    far = [receiver.turn(AT_IF, "t1-primary", t) for t in (7.0, 30.0)]
    assert receiver.read(far[0], AVC) == pytest.approx(receiver.read(far[1], AVC), rel=1e-9)
    with pytest.raises(NotFound):
        receiver.turn(AT_IF, "t9", 1.0)
    with pytest.raises(NotFound, match="DC volts at thermometer"):
        receiver.read(AT_IF, Measurand("thermometer", Kind.DC_VOLTS))


def test_no_power_no_signal_and_low_line_little() -> None:
    receiver = aligned(FACTS)
    cold, low, full = (receiver.read(replace(AT_IF, line_v=v), AVC) for v in (0.0, 150.0, 230.0))
    assert cold == 0.0 < low < full
    assert receiver.read(replace(AT_IF, line_v=60.0), B_PLUS) == 0.0


def test_a_set_from_a_sheet_that_says_little_works_too() -> None:
    receiver = aligned(slipway_facts())
    mark = slipway_facts().bands[0].dial_marks_hz[2]
    assert comes_in_hz(receiver, at_dial(mark, "band1", line_v=117.0)) == pytest.approx(
        mark, abs=1e3
    )
