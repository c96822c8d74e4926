"""The audio analyser on the set's output: level, frequency, SINAD, distortion."""

from __future__ import annotations

import math

from glowdial.sim.audio import AudioParts
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import ScpiInstrument


def analyser(room: SimulatedRoom) -> ScpiInstrument:
    """The analyser of a room."""

    def parts() -> AudioParts:
        with room.lock:
            return room.receiver.audio(room.now())

    def sinad(_: str) -> str:
        p = parts()
        rest = math.hypot(p.noise_v, p.hum_v, p.heater_hum_v, p.second_share * p.tone_v)
        return f"{20.0 * math.log10(p.rms_v / rest):.4f}" if rest > 0.0 else "9.9E37"

    def distortion(_: str) -> str:
        p = parts()
        return f"{100.0 * p.second_share:.4f}" if p.tone_v > 0.0 else "9.9E37"

    return ScpiInstrument(
        "GLOW DIAL,SIMULATED AUDIO ANALYSER,0,1",
        {
            "MEASure:VOLTage?": lambda _: f"{parts().rms_v:.5E}",
            "MEASure:FREQuency?": lambda _: f"{parts().tone_hz:.6E}",
            "MEASure:SINad?": sinad,
            "MEASure:DISTortion?": distortion,
        },
    )
