"""Aerial to AVC and audio of the wider family: images, filters, conversions, loops, FM, faults."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sets import communications_set, double_set, loop_set, tuner

from builders import aligned, found, tidewater_facts
from glowdial.core.language.errors import BadInput
from glowdial.core.physics.noise import Site
from glowdial.core.physics.resonance import passband
from glowdial.sim.audio import audio_parts, stereo_waveform, waveform
from glowdial.sim.condition import (
    CapacitorFault,
    DeviceFault,
    ResistorFault,
    SwitchFault,
)
from glowdial.sim.receiver import SimulatedReceiver
from glowdial.sim.state import BenchState

FACTS = tidewater_facts()


def tuned(dial_hz: float, band: str = "bc", **more: object) -> BenchState:
    state = BenchState(
        line_v=230.0,
        injection="aerial",
        band=band,
        dial_hz=dial_hz,
        generator_hz=dial_hz,
        generator_emf_v=100e-6,
    )
    return replace(state, **more)  # type: ignore[arg-type]


def peak_hz(receiver: SimulatedReceiver, state: BenchState, around: float, reach: float) -> float:
    sweep = np.linspace(around - reach, around + reach, 1201)
    return float(sweep[int(np.argmax(receiver.sweep_avc_v(state, sweep)))])


def carrier_v(receiver: SimulatedReceiver, state: BenchState) -> float:
    return receiver.detected(state).carrier_v


@settings(max_examples=20, deadline=None)
@given(st.floats(-1.5, 1.5), st.floats(-1.5, 1.5), st.sampled_from([600e3, 850e3, 1.1e6, 1.4e6]))
def test_the_image_lies_at_the_computed_place(
    trimmer: float, padder: float, dial_hz: float
) -> None:
    receiver = aligned(FACTS, turns={"bc-osc-trimmer": trimmer, "bc-padder": padder})
    state = tuned(dial_hz, generator_emf_v=10e-3)
    front = receiver.front_end(state, receiver.power.at(state))
    assert front is not None
    # the aerial circuit's slope pulls the peak a little towards the signal
    image = front.local_oscillator_hz + 465e3
    assert peak_hz(receiver, state, image, 60e3) == pytest.approx(image, abs=1.5e3)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.floats(540e3, 1.6e6))
def test_the_avc_is_monotone_in_the_level(seed: int, dial_hz: float) -> None:
    receiver = found(FACTS, seed)
    state = tuned(dial_hz)
    levels = np.geomspace(1e-6, 0.1, 12)
    volts = [receiver.avc_v(replace(state, generator_emf_v=float(v))) for v in levels]
    assert all(b >= a for a, b in itertools.pairwise(volts))


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from(["bc", "sw"]), st.floats(0.05, 0.95))
def test_no_response_exceeds_the_lossless_bound(seed: int, band: str, share: float) -> None:
    """A passive front end cannot deliver more than the available power of its dummy aerial."""
    receiver = found(FACTS, seed)
    facts = FACTS.band(band)
    dial_hz = facts.low_hz * (facts.high_hz / facts.low_hz) ** share
    state = tuned(dial_hz, band)
    front = receiver.front_end(state, receiver.power.at(state))
    assert front is not None
    sweep = np.linspace(0.5 * dial_hz, 1.6 * dial_hz, 801)
    gain = front.aerial_gain(sweep)
    # what is lost in the tank's own resistance, against EMF^2 / 4R of the dummy's 25 ohm
    w = 2 * np.pi * sweep
    current = gain * w * front.aerial.c_f
    lost_w = current**2 * front.aerial.loss_ohm(sweep)
    assert np.all(lost_w <= 1.0 / (4.0 * 25.0) * (1 + 1e-9))


def test_sweep_and_single_readings_are_one() -> None:
    receiver = SimulatedReceiver(FACTS, replace(found(FACTS, 3).condition, needle=0.0))
    state = tuned(1e6)
    sweep = np.array([0.99e6, 1e6, 1.003e6])
    single = [receiver.avc_v(replace(state, generator_hz=float(f))) for f in sweep]
    assert receiver.sweep_avc_v(state, sweep) == pytest.approx(single, rel=1e-9)


def test_a_signal_at_the_if_breaks_through_the_more_the_nearer_the_dial() -> None:
    receiver = aligned(FACTS)
    rejections = []
    for dial_hz in (560e3, 800e3, 1.5e6):
        state = tuned(dial_hz)
        at_if = replace(state, generator_hz=465e3)
        rejections.append(20 * math.log10(carrier_v(receiver, state) / carrier_v(receiver, at_if)))
    assert 0.0 < rejections[0] < rejections[1] < rejections[2]
    assert rejections[2] > 20.0


def rejection_db(receiver: SimulatedReceiver, state: BenchState) -> float:
    front = receiver.front_end(state, receiver.power.at(state))
    assert front is not None
    wanted, image = (
        carrier_v(receiver, replace(state, generator_hz=front.local_oscillator_hz + side * 465e3))
        for side in (-1, 1)
    )
    return 20 * math.log10(wanted / image)


def test_an_rf_stage_rejects_the_image_further() -> None:
    state = tuned(1.4e6)
    plain, tuned_rf = (
        rejection_db(aligned(FACTS), state),
        rejection_db(aligned(communications_set()), state),
    )
    assert tuned_rf > plain + 15.0


def test_a_mechanical_filter_sets_the_width() -> None:
    state = replace(tuned(1e6), injection="mixer grid", oscillator_stopped=True)
    sweep = np.linspace(455e3, 475e3, 801)
    wide = passband(sweep, aligned(FACTS).if_gain(state, sweep)).width_hz
    narrow = passband(sweep, aligned(communications_set()).if_gain(state, sweep)).width_hz
    assert narrow == pytest.approx(3.2e3, rel=0.12) and wide > 1.5 * narrow


def test_the_beat_note_is_the_difference_from_the_beat_oscillator() -> None:
    receiver = aligned(communications_set())
    # straight at the mixer and swept by hand: 1 kHz further is 1 kHz higher in the ear
    state = replace(tuned(1e6), injection="mixer grid", oscillator_stopped=True, beat_on=True)
    tones = [
        audio_parts(receiver, replace(state, generator_hz=465e3 + offset)).tone_hz
        for offset in (0.0, 1e3, -800.0)
    ]
    assert tones == pytest.approx([800.0, 1800.0, 0.0], abs=1e-6)


def test_double_conversion_brings_the_dial_in_and_puts_the_image_far_off() -> None:
    receiver = aligned(double_set())
    state = tuned(11e6, "sw")
    assert peak_hz(receiver, state, 11e6, 40e3) == pytest.approx(11e6, abs=8e3)
    front = receiver.front_end(state, receiver.power.at(state))
    assert front is not None
    assert front.local_oscillator_hz - 11e6 == pytest.approx(3.2e6, abs=10e3)
    far = replace(state, generator_hz=front.local_oscillator_hz + 3.2e6)
    near = replace(state, generator_hz=11e6 + 2 * 465e3)
    assert carrier_v(receiver, state) > 30.0 * carrier_v(receiver, far)
    # the second image is what the first IF's own selectivity leaves
    assert carrier_v(receiver, state) > 10.0 * carrier_v(receiver, near)


@pytest.mark.parametrize(("kind", "louder"), [("loop", 3.0), ("rod", 1.1)])
def test_built_in_aerials_hear_a_field_and_the_place(kind: str, louder: float) -> None:
    receiver = aligned(loop_set(kind))
    state = tuned(1e6, generator_emf_v=0.1)
    assert peak_hz(receiver, state, 1e6, 20e3) == pytest.approx(1e6, abs=3e3)
    quiet, city = (
        receiver.detected(replace(state, place=place)).noise_v
        for place in (Site.SCREENED, Site.CITY)
    )
    # half a metre of rod catches less of it than the circuit makes itself
    assert city > louder * quiet


def test_a_wired_set_on_its_dummy_does_not_hear_the_place() -> None:
    receiver = aligned(FACTS)
    state = tuned(1e6)
    noises = [
        receiver.detected(replace(state, place=p)).noise_v for p in (Site.SCREENED, Site.CITY)
    ]
    assert noises[0] == noises[1]


@pytest.mark.parametrize(
    ("fault", "share"),
    [
        (DeviceFault("V2", 0.0), 0.0),
        (DeviceFault("V2", 0.3), 0.6),
        (CapacitorFault("V2", "screen bypass"), 0.36),
        (CapacitorFault("V2", "cathode bypass"), 0.75),
        (ResistorFault("V2", "screen", 5.0), 0.9),
    ],
)
def test_a_sick_if_stage_amplifies_less(fault: object, share: float) -> None:
    state = tuned(1e6)
    well, sick = aligned(FACTS), aligned(FACTS, faults=(fault,))
    ratio = carrier_v(sick, state) / carrier_v(well, state)
    assert ratio <= share and (ratio > 0.05 or share == 0.0)


def test_injection_at_an_if_grid_leaves_what_precedes_out() -> None:
    dead_mixer = aligned(FACTS, faults=(DeviceFault("V1", 0.0),))
    state = replace(tuned(1e6), injection="V2 grid", generator_hz=465e3, generator_emf_v=10e-3)
    assert dead_mixer.avc_v(state) > 0.5
    assert dead_mixer.avc_v(replace(state, injection="mixer grid")) == 0.0


def test_of_two_if_stages_the_last_ones_grid_leaves_the_first_out() -> None:
    facts = tidewater_facts()
    first, second, *rest = facts.circuit.stages
    more = replace(second, name="V2b")
    two = replace(facts, circuit=replace(facts.circuit, stages=(first, second, more, *rest)))
    dead_first = aligned(two, faults=(DeviceFault("V2", 0.0),))
    state = replace(tuned(1e6), injection="V2b grid", generator_hz=465e3, generator_emf_v=0.1)
    assert carrier_v(dead_first, state) == pytest.approx(carrier_v(aligned(two), state), rel=0.05)
    assert carrier_v(dead_first, replace(state, injection="V2 grid")) == 0.0


def test_a_switch_contact_costs_signal_and_may_not_touch() -> None:
    state = tuned(1e6)
    well = carrier_v(aligned(FACTS), state)
    dirty = carrier_v(aligned(FACTS, faults=(SwitchFault("bc", contact_ohm=30.0),)), state)
    assert 0.05 * well < dirty < 0.6 * well
    shaky = aligned(FACTS, faults=(SwitchFault("bc", open_share=0.5),))
    heard = [carrier_v(shaky, replace(state, time_s=float(t))) > 0.0 for t in range(60)]
    assert 15 < sum(heard) < 45
    assert carrier_v(shaky, tuned(9e6, "sw")) > 0.0


def test_a_clamped_avc_lets_the_detector_be_linear() -> None:
    receiver = aligned(FACTS)
    state = tuned(1e6, avc_clamp_v=2.0)
    assert receiver.avc_v(state) == 2.0
    levels = [
        receiver.held_gain(s) * carrier_v(receiver, s)
        for s in (state, replace(state, generator_emf_v=200e-6))
    ]
    assert levels[1] == pytest.approx(2.0 * levels[0], rel=1e-9)


def test_backlash_depends_on_the_side_that_the_dial_came_from() -> None:
    receiver = aligned(FACTS, backlash=0.001)
    from_below = receiver.tune(receiver.tune(tuned(900e3), "bc", 950e3), "bc", 1e6)
    from_above = receiver.tune(receiver.tune(tuned(900e3), "bc", 1.1e6), "bc", 1e6)
    places = [
        peak_hz(receiver, replace(s, injection="mixer grid"), 1e6, 8e3)
        for s in (from_below, from_above)
    ]
    assert places[1] - places[0] == pytest.approx(2.0 * 0.001 * 1e6, rel=0.3)


def test_fm_quiets_with_the_level_and_limits() -> None:
    receiver = aligned(tuner())
    state = tuned(98e6, "fm", fm_deviation_hz=22.5e3, tone_on=True, tone_hz=1e3)
    state = replace(state, generator_hz=peak_hz(receiver, state, 98e6, 400e3))
    parts = [
        audio_parts(receiver, replace(state, generator_emf_v=v)) for v in (2e-6, 2e-5, 2e-3, 2e-2)
    ]
    noise = [p.noise_v for p in parts]
    assert noise[1] > noise[2] > noise[3]
    assert parts[3].tone_v == pytest.approx(parts[2].tone_v, rel=0.1)
    lower = audio_parts(receiver, replace(state, generator_emf_v=2e-2, tone_hz=10e3))
    ratio = math.hypot(1, 2 * math.pi * 1e3 * 50e-6) / math.hypot(1, 2 * math.pi * 1e4 * 50e-6)
    # but for the output stage's first bend
    assert lower.tone_v / parts[3].tone_v == pytest.approx(ratio, rel=2e-3)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_the_waveform_is_the_meters_reading_and_its_lines_are_where_they_belong(seed: int) -> None:
    receiver = SimulatedReceiver(FACTS, replace(found(FACTS, seed).condition, needle=0.0))
    state = tuned(1e6, tone_on=True, generator_emf_v=2e-3)
    state = replace(state, generator_hz=peak_hz(receiver, state, 1e6, 40e3))
    parts = audio_parts(receiver, state)
    wave = waveform(receiver, state, 4.0, 48e3)
    assert float(np.sqrt(np.mean(wave**2))) == pytest.approx(parts.rms_v, rel=0.02)
    assert np.array_equal(wave, waveform(receiver, state, 4.0, 48e3))
    spectrum = np.abs(np.fft.rfft(wave)) / wave.size * math.sqrt(2.0)
    assert spectrum[4 * 400] == pytest.approx(parts.tone_v, rel=0.03)
    assert spectrum[4 * 800] == pytest.approx(parts.second_share * parts.tone_v, rel=0.3)
    assert spectrum[4 * 100] == pytest.approx(parts.hum_v, rel=0.3)
    # beyond the audio band nothing is left
    assert float(np.max(spectrum[4 * 12_000 :])) < 1e-3 * parts.tone_v


def test_the_stereo_decoder_leaks_a_little() -> None:
    receiver = aligned(tuner())
    state = tuned(98e6, "fm", fm_deviation_hz=22.5e3, tone_on=True, generator_emf_v=2e-2)
    state = replace(state, generator_hz=peak_hz(receiver, state, 98e6, 400e3), tone_hz=1e3)
    left, right = stereo_waveform(receiver, state, 0.2, 192e3, channel="left")
    tone = np.exp(-2j * np.pi * 1e3 * np.arange(left.size) / 192e3)
    separation_db = 20 * math.log10(abs(np.dot(left, tone)) / abs(np.dot(right, tone)))
    assert 22.0 < separation_db < 50.0


@pytest.mark.parametrize(
    ("seconds", "rate", "channel", "words"),
    [
        (0.0, 192e3, "left", "up to 120 s"),
        (1.0, 1e3, "left", "8 to 384 kHz"),
        (1.0, 48e3, "left", "too low for the subcarrier"),
        (0.1, 192e3, "both", "left or right"),
    ],
)
def test_impossible_recordings_are_refused(
    seconds: float, rate: float, channel: str, words: str
) -> None:
    with pytest.raises(BadInput, match=words):
        stereo_waveform(aligned(tuner()), tuned(98e6, "fm"), seconds, rate, channel=channel)


def test_an_am_set_has_no_stereo() -> None:
    with pytest.raises(BadInput, match="no stereo decoder"):
        stereo_waveform(aligned(FACTS), tuned(1e6), 0.1, 192e3, channel="left")
