"""A bench of network instruments: sets and reads what it can, and leaves the hands to a person."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from glowdial.bench.network import (
    NetworkAudioAnalyser,
    NetworkFmGenerator,
    NetworkGenerator,
    NetworkLineSupply,
    NetworkMultimeter,
    NetworkOscilloscope,
)
from glowdial.bench.port import point_by_point
from glowdial.core.bench.settings import SettingsChange
from glowdial.core.language.errors import Conflict
from glowdial.core.model.measurands import AVC, B_PLUS, LINE, LINE_CURRENT, Kind, Measurand
from glowdial.core.tracing.trials import Finding
from glowdial.core.tuner.drive import AudioMeter, Drive, Look
from glowdial.core.tuner.unwanted import unwanted_db

GENERATOR_LIMITS_V = (1e-6, 0.1)


@dataclass(slots=True)
class NetworkBench:
    """The instruments that are there; the leads lie where the step says, a person saw to that.

    Each line has a turn of its own, for one setting or reading at a time; a stop overtakes it.
    """

    generator: NetworkGenerator | None = None
    multimeter: NetworkMultimeter | None = None
    supply: NetworkLineSupply | None = None
    guard_meter: NetworkMultimeter | None = None
    oscilloscope: NetworkOscilloscope | None = None
    fm_generator: NetworkFmGenerator | None = None
    analyser: NetworkAudioAnalyser | None = None
    generator_limits_v: tuple[float, float] = GENERATOR_LIMITS_V

    def apply(self, change: SettingsChange) -> None:
        """Set generator and line; what hands do is taken as done."""
        line_v, tone_on = change.get("line_v"), change.get("tone_on")
        frequency_hz, level_v = change.get("generator_hz"), change.get("generator_emf_v")
        if line_v is not None and self.supply is not None:
            self.supply.set_line(line_v)
        if self.generator is None:
            if frequency_hz is not None and level_v:
                raise _missing("generator")
            return
        if frequency_hz is not None:
            self.generator.set_frequency(frequency_hz)
        if level_v is not None:
            self.generator.set_level(level_v)
        if tone_on is not None:
            self.generator.set_tone(on=tone_on)

    def tried(self, trial: str) -> Finding:
        """Raises Conflict: hands and ears do it."""
        raise Conflict("This test is done by hand: type what it gave.")

    def hear(self, drive: Drive, look: Look) -> float:
        """One reading of an FM receiver by the FM generator and the audio analyser.

        Raises Conflict where one of them is missing.
        """
        if self.fm_generator is None:
            raise _missing("FM generator")
        if self.analyser is None:
            raise _missing("audio analyser")
        if look.meter is AudioMeter.UNWANTED:
            return unwanted_db(self.hear, drive, look)
        self.fm_generator.drive(drive)
        return self.analyser.look(look, drive.audio_hz)

    def row(self, what: Measurand, name: str, values: Sequence[float]) -> list[float]:
        """A row of readings, point by point."""
        return point_by_point(self, what, name, values)

    def wired(self, places: frozenset[str]) -> None:
        """The multimeter's leads lie at one place while a question is read: raises Conflict where
        they would have to be moved."""
        by_meter = places - {"line"} if self.supply is not None else places
        if len(by_meter) > 1:
            raise Conflict(
                "These readings want the meter's leads moved from place to place: type them."
            )

    def read(self, what: Measurand) -> float:
        """One reading of what the leads are on; AVC volts as their magnitude.

        Raises Conflict for a quantity that no instrument here measures.
        """
        return self._read(what)

    def guard(self, what: Measurand) -> float:
        """The guard reading: B+ by the second multimeter, line current by the supply.

        Raises Conflict when there is none to take it.
        """
        if what == LINE_CURRENT and self.supply is not None:
            return self.supply.line_amperes()
        if what == B_PLUS and self.guard_meter is not None:
            return self.guard_meter.dc_volts()
        raise Conflict(
            "The guard reading wants an instrument of its own: a second multimeter on B+, or a "
            "line supply that tells its current."
        )

    def _read(self, what: Measurand) -> float:
        if what == LINE and self.supply is not None:
            return self.supply.line_volts()
        if self.multimeter is None:
            raise _missing("multimeter")
        match what.kind:
            case Kind.RESISTANCE:
                return self.multimeter.resistance_ohm()
            case Kind.AC_VOLTS:
                return self.multimeter.ac_volts()
            case Kind.DC_VOLTS:
                value = self.multimeter.dc_volts()
                return abs(value) if what == AVC else value
        raise Conflict(f"No instrument of this bench measures {what.words}: type the reading.")

    def wait(self, seconds: float) -> None:
        """A person waits; nothing is held up for it."""

    def turn(self, adjuster: str, turns: float) -> None:
        """Raises Conflict: no instrument turns an adjuster."""
        raise Conflict(
            "Adjusters are turned by hand: watch the live value, then type the reading before, the "
            "one at the peak, and the turn."
        )


def _missing(kind: str) -> Conflict:
    return Conflict(
        f"No {kind} is registered for this bench: register it under Instruments, or type the "
        "reading."
    )
