"""The room's instruments: what probes read, what meters do to a set, traces, trips and moods."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from sets import altered, circuit

from builders import aligned, tidewater_facts
from glowdial.core.language.errors import BadInput
from glowdial.core.model.measurands import AVC, B_PLUS, LOUDSPEAKER
from glowdial.core.physics.ohmmeter import filament_on_ohmmeter
from glowdial.core.physics.resonance import passband
from glowdial.sim.condition import CapacitorFault, ResistorFault
from glowdial.sim.instruments import instruments
from glowdial.sim.instruments.multimeter import RANGES
from glowdial.sim.probes import node, resistance_ohm
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument
from glowdial.sim.state import BenchState

FACTS = tidewater_facts()


class Clock:
    """A clock that a test winds."""

    def __init__(self) -> None:
        self.at = 100.0

    def __call__(self) -> float:
        return self.at


def said(instrument: ScpiInstrument, line: str) -> float:
    answer = instrument.respond(line)
    assert answer is not None, instrument.respond("SYST:ERR?")
    return float(answer)


def powered(room: SimulatedRoom) -> dict[str, ScpiInstrument]:
    kit = instruments(room)
    kit["supply"].respond("VOLT 230;OUTP ON")
    return kit


def test_a_meter_divides_with_what_is_behind_the_point(room: SimulatedRoom) -> None:
    kit = powered(room)
    for key in ("V3 plate", "V2 screen", "V4 cathode", "b-plus", "reservoir"):
        kit["hands"].respond(f'PROB "{key}"')
        at = node(room.receiver, room.state, key)
        loaded = at.dc_v * 11e6 / (11e6 + at.source_ohm)
        assert said(kit["multimeter"], "MEAS?") == pytest.approx(loaded, rel=1e-4)
    assert node(room.receiver, room.state, "reservoir").dc_v > room.read(B_PLUS) + 50.0


def test_a_probe_on_the_wrong_side_of_a_resistor_reads_what_it_would() -> None:
    far = {"key": "avc-far", "name": "AVC behind 10 M", "node": "avc", "series_ohm": 10e6}
    room = SimulatedRoom(aligned(altered(circuit=circuit(points=[far]))))
    kit = powered(room)
    room.change(injection="mixer grid", oscillator_stopped=True, generator_emf_v=1e-3)
    near, wrong = (
        (kit["hands"].respond(f'PROB "{key}"'), said(kit["multimeter"], "MEAS?"))[1]
        for key in ("avc", "avc-far")
    )
    assert wrong / near == pytest.approx((11 + 1.2) / (11 + 11.2), rel=1e-3)


def test_the_voltage_chart_shows_the_fault() -> None:
    sick = SimulatedRoom(aligned(FACTS, faults=(CapacitorFault("V4", "coupling", 2e6),)))
    kit = powered(sick)
    kit["hands"].respond('PROB "V4 grid"')
    assert said(kit["multimeter"], "MEAS?") > 5.0
    open_resistor = SimulatedRoom(aligned(FACTS, faults=(ResistorFault("V2", "screen", 1e6),)))
    kit = powered(open_resistor)
    kit["hands"].respond('PROB "V2 screen"')
    assert said(kit["multimeter"], "MEAS?") < 2.0


def test_cold_resistances_are_the_circuits(room: SimulatedRoom) -> None:
    kit = instruments(room)
    cathode = FACTS.circuit.stage("V4")
    assert cathode is not None
    kit["hands"].respond('PROB "V4 cathode"')
    assert said(kit["multimeter"], "MEAS:RES?") == pytest.approx(cathode.cathode_ohm, rel=1e-3)
    kit["hands"].respond('PROB "V4 plate"')
    expected = cathode.plate_ohm + room.receiver.cold_resistance_ohm()
    assert said(kit["multimeter"], "MEAS:RES?") == pytest.approx(expected, rel=1e-3)
    # beyond its compliance volts a range can tell no more
    assert kit["multimeter"].respond('RES:RANG "200";MEAS:RES?') == "9.9E+37"


def test_an_old_ohmmeter_burns_a_battery_filament_and_a_digital_one_does_not() -> None:
    heaters = {"heaters": [{"tube": "V1", "volts": 2.0, "amperes": 0.06, "direct": True}]}
    facts = altered(
        chassis="battery",
        chassis_layout=None,
        line_up=[{"position": "V1", "function": "mixer", "type": "battery pentode"}],
        circuit=circuit(heaters=heaters),
    )
    room = SimulatedRoom(aligned(facts))
    kit = instruments(room)
    kit["hands"].respond('PROB "V1 heater"')
    cold = said(kit["multimeter"], 'RES:RANG "200";MEAS:RES?')
    met = filament_on_ohmmeter(RANGES["200"], 2.0, 0.06)
    assert cold == pytest.approx(met.settled_v_share * 2.0 / (met.settled_share * 0.06), rel=1e-3)
    assert cold == pytest.approx(0.2 * 2.0 / 0.06, rel=0.2)  # it stays nearly cold
    assert kit["multimeter"].respond('RES:RANG "buzzer";MEAS:RES?') == "9.9E+37"
    assert room.state.burnt == ("V1",)
    assert max(room.receiver.power.at(replace(room.state, line_v=230.0)).theta) == 0.0


def test_unknown_points_are_refused(room: SimulatedRoom) -> None:
    hands = instruments(room)["hands"]
    assert hands.respond('PROB "V99 plate"') is None
    assert str(hands.respond("SYST:ERR?")).startswith("-120")
    with pytest.raises(BadInput, match="is no connection point"):
        resistance_ohm(room.receiver, BenchState(), "V99 plate")


def test_with_a_clock_a_set_warms_up_and_the_avc_follows() -> None:
    clock = Clock()
    room = SimulatedRoom(aligned(FACTS), clock=clock)
    kit = powered(room)
    room.change(injection="mixer grid", oscillator_stopped=True, generator_emf_v=1e-3)
    kit["hands"].respond("PROB b-plus")
    assert said(kit["multimeter"], "MEAS?") < 5.0
    clock.at += 60.0
    assert said(kit["multimeter"], "MEAS?") == pytest.approx(235.0, rel=0.05)
    kit["hands"].respond("PROB avc")
    settled = said(kit["multimeter"], "MEAS?")
    room.change(generator_emf_v=0.0)
    clock.at += 0.05
    assert said(kit["multimeter"], "MEAS?") == pytest.approx(settled * np.exp(-0.5), rel=0.05)


def test_a_needle_settles_from_where_it_stood() -> None:
    clock = Clock()
    room = SimulatedRoom(aligned(FACTS), clock=clock, needle_s=0.2)
    kit = powered(room)
    kit["hands"].respond("PROB b-plus")
    clock.at += 60.0
    first = said(kit["multimeter"], "MEAS?")
    clock.at += 0.2
    second = said(kit["multimeter"], "MEAS?")
    clock.at += 5.0
    rest = said(kit["multimeter"], "MEAS?")
    assert first < 0.1 * rest
    assert second == pytest.approx(rest + (first - rest) / np.e, rel=0.02)


def swept(room: SimulatedRoom, sweep_s: float, probe: str) -> tuple[np.ndarray, np.ndarray]:
    kit = powered(room)
    room.change(injection="mixer grid", oscillator_stopped=True, generator_emf_v=300e-6)
    kit["generator"].respond(f"FREQ:STAR 445E3;FREQ:STOP 485E3;SWE:TIME {sweep_s};SWE:STAT ON")
    kit["hands"].respond(f"PROB {probe}")
    answer = kit["oscilloscope"].respond(f"TIM:SCAL {sweep_s / 10};TRAC?")
    volts = -np.array([float(v) for v in str(answer).split(",")])
    return np.linspace(445e3, 485e3, volts.size), volts


def test_a_fast_sweep_lags_and_a_slow_one_hardly(room: SimulatedRoom) -> None:
    peaks = []
    for seconds in (0.2, 2.0, 40.0):
        frequency, volts = swept(room, seconds, "avc")
        peaks.append(float(frequency[int(np.argmax(volts))]))
    assert peaks[0] > peaks[1] > 465.2e3
    assert peaks[2] == pytest.approx(465e3, abs=200.0)


def test_with_the_avc_clamped_the_detector_shows_the_true_curve(room: SimulatedRoom) -> None:
    instruments(room)["hands"].respond("CLAM 3")
    frequency, volts = swept(room, 0.02, "detector")
    true = room.receiver.if_gain(room.state, frequency)
    found, wanted = passband(frequency, volts), passband(frequency, true)
    assert found.width_hz == pytest.approx(wanted.width_hz, rel=0.01)
    assert found.centre_hz == pytest.approx(wanted.centre_hz, abs=30.0)


def test_the_scope_shows_audio_and_ripple(room: SimulatedRoom) -> None:
    kit = powered(room)
    kit["hands"].respond("PROB reservoir")
    answer = str(kit["oscilloscope"].respond("TIM:SCAL 0.002;TRAC?"))
    volts = np.array([float(v) for v in answer.split(",")])
    ripple = room.receiver.power.at(room.state).ripple_v[0]
    assert np.ptp(volts) == pytest.approx(ripple, rel=0.25)
    crossings = np.sum(np.diff(np.sign(volts - volts.mean())) != 0)
    assert crossings in (3, 4, 5)  # 100 Hz over 20 ms
    kit["hands"].respond("PROB audio")
    room.change(injection="mixer grid", oscillator_stopped=True, generator_emf_v=1e-3, tone_on=True)
    answer = str(kit["oscilloscope"].respond("TIM:SCAL 0.005;TRAC?"))
    audio = np.array([float(v) for v in answer.split(",")])
    assert float(np.std(audio)) == pytest.approx(room.read(LOUDSPEAKER), rel=0.1)


def test_the_counter_tells_the_oscillator_and_a_direct_probe_pulls_it(room: SimulatedRoom) -> None:
    kit = powered(room)
    kit["hands"].respond("TUNE bc,1000000")
    loose = said(kit["counter"], "FREQ:GATE 1;MEAS:FREQ?")
    assert loose == pytest.approx(1.465e6, rel=2e-3)
    direct = said(kit["counter"], "DIR ON;MEAS:FREQ?")
    assert direct < loose - 100.0
    kit["hands"].respond("CLIP ON")
    assert said(kit["counter"], "MEAS:FREQ?") == 0.0


def test_the_calibrator_is_a_signal_at_its_harmonics(room: SimulatedRoom) -> None:
    kit = powered(room)
    kit["hands"].respond("TUNE bc,1000000")
    kit["calibrator"].respond("FREQ 500 kHz;OUTP ON")
    on_a_harmonic = room.read(AVC)
    kit["hands"].respond("TUNE bc,1200000")
    kit["calibrator"].respond("OUTP ON")
    assert on_a_harmonic > 1.0 > room.read(AVC)
    kit["calibrator"].respond("FREQ 123 kHz")
    assert str(kit["calibrator"].respond("SYST:ERR?")).startswith("-222")


def test_the_analyser_hears_tone_and_hum(room: SimulatedRoom) -> None:
    kit = powered(room)
    room.change(injection="mixer grid", oscillator_stopped=True, generator_emf_v=1e-3, tone_on=True)
    assert said(kit["analyser"], "MEAS:FREQ?") == 400.0
    assert said(kit["analyser"], "MEAS:SIN?") > 20.0
    assert 0.0 < said(kit["analyser"], "MEAS:DIST?") < 5.0
    room.change(generator_emf_v=0.0)
    assert said(kit["analyser"], "MEAS:SIN?") < 1.0


def test_too_much_current_opens_the_supply_until_it_is_switched_anew(room: SimulatedRoom) -> None:
    kit = instruments(room)
    kit["supply"].respond("CURR:LIM 0.1;VOLT 230;OUTP ON")
    assert said(kit["supply"], "CURR:PROT:TRIP?") == 1.0
    assert room.state.line_v == 0.0
    kit["supply"].respond("CURR:LIM 2;OUTP OFF;OUTP ON")
    assert said(kit["supply"], "CURR:PROT:TRIP?") == 0.0
    drawn = said(kit["supply"], "MEAS:CURR?")
    assert 0.1 < drawn < 0.6
    kit["supply"].respond("LAMP 40")
    assert said(kit["supply"], "MEAS:CURR?") < drawn


def test_fm_and_sweep_settings_are_taken_and_bad_ones_refused(room: SimulatedRoom) -> None:
    generator = instruments(room)["generator"]
    generator.respond("FM:DEV 22.5 kHz;AM:INT:FREQ 1000")
    assert (room.state.fm_deviation_hz, room.state.tone_hz) == (22.5e3, 1e3)
    before = room.sweep
    for line in ("SWE:TIME 0", "FREQ:STAR 1", "SWE:STAT PERHAPS"):
        generator.respond(line)
        assert generator.respond("SYST:ERR?") != '0,"No error"'
    assert room.sweep == before


@pytest.mark.parametrize(
    ("mood", "expected"),
    [("silent", None), ("garbage", "?"), ("units", "mV"), ("well", "E")],
)
def test_hands_can_upset_an_instrument(
    room: SimulatedRoom, mood: str, expected: str | None
) -> None:
    kit = powered(room)
    kit["hands"].respond("PROB b-plus")
    kit["hands"].respond(f"MOOD multimeter,{mood}")
    answer = kit["multimeter"].respond("MEAS?")
    assert (answer is None) if expected is None else (expected in str(answer))
