"""The simulated instruments' language, line by line."""

from __future__ import annotations

import pytest

from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument


@pytest.mark.parametrize(
    "line",
    [
        "SOURce:FREQuency:CW 612.5 kHz",
        "sour:freq 612.5kHz",
        ":FREQ 612500",
        "FREQUENCY 6.125E5",
        "freq 0.6125 MHz",
    ],
)
def test_long_and_short_headers_and_units(room: SimulatedRoom, line: str) -> None:
    generator = instruments(room)["generator"]
    assert generator.respond(f"{line};FREQ?") == "6.125000E+05"
    assert room.state.generator_hz == 612.5e3


@pytest.mark.parametrize(
    ("line", "error"),
    [
        ("FREQ", "-109"),
        ("FREQ fast", "-120"),
        ("FREQ 5 furlong", "-131"),
        ("FREQ 1e12", "-222"),
        ("VOLT -1", "-222"),
        ("OUTP MAYBE", "-120"),
        ("OUTP", "-109"),
        ("BANANA 5", "-113"),
        ("FREQUE 5", "-113"),
        ("FREQ?? 5", "-113"),
    ],
)
def test_errors_are_queued_by_the_standards_numbers(
    room: SimulatedRoom, line: str, error: str
) -> None:
    generator, before = instruments(room)["generator"], room.state
    assert generator.respond(line) is None
    assert str(generator.respond("SYST:ERR?")).startswith(error)
    assert generator.respond("SYST:ERR?") == '0,"No error"'
    assert room.state == before


def test_the_error_queue_ends_in_overflow_and_can_be_cleared() -> None:
    instrument = ScpiInstrument("x", {})
    for _ in range(40):
        instrument.respond("NO")
    said = [str(instrument.respond("SYST:ERR?")) for _ in range(21)]
    assert said[19].startswith("-350") and said[20].startswith("0")
    instrument.respond("NO;*CLS")
    assert instrument.respond("SYST:ERR?;*OPC?") == '0,"No error";1'


def test_the_output_switch_rules_the_level(room: SimulatedRoom) -> None:
    generator = instruments(room)["generator"]
    generator.respond("VOLT 1 mV")
    assert room.state.generator_emf_v == 0.0
    generator.respond("OUTP ON")
    assert room.state.generator_emf_v == 1e-3
    generator.respond("VOLT 25 uV")
    assert room.state.generator_emf_v == pytest.approx(25e-6)
    generator.respond("OUTP OFF")
    assert room.state.generator_emf_v == 0.0


def test_a_meter_shows_what_its_probe_is_on(room: SimulatedRoom) -> None:
    parts = instruments(room)
    meter, hands = parts["multimeter"], parts["hands"]
    assert float(str(meter.respond("MEAS:VOLT:DC?"))) == 0.0
    hands.respond("PROB resistance")
    assert float(str(meter.respond("MEAS:RES?"))) == pytest.approx(150e3, rel=0.1)
    parts["supply"].respond("VOLT 230;OUTP ON")
    assert float(str(meter.respond("MEAS:RES?"))) > 9e37  # across a live circuit
    hands.respond("PROB line")
    assert float(str(meter.respond("MEAS:VOLT:AC?"))) == pytest.approx(230.0)
    assert float(str(meter.respond("MEAS:VOLT:DC?"))) == 0.0


def test_hands_turn_tune_and_clip(room: SimulatedRoom) -> None:
    hands = instruments(room)["hands"]
    hands.respond('TURN "t1-primary",0.25;TUNE "bc",1000 kHz;INJ "aerial";CAB ON')
    assert room.state.turns == {"t1-primary": 0.25}
    assert (room.state.band, room.state.dial_hz) == ("bc", 1e6)
    assert room.state.in_cabinet and room.state.injection == "aerial"
    for wrong in ('TURN "t9",1', 'TUNE "fm",1000 kHz', "PROB nose", "INJ"):
        assert hands.respond(wrong) is None
        assert not str(hands.respond("SYST:ERR?")).startswith("0")
