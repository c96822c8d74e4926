"""The variable line supply with its current meter, a trip, and a limiter lamp in series."""

from __future__ import annotations

from glowdial.core.model.measurands import LINE
from glowdial.sim.instruments.generator import setter
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument, asked, measuring, number, switch

SUPPLY_V = (0.0, 260.0)
LIMIT_A, LAMP_W = (0.01, 10.0), (0.0, 500.0)


def line_supply(room: SimulatedRoom) -> ScpiInstrument:
    """The line supply of a room."""

    def volts(text: str) -> None:
        room.line_set_v = number(text, low=SUPPLY_V[0], high=SUPPLY_V[1])
        room.line()

    def on_off(text: str) -> None:
        room.line_on = switch(text)
        # switching it off and on again clears the trip
        room.tripped = room.tripped and room.line_on
        room.line()

    def limit(text: str) -> None:
        room.line_limit_a = number(text, low=LIMIT_A[0], high=LIMIT_A[1])
        room.line()

    def lamp(text: str) -> None:
        room.change(lamp_w=number(text, low=LAMP_W[0], high=LAMP_W[1]))

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED LINE SUPPLY,0,2",
        {
            "[SOURce:]VOLTage": setter(volts),
            "[SOURce:]VOLTage?": asked(lambda: room.line_set_v, low=SUPPLY_V[0], high=SUPPLY_V[1]),
            "[SOURce:]CURRent:LIMit": setter(limit),
            "[SOURce:]CURRent:LIMit?": asked(
                lambda: room.line_limit_a, low=LIMIT_A[0], high=LIMIT_A[1]
            ),
            "[SOURce:]CURRent:PROTection:TRIPped?": lambda _: str(int(room.tripped)),
            "LAMP": setter(lamp),
            "LAMP?": asked(lambda: room.state.lamp_w, low=LAMP_W[0], high=LAMP_W[1]),
            "OUTPut[:STATe]": setter(on_off),
            "OUTPut[:STATe]?": lambda _: str(int(room.line_on)),
            **measuring(
                {
                    ":VOLTage": lambda _: f"{room.read(LINE):.6E}",
                    ":CURRent": lambda _: f"{room.line_a():.6E}",
                }
            ),
        },
        reset=lambda: on_off("OFF"),
    )
