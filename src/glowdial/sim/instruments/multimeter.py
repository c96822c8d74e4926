"""The multimeter: DC and AC volts through its 11 megohm, resistance with a real test current.

Its ranges are a digital meter's constant currents and, by the name "R x 1" and so on, those of an
old series ohmmeter; its buzzer range burns battery filaments out.
"""

from __future__ import annotations

from glowdial.core.language.errors import GlowDialError
from glowdial.core.model.measurands import B_PLUS_OHM
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange
from glowdial.core.physics.operating_point import OPEN_OHM
from glowdial.sim.instruments.generator import setter
from glowdial.sim.probes import filament_reading, resistance_ohm
from glowdial.sim.receiver import METER_OHM
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import OUT_OF_RANGE, ScpiInstrument, measuring

OVERLOAD = 9.9e37
METER_DC_V, METER_AC_V = 1000.0, 750.0
HEATER = " heater"
RANGES = {
    r.name: r
    for r in (
        OhmRange("200", OhmmeterKind.CONSTANT_CURRENT, 3.0, 1e-3),
        OhmRange("2k", OhmmeterKind.CONSTANT_CURRENT, 3.0, 0.5e-3),
        OhmRange("20k", OhmmeterKind.CONSTANT_CURRENT, 3.0, 100e-6),
        OhmRange("200k", OhmmeterKind.CONSTANT_CURRENT, 3.0, 10e-6),
        OhmRange("20M", OhmmeterKind.CONSTANT_CURRENT, 3.0, 0.1e-6),
        OhmRange("R x 1", OhmmeterKind.SERIES, 1.5, 0.150),
        OhmRange("buzzer", OhmmeterKind.SERIES, 9.0, 0.180),
        OhmRange("R x 10", OhmmeterKind.SERIES, 1.5, 0.015),
        OhmRange("R x 1k", OhmmeterKind.SERIES, 1.5, 150e-6),
        OhmRange("R x 10k", OhmmeterKind.SERIES, 15.0, 75e-6),
    )
}
AUTO = ("200", "2k", "20k", "200k", "20M")


def multimeter(room: SimulatedRoom) -> ScpiInstrument:
    """The multimeter of a room."""

    def ohms(_: str) -> str:
        with room.lock:
            value = _ohm(room)
        return f"{OVERLOAD:.1E}" if value >= OPEN_OHM else f"{value:.5E}"

    def pick(text: str) -> None:
        name = text.strip().strip("\"'")
        if name not in ("", "AUTO", *RANGES):
            raise OUT_OF_RANGE
        room.ohm_range = "" if name == "AUTO" else name

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED MULTIMETER,0,2",
        {
            **measuring(
                {
                    "[:VOLTage][:DC]": lambda _: shown(room.probed(METER_OHM).dc_v, METER_DC_V),
                    ":VOLTage:AC": lambda _: shown(room.probed(METER_OHM).ac_v, METER_AC_V),
                    ":RESistance": ohms,
                    ":CURRent": lambda _: shown(_line_dc_a(room), 10.0),
                }
            ),
            "[SENSe:]RESistance:RANGe": setter(pick),
            "[SENSe:]RESistance:RANGe?": lambda _: f'"{room.ohm_range or "AUTO"}"',
        },
    )


def shown(value: float, most: float) -> str:
    """A value as the meter answers it; overload beyond its range."""
    return f"{value:.5E}" if abs(value) <= most else f"{OVERLOAD:.1E}"


def _line_dc_a(room: SimulatedRoom) -> float:
    """The battery lead's current: RMS and mean are one there."""
    return room.line_a()


def _ohm(room: SimulatedRoom) -> float:
    state = room.now()
    if not room.probe or state.line_v > 0.0:
        # an ohmmeter across a live circuit shows overload, as across nothing
        return OPEN_OHM
    try:
        if room.probe.endswith(HEATER):
            return _heater(room)
        if room.probe == "resistance":
            return room.read(B_PLUS_OHM)
        ohm = resistance_ohm(room.receiver, state, room.probe)
    except GlowDialError:
        return OPEN_OHM
    chosen = RANGES.get(room.ohm_range)
    if chosen is not None and chosen.kind is OhmmeterKind.CONSTANT_CURRENT:
        # beyond the compliance voltage it can tell no more
        ohm = OPEN_OHM if ohm > chosen.internal_ohm else ohm
    return room.receiver.unsteady(ohm, state, f"ohm {room.probe}") if ohm < OPEN_OHM else OPEN_OHM


def _heater(room: SimulatedRoom) -> float:
    tube = room.probe.removesuffix(HEATER)
    chosen = RANGES[room.ohm_range or AUTO[0]]
    ohm, room.state = filament_reading(room.receiver, room.state, tube, chosen)
    return ohm
