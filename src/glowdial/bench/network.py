"""Instruments on the network in the kinds that the bench knows: generator, multimeter, supply."""

from __future__ import annotations

from glowdial.bench.visa import VisaLine
from glowdial.core.language.errors import BadInput
from glowdial.core.tuner.drive import AudioMeter, Drive, Look, Programme

DIVISIONS = 10.0
FM_GENERATOR, AUDIO_ANALYSER = "FM generator", "audio analyser"
PROGRAMMES = {
    Programme.MONO: "mono",
    Programme.LEFT: "left",
    Programme.RIGHT: "right",
    Programme.DIFFERENCE: "difference",
}


def _of_kind(line: VisaLine, kind: str) -> VisaLine:
    if line.profile.kind != kind:
        given = f"{line.profile.name} ({line.profile.kind})"
        raise BadInput("profile", given, f"must be of a {kind}", f"kind = {kind}")
    return line


class NetworkGenerator:
    """A signal generator: SI units, level in V EMF, 0 is off."""

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, "generator")
        # not known yet: said with the first level, whoever switched it before
        self._on: bool | None = None

    def set_frequency(self, frequency_hz: float) -> None:
        """Tune it."""
        self._line.tell("frequency", frequency_hz)

    def set_level(self, emf_v: float) -> None:
        """Set its level; switched off at 0, on again above."""
        since = self._line.stops
        if emf_v > 0.0:
            self._line.tell("level", emf_v, since=since)
        if (emf_v > 0.0) != self._on:
            self._line.tell("output_on" if emf_v > 0.0 else "output_off", since=since)
            self._on = emf_v > 0.0

    def switch_off(self) -> None:
        """Output off, whatever it was, and whatever the line is busy with."""
        self._line.stop("output_off")
        self._on = None

    def set_tone(self, *, on: bool) -> None:
        """Modulation on or off."""
        self._line.tell("tone_on" if on else "tone_off")


class NetworkMultimeter:
    """A multimeter: one settled reading a call."""

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, "multimeter")

    def dc_volts(self) -> float:
        """DC volts, with their sign."""
        return self._line.measure("dc_volts")

    def ac_volts(self) -> float:
        """AC volts RMS."""
        return self._line.measure("ac_volts")

    def resistance_ohm(self) -> float:
        """Resistance."""
        return self._line.measure("resistance")


class NetworkLineSupply:
    """A variable line supply."""

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, "line supply")

    def set_line(self, line_v: float) -> None:
        """Set the line volts; off at 0."""
        since = self._line.stops
        if line_v <= 0.0:
            self._line.tell("output_off")
        self._line.tell("line", line_v, since=since)
        if line_v > 0.0:
            self._line.tell("output_on", since=since)

    def switch_off(self) -> None:
        """Output off, whatever it was, and whatever the line is busy with."""
        self._line.stop("output_off")

    def line_amperes(self) -> float:
        """What is drawn from it, RMS; raises NotFound when its profile has no words for that."""
        return self._line.measure("line_current")

    def line_volts(self) -> float:
        """The line volts that it gives."""
        return self._line.measure("line_volts")


class NetworkFmGenerator:
    """An FM stereo generator with a second carrier: SI units, levels in V EMF, 0 is off.

    What it was told last is kept, and only what differs is told again.
    """

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, FM_GENERATOR)
        self._told: dict[str, float | str] = {}

    def drive(self, drive: Drive) -> None:
        """Set everything; the output is on from the first level above 0."""
        since = self._line.stops
        silent = drive.programme is Programme.SILENT
        wanted: dict[str, float | str] = {
            "frequency": drive.carrier_hz,
            "audio": drive.audio_hz,
            "deviation": drive.deviation_hz,
            "programme": "mono" if silent else PROGRAMMES[drive.programme],
            "modulation": "off" if silent else "on",
            "pilot": "on" if drive.pilot else "off",
            "pilot_phase": drive.pilot_phase_deg,
            "am_depth": 100.0 * drive.am_depth,
            "other_offset": drive.other_offset_hz or 0.0,
            "other_level": drive.other_level_v if drive.other_offset_hz is not None else 0.0,
            "level": drive.level_v,
            "output": "on" if drive.level_v > 0.0 else "off",
        }
        if since != self._told.get("stops"):
            self._told = {"stops": since}
        for call, value in wanted.items():
            if self._told.get(call) != value:
                self._tell(call, value, since)
                self._told[call] = value

    def _tell(self, call: str, value: float | str, since: int) -> None:
        if isinstance(value, str):
            self._line.tell(f"{call}_{value}", since=since)
        else:
            self._line.tell(call, value, since=since)

    def switch_off(self) -> None:
        """Output off, whatever it was, and whatever the line is busy with."""
        self._line.stop("output_off")
        self._told = {}


class NetworkAudioAnalyser:
    """An audio analyser of two channels: volts within the audio band, volts of one tone,
    distortion and noise as a share."""

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, AUDIO_ANALYSER)

    def look(self, look: Look, audio_hz: float) -> float:
        """One settled reading; distortion is of the tone at ``audio_hz``."""
        side = look.channel.value
        if look.meter is AudioMeter.VOLTS:
            return self._line.measure(f"{side}_volts")
        self._line.tell("tune", look.tone_hz if look.meter is AudioMeter.TONE else audio_hz)
        if look.meter is AudioMeter.TONE:
            return self._line.measure(f"{side}_tone")
        return self._line.measure(f"{side}_distortion") / 100.0


class NetworkOscilloscope:
    """An oscilloscope: one DC-coupled trace, triggered from the generator's sync."""

    def __init__(self, line: VisaLine) -> None:
        self._line = _of_kind(line, "oscilloscope")

    def trace(self, seconds: float) -> tuple[float, ...]:
        """Samples in V over the whole screen."""
        self._line.tell("timebase", seconds / DIVISIONS)
        return self._line.measure_row("trace")
