"""The FM stereo generator, with a second carrier, and the audio analyser of two channels."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from glowdial.core.language.errors import GlowDialError
from glowdial.core.tuner.drive import AudioMeter, Channel, Drive, Look, Programme
from glowdial.sim.instruments.generator import setter
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.scpi import NOT_A_NUMBER, Handler, ScpiError, ScpiInstrument, number, switch
from glowdial.sim.stereo_tuner import StereoTuner
from glowdial.sim.tuner_of import tuner_of

LIMITS = {
    "carrier_hz": (1e6, 150e6),
    "level_v": (0.1e-6, 1.0),
    "deviation_hz": (0.0, 200e3),
    "audio_hz": (20.0, 20e3),
    "pilot_phase_deg": (-180.0, 180.0),
    "am_depth": (0.0, 100.0),
    "other_offset_hz": (-1.5e8, 1.5e8),
    "other_level_v": (0.0, 10.0),
}
MODES = {
    "MONO": Programme.MONO,
    "LEFT": Programme.LEFT,
    "RIGH": Programme.RIGHT,
    "RIGHT": Programme.RIGHT,
    "DIFF": Programme.DIFFERENCE,
    "DIFFERENCE": Programme.DIFFERENCE,
}
SILENT_V = 2e-6
NO_SIGNAL = ScpiError(-221, "Settings conflict")


class FmBench:
    """Generator and analyser around one set: how they stand."""

    def __init__(self, room: SimulatedRoom) -> None:
        self._room = room
        self._drive, self._on, self._modulated, self._tuned_hz = Drive(), False, True, 1000.0
        self._tuner: StereoTuner | None = None
        self._made_for: dict[str, float] | None = None

    def put(self, name: str, scale: float = 1.0) -> Handler:
        """A handler of a number of the drive."""
        low, high = LIMITS[name]

        def act(text: str) -> None:
            value = number(text, low=low, high=high) * scale
            self.change(**{name: value})

        return setter(act)

    def change(self, **values: Any) -> None:
        """Set something of the drive."""
        with self._room.lock:
            self._drive = replace(self._drive, **values)

    def mode(self, text: str) -> None:
        """What the carrier is modulated with."""
        chosen = MODES.get(text.strip().upper())
        if chosen is None:
            raise NOT_A_NUMBER
        self.change(programme=chosen)

    @property
    def is_on(self) -> bool:
        """Whether the carrier is on."""
        return self._on

    def output(self, *, on: bool) -> None:
        """Carrier on or off."""
        self._on = on

    def modulate(self, *, on: bool) -> None:
        """Modulation on or off."""
        self._modulated = on

    def tune(self, text: str) -> None:
        """The analyser's own filter."""
        self._tuned_hz = number(text, low=10.0, high=100e3)

    def seen(self, meter: AudioMeter, channel: Channel) -> Handler:
        """A handler that reads the output."""

        def handler(_: str) -> str:
            with self._room.lock:
                drive = self._drive
                if not self._modulated:
                    drive = replace(drive, programme=Programme.SILENT)
                if not self._on:
                    drive = replace(drive, level_v=LIMITS["level_v"][0])
                if meter is AudioMeter.DISTORTION:
                    drive = replace(drive, audio_hz=self._tuned_hz)
                if self._room.now().line_v <= 0.0:
                    # switched off it is silent
                    return f"{0.0 if meter is AudioMeter.DISTORTION else SILENT_V:.6E}"
                value = self._now().read(drive, Look(meter, channel, self._tuned_hz))
                return f"{100.0 * value if meter is AudioMeter.DISTORTION else value:.6E}"

        return handler

    def _now(self) -> StereoTuner:
        """The set as its cores stand now."""
        state = self._room.now()
        if self._tuner is None or self._made_for != state.turns:
            try:
                self._tuner = tuner_of(self._room.receiver, state)
            except GlowDialError:
                raise NO_SIGNAL from None
            self._made_for = dict(state.turns)
        return self._tuner


def fm_bench(room: SimulatedRoom) -> dict[str, ScpiInstrument]:
    """Both instruments of a room."""
    bench = FmBench(room)
    generator = ScpiInstrument(
        "GLOW DIAL,SIMULATED FM GENERATOR,0,1",
        {
            "[SOURce1:]FREQuency[:CW]": bench.put("carrier_hz"),
            "[SOURce1:]VOLTage[:LEVel]": bench.put("level_v"),
            "[SOURce1:]FM:DEViation": bench.put("deviation_hz"),
            "[SOURce1:]FM:INTernal:FREQuency": bench.put("audio_hz"),
            "[SOURce1:]FM:STATe": setter(lambda text: bench.modulate(on=switch(text))),
            "[SOURce1:]FM:STEReo:MODE": setter(bench.mode),
            "[SOURce1:]FM:STEReo:PILot": setter(lambda text: bench.change(pilot=switch(text))),
            "[SOURce1:]FM:STEReo:PILot:PHASe": bench.put("pilot_phase_deg"),
            "[SOURce1:]AM:DEPTh": bench.put("am_depth", 0.01),
            "SOURce2:FREQuency:OFFSet": bench.put("other_offset_hz"),
            "SOURce2:VOLTage": bench.put("other_level_v"),
            "OUTPut[:STATe]": setter(lambda text: bench.output(on=switch(text))),
            "OUTPut[:STATe]?": lambda _: str(int(bench.is_on)),
        },
        reset=lambda: bench.output(on=False),
    )
    sides = (("1", Channel.LEFT), ("2", Channel.RIGHT))
    reads = {
        "VOLTage": AudioMeter.VOLTS,
        "VOLTage:TONE": AudioMeter.TONE,
        "DISTortion": AudioMeter.DISTORTION,
    }
    analyser = ScpiInstrument(
        "GLOW DIAL,SIMULATED STEREO ANALYSER,0,1",
        {
            "SENSe:FREQuency": setter(bench.tune),
            **{
                f"MEASure{n}:{header}?": bench.seen(meter, channel)
                for n, channel in sides
                for header, meter in reads.items()
            },
        },
    )
    return {"fm-generator": generator, "stereo-analyser": analyser}
