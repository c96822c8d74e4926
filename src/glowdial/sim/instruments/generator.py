"""The signal generator: frequency, level as EMF, AM and FM, sweep with its sync."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import Handler, ScpiInstrument, asked, number, switch

GENERATOR_HZ = (100e3, 120e6)
GENERATOR_EMF_V = (0.5e-6, 0.3)
DEVIATION_HZ = (0.0, 150e3)
TONE_HZ = (20.0, 20e3)
SWEEP_S = (1e-3, 100.0)


def setter(act: Callable[[str], None]) -> Handler:
    """A handler that answers nothing."""

    def handler(text: str) -> None:
        act(text)

    return handler


def generator(room: SimulatedRoom) -> ScpiInstrument:
    """The generator of a room."""

    def level(text: str) -> None:
        room.level_v = number(text, low=GENERATOR_EMF_V[0], high=GENERATOR_EMF_V[1])
        room.output()

    def on_off(text: str) -> None:
        room.output_on = switch(text)
        room.output()

    def frequency(text: str) -> None:
        room.change(generator_hz=number(text, low=GENERATOR_HZ[0], high=GENERATOR_HZ[1]))

    def deviation(text: str) -> None:
        room.change(fm_deviation_hz=number(text, low=DEVIATION_HZ[0], high=DEVIATION_HZ[1]))

    def tone(text: str) -> None:
        room.change(tone_hz=number(text, low=TONE_HZ[0], high=TONE_HZ[1]))

    def start(text: str) -> None:
        room.sweep = replace(
            room.sweep, start_hz=number(text, low=GENERATOR_HZ[0], high=GENERATOR_HZ[1])
        )

    def stop(text: str) -> None:
        room.sweep = replace(
            room.sweep, stop_hz=number(text, low=GENERATOR_HZ[0], high=GENERATOR_HZ[1])
        )

    def sweep_time(text: str) -> None:
        room.sweep = replace(room.sweep, time_s=number(text, low=SWEEP_S[0], high=SWEEP_S[1]))

    def sweep_on(text: str) -> None:
        room.sweep = replace(room.sweep, on=switch(text))

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED GENERATOR,0,2",
        {
            "[SOURce:]FREQuency[:CW]": setter(frequency),
            "[SOURce:]FREQuency[:CW]?": asked(
                lambda: room.state.generator_hz, low=GENERATOR_HZ[0], high=GENERATOR_HZ[1]
            ),
            "[SOURce:]FREQuency:STARt": setter(start),
            "[SOURce:]FREQuency:STOP": setter(stop),
            "[SOURce:]SWEep:TIME": setter(sweep_time),
            "[SOURce:]SWEep:STATe": setter(sweep_on),
            "[SOURce:]SWEep:STATe?": lambda _: str(int(room.sweep.on)),
            "[SOURce:]VOLTage[:LEVel]": setter(level),
            "[SOURce:]VOLTage[:LEVel]?": asked(
                lambda: room.level_v, low=GENERATOR_EMF_V[0], high=GENERATOR_EMF_V[1]
            ),
            "OUTPut[:STATe]": setter(on_off),
            "OUTPut[:STATe]?": lambda _: str(int(room.output_on)),
            "[SOURce:]AM:STATe": setter(lambda text: room.change(tone_on=switch(text))),
            "[SOURce:]AM:STATe?": lambda _: str(int(room.state.tone_on)),
            "[SOURce:]AM:INTernal:FREQuency": setter(tone),
            "[SOURce:]FM:DEViation": setter(deviation),
            "[SOURce:]FM:DEViation?": asked(
                lambda: room.state.fm_deviation_hz, low=DEVIATION_HZ[0], high=DEVIATION_HZ[1]
            ),
        },
        reset=lambda: on_off("OFF"),
    )
