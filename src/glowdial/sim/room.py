"""The simulated bench as a room: one set on the table, and SCPI instruments around it.

What a person's hands do (clip a lead, turn an adjuster, tune) is an instrument of its own here, so
that the generator, the meter and the supply can be exactly what real ones are.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from glowdial.core.errors import GlowDialError
from glowdial.sim.receiver import METERS, SimulatedReceiver
from glowdial.sim.scpi import (
    MISSING,
    NOT_A_NUMBER,
    OUT_OF_RANGE,
    Handler,
    ScpiInstrument,
    number,
    switch,
)
from glowdial.sim.state import BenchState

GENERATOR_HZ = (100e3, 30e6)
GENERATOR_EMF_V = (0.5e-6, 0.3)
SUPPLY_V = (0.0, 260.0)
OVERLOAD = 9.9e37
METER_DC_V, METER_AC_V = 1000.0, 750.0
POINTS = ("", *METERS)
INJECTIONS = ("", "aerial", "mixer grid")


@dataclass
class Room:
    """The set, how it stands, and what is clipped where. One lock: instruments talk in parallel."""

    receiver: SimulatedReceiver
    state: BenchState = field(default_factory=BenchState)
    probe: str = ""
    level_v: float = 1e-3
    output_on: bool = False
    line_on: bool = False
    line_set_v: float = 0.0
    lock: threading.RLock = field(default_factory=threading.RLock)

    def change(self, **changes: object) -> None:
        """Set something of the bench."""
        with self.lock:
            self.state = replace(self.state, **changes)  # type: ignore[arg-type]

    def read(self, meter: str) -> float:
        """One reading of the set."""
        with self.lock:
            return self.receiver.read(self.state, meter)


def instruments(room: Room) -> dict[str, ScpiInstrument]:
    """The instruments of a room by name: generator, multimeter, supply, hands."""
    return {
        "generator": _generator(room),
        "multimeter": _multimeter(room),
        "supply": _supply(room),
        "hands": _hands(room),
    }


def _setter(act: Callable[[str], None]) -> Handler:
    def handler(text: str) -> None:
        act(text)

    return handler


def _generator(room: Room) -> ScpiInstrument:
    def level(text: str) -> None:
        room.level_v = number(text, low=GENERATOR_EMF_V[0], high=GENERATOR_EMF_V[1])
        output()

    def output() -> None:
        room.change(generator_emf_v=room.level_v if room.output_on else 0.0)

    def on_off(text: str) -> None:
        room.output_on = switch(text)
        output()

    def frequency(text: str) -> None:
        room.change(generator_hz=number(text, low=GENERATOR_HZ[0], high=GENERATOR_HZ[1]))

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED GENERATOR,0,1",
        {
            "[SOURce:]FREQuency[:CW]": _setter(frequency),
            "[SOURce:]FREQuency[:CW]?": lambda _: f"{room.state.generator_hz:.6E}",
            "[SOURce:]VOLTage[:LEVel]": _setter(level),
            "[SOURce:]VOLTage[:LEVel]?": lambda _: f"{room.level_v:.6E}",
            "OUTPut[:STATe]": _setter(on_off),
            "OUTPut[:STATe]?": lambda _: str(int(room.output_on)),
            "[SOURce:]AM:STATe": _setter(lambda text: room.change(tone_on=switch(text))),
            "[SOURce:]AM:STATe?": lambda _: str(int(room.state.tone_on)),
        },
    )


def _multimeter(room: Room) -> ScpiInstrument:
    def dc(_: str) -> str:
        value = 0.0
        if room.probe == "avc":
            value = -room.read("avc")
        elif room.probe == "b-plus":
            value = room.read("b-plus")
        return _shown(value, METER_DC_V)

    def ac(_: str) -> str:
        value = room.read(room.probe) if room.probe in ("audio", "line") else 0.0
        return _shown(value, METER_AC_V)

    def ohm(_: str) -> str:
        # an ohmmeter across a live circuit shows overload, as across nothing
        cold = room.probe == "resistance" and room.state.line_v == 0.0
        return f"{room.read('resistance'):.5E}" if cold else f"{OVERLOAD:.1E}"

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED MULTIMETER,0,1",
        {
            "MEASure[:VOLTage][:DC]?": dc,
            "MEASure:VOLTage:AC?": ac,
            "MEASure:RESistance?": ohm,
        },
    )


def _shown(value: float, most: float) -> str:
    return f"{value:.5E}" if abs(value) <= most else f"{OVERLOAD:.1E}"


def _supply(room: Room) -> ScpiInstrument:
    def apply() -> None:
        room.change(line_v=room.line_set_v if room.line_on else 0.0)

    def volts(text: str) -> None:
        room.line_set_v = number(text, low=SUPPLY_V[0], high=SUPPLY_V[1])
        apply()

    def on_off(text: str) -> None:
        room.line_on = switch(text)
        apply()

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED LINE SUPPLY,0,1",
        {
            "[SOURce:]VOLTage": _setter(volts),
            "[SOURce:]VOLTage?": lambda _: f"{room.line_set_v:.6E}",
            "OUTPut[:STATe]": _setter(on_off),
            "OUTPut[:STATe]?": lambda _: str(int(room.line_on)),
            "MEASure:VOLTage?": lambda _: f"{room.read('line'):.6E}",
        },
    )


def _hands(room: Room) -> ScpiInstrument:
    def turn(text: str) -> None:
        adjuster, _, amount = text.partition(",")
        turns = number(amount, low=-40.0, high=40.0)
        with room.lock:
            try:
                room.state = room.receiver.turn(room.state, adjuster.strip(" \"'"), turns)
            except GlowDialError:
                raise OUT_OF_RANGE from None

    def tune(text: str) -> None:
        band, _, dial = text.partition(",")
        name = band.strip(" \"'")
        if name not in {b.key for b in room.receiver.facts.bands}:
            raise OUT_OF_RANGE
        room.change(band=name, dial_hz=number(dial, low=1e4, high=1.5e8))

    def probe(text: str) -> None:
        room.probe = _one_of(text, POINTS)

    def inject(text: str) -> None:
        room.change(injection=_one_of(text, INJECTIONS))

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED HANDS,0,1",
        {
            "TURN": _setter(turn),
            "TUNE": _setter(tune),
            "PROBe": _setter(probe),
            "PROBe?": lambda _: f'"{room.probe}"',
            "INJect": _setter(inject),
            "CLIP": _setter(lambda text: room.change(oscillator_stopped=switch(text))),
            "CABinet": _setter(lambda text: room.change(in_cabinet=switch(text))),
        },
    )


def _one_of(text: str, allowed: tuple[str, ...]) -> str:
    if not text.strip():
        raise MISSING
    wanted = text.strip().strip("\"'")
    if wanted not in allowed:
        raise NOT_A_NUMBER
    return wanted
