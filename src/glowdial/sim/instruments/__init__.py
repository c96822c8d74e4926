"""The SCPI instruments of the simulated room, one file each.

What a person's hands do (clip a lead, turn an adjuster, tune) is an instrument of its own here, so
that generator, meter and supply can be exactly what real ones are.
"""

from __future__ import annotations

from glowdial.sim.instruments.analyser import analyser
from glowdial.sim.instruments.counter import calibrator, counter
from glowdial.sim.instruments.fm_bench import fm_bench
from glowdial.sim.instruments.generator import generator
from glowdial.sim.instruments.hands import hands
from glowdial.sim.instruments.multimeter import multimeter
from glowdial.sim.instruments.oscilloscope import oscilloscope
from glowdial.sim.instruments.supply import line_supply
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument

ORDER = (
    "generator",
    "multimeter",
    "supply",
    "hands",
    "oscilloscope",
    "analyser",
    "counter",
    "calibrator",
    "fm-generator",
    "stereo-analyser",
)


def instruments(room: SimulatedRoom) -> dict[str, ScpiInstrument]:
    """The instruments of a room by name, in the order of their ports."""
    made = {
        "generator": generator(room),
        "multimeter": multimeter(room),
        "supply": line_supply(room),
        "oscilloscope": oscilloscope(room),
        "analyser": analyser(room),
        "counter": counter(room),
        "calibrator": calibrator(room),
        **fm_bench(room),
    }
    made["hands"] = hands(room, made)
    return {name: made[name] for name in ORDER}
