"""Drift from switch-on: frequency against time, what it is a minute, and when it has settled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from glowdial.core.journey.dial_marks import dial_leads, frequency_quantity, pointer_words
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Plot, PlotLine, Status, Step
from glowdial.core.language.quantities import (
    HUMIDITY,
    RUN_MINUTES,
    TEMPERATURE,
    khz,
)
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.stages.dial.stage import STAGE

ROOM_ASK, DRIFT = "room", "drift"
FEWEST_READINGS, MOST_READINGS = 3, 60
# settled when what is left of the drift is within this share of the mark's tolerance
SETTLED_SHARE = 0.1
# the last so many readings tell the rate now
LAST_READINGS = 3


@dataclass(frozen=True, slots=True)
class DriftRun:
    """Minutes from switch-on and what came in at each in Hz, rising in time."""

    minutes: tuple[float, ...]
    frequency_hz: tuple[float, ...]

    @property
    def whole_hz(self) -> float:
        """From the first reading to the last."""
        return self.frequency_hz[-1] - self.frequency_hz[0]

    def hz_per_minute(self) -> float:
        """How fast it moves now: the slope of the last readings, by least squares."""
        n = min(LAST_READINGS, len(self.minutes))
        return float(np.polyfit(self.minutes[-n:], self.frequency_hz[-n:], 1)[0])

    def settled_after(self, within_hz: float) -> float | None:
        """Minutes after which it stayed within so many Hz of where it ended; None where only the
        last reading does."""
        end = self.frequency_hz[-1]
        out = [n for n, hz in enumerate(self.frequency_hz) if abs(hz - end) > within_hz]
        first = (out[-1] + 1) if out else 0
        return self.minutes[first] if first < len(self.minutes) - 1 else None


def drift_step(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> Step:
    """A run on the band's high mark, where drift shows most; nobody has to take it."""
    key = f"dial.{band.key}.drift"
    taken = [a for a in record.of_step(key) if a.ask.startswith(DRIFT)]
    run = drift_run(taken)
    others = [_drift_ask(band, len(taken) + 1)] if len(taken) < MOST_READINGS else []
    room = record.latest(key, ROOM_ASK)
    if room is None:
        others.append(_room_ask())
    return Step(
        key,
        STAGE,
        f"{band.name}: drift from switch-on (where it matters)",
        "Coils, capacitors and the tuned circuits' supports move as they warm; a dial is right "
        "only once they have settled.",
        status=Status.DONE,
        leads=dial_leads(facts),
        powered=True,
        others=tuple(others),
        advice=_words(facts, band, run) if run else (),
        notes=(_room_words(room),) if room else (),
        draw=lambda: _plot(band, run) if run else None,
    )


def _drift_ask(band: BandFacts, number: int) -> Ask:
    mark = band.high_mark_hz
    return Ask(
        f"{DRIFT}{number}",
        f"Pointer left on {pointer_words(band, mark)}: minutes since switch-on, and what comes in "
        "now.",
        (
            Field("minutes", "minutes since switch-on", RUN_MINUTES),
            Field("frequency", "comes in at", frequency_quantity(mark), nominal=mark),
        ),
        f"5 {khz(mark).split()[0]}",
        called="a reading of its drift",
        series=True,
    )


def _room_ask() -> Ask:
    return Ask(
        ROOM_ASK,
        "The room while it is run: temperature, and humidity where it is known.",
        (
            Field("temperature", "temperature", TEMPERATURE),
            Field("humidity", "humidity, %", HUMIDITY, required=False),
        ),
        "21 45",
        called="the room",
    )


def _room_words(room: Answer) -> str:
    humid = room.values.get("humidity")
    damp = f", {humid:.0f} % humidity" if humid is not None else ""
    return f"Room: {room.values['temperature']:.0f} degrees{damp}."


def drift_run(taken: Sequence[Answer]) -> DriftRun | None:
    """The run of some readings in time's order; None below three."""
    at = {a.values["minutes"]: a.values["frequency"] for a in taken}
    if len(at) < FEWEST_READINGS:
        return None
    minutes = tuple(sorted(at))
    return DriftRun(minutes, tuple(at[m] for m in minutes))


def _words(facts: ReceiverFacts, band: BandFacts, run: DriftRun) -> tuple[str, ...]:
    tolerance = band.tolerance_hz(band.high_mark_hz)
    rate = run.hz_per_minute()
    words = [
        f"Drifted {run.whole_hz / 1e3:+.1f} kHz from minute {run.minutes[0]:g} to "
        f"{run.minutes[-1]:g}; now {rate:+.0f} Hz a minute."
    ]
    after = run.settled_after(SETTLED_SHARE * tolerance)
    if after is None:
        words.append("It has not settled: go on reading until it stays where it is.")
    else:
        words.append(
            f"Settled after {after:g} minutes, to within {khz(round(SETTLED_SHARE * tolerance))}: "
            "set the dial after that."
        )
    if abs(run.whole_hz) > tolerance:
        device = facts.device_word
        words.append(
            "That is more than the dial's tolerance: align it warm, and look for a capacitor or a "
            f"{device if device != 'stage' else 'tube'} of the oscillator that drifts."
        )
    return tuple(words)


def _plot(band: BandFacts, run: DriftRun) -> Plot:
    start = run.frequency_hz[0]
    line = PlotLine(
        "drift", "measured", run.minutes, tuple((f - start) / 1e3 for f in run.frequency_hz)
    )
    return Plot(f"Drift, {band.name}", "minutes from switch-on", "kHz from the first", (line,))
