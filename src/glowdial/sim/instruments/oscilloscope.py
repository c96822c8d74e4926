"""The oscilloscope: one trace of what its probe is on, DC coupled, from the generator's sync."""

from __future__ import annotations

from glowdial.sim.instruments.generator import setter
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument, number
from glowdial.sim.trace import trace

DIVISIONS = 10
PER_DIVISION_S = (1e-5, 10.0)


def oscilloscope(room: SimulatedRoom) -> ScpiInstrument:
    """The oscilloscope of a room."""
    per_division = {"s": 5e-3}

    def timebase(text: str) -> None:
        per_division["s"] = number(text, low=PER_DIVISION_S[0], high=PER_DIVISION_S[1])

    def samples(_: str) -> str:
        return ",".join(f"{v:.5E}" for v in trace(room, DIVISIONS * per_division["s"]))

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED OSCILLOSCOPE,0,1",
        {
            "TIMebase:SCALe": setter(timebase),
            "TIMebase:SCALe?": lambda _: f"{per_division['s']:.6E}",
            "TRACe[:DATA]?": samples,
        },
    )
