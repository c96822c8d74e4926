"""The frequency counter beside the oscillator, and the crystal calibrator into the aerial."""

from __future__ import annotations

from glowdial.sim.instruments.generator import setter
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import OUT_OF_RANGE, ScpiInstrument, measuring, number, switch

# a probe on the oscillator's grid pulls it down a little, and the counter's crystal is off
PROBE_PULLS, TIMEBASE_ERROR = 2e-4, 2e-6
CRYSTALS_HZ = (100e3, 500e3, 1e6)
FIRST_HARMONIC_V = 20e-3
GATE_S = (0.01, 10.0)


def counter(room: SimulatedRoom) -> ScpiInstrument:
    """The counter of a room: of the oscillator by a loose loop ("LO") or a direct probe."""
    setting = {"gate": 0.1, "direct": 0.0}

    def gate(text: str) -> None:
        setting["gate"] = number(text, low=GATE_S[0], high=GATE_S[1])

    def direct(text: str) -> None:
        setting["direct"] = float(switch(text))

    def frequency(_: str) -> str:
        with room.lock:
            state = room.now()
            front = room.receiver.front_end(state, room.receiver.power.at(state))
        if front is None or front.dead or state.oscillator_stopped or state.line_v <= 0.0:
            return "0"
        pulled = front.local_oscillator_hz * (1.0 - PROBE_PULLS * setting["direct"])
        counted = round(pulled * (1.0 + TIMEBASE_ERROR) * setting["gate"]) / setting["gate"]
        return f"{counted:.1f}"

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED COUNTER,0,1",
        {
            **measuring({":FREQuency": frequency}),
            "[SENSe:]FREQuency:GATE": setter(gate),
            "[SENSe:]DIRect": setter(direct),
        },
    )


def calibrator(room: SimulatedRoom) -> ScpiInstrument:
    """The calibrator of a room: the harmonic nearest to the dial reaches the aerial."""

    def crystal(text: str) -> None:
        chosen = number(text, low=CRYSTALS_HZ[0], high=CRYSTALS_HZ[-1])
        if chosen not in CRYSTALS_HZ:
            raise OUT_OF_RANGE
        room.calibrator_hz = chosen

    def on_off(text: str) -> None:
        if not switch(text):
            room.output()
            return
        crystal_hz = room.calibrator_hz or CRYSTALS_HZ[0]
        number_of = max(round(room.state.dial_hz / crystal_hz), 1)
        room.change(
            generator_hz=number_of * crystal_hz,
            generator_emf_v=FIRST_HARMONIC_V / number_of**1.5,
            injection="aerial",
            tone_on=False,
        )

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED CRYSTAL CALIBRATOR,0,1",
        {
            "[SOURce:]FREQuency": setter(crystal),
            "[SOURce:]FREQuency?": lambda _: f"{room.calibrator_hz or CRYSTALS_HZ[0]:.6E}",
            "OUTPut[:STATe]": setter(on_off),
        },
        reset=lambda: on_off("OFF"),
    )
