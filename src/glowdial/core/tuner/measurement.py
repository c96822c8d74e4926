"""A measurement of an FM receiver: what is set and varied, what is read at each point, how that is
reduced, and against which limits, whose they are.

By the methods of IEC 60315-4, Methods of measurement on radio receivers: frequency modulation. A
measurement is data: the list of them is an open document that a bench may edit.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from glowdial.core.language.errors import BadInput
from glowdial.core.tuner.drive import AudioMeter, Drive, Look

LEAST_V = 1e-9
# two like causes in step make twice of one
BOUND_DB = 6.02


class Reduction(StrEnum):
    """How readings become a figure: the first over the second in dB; the first over that of the
    reference point in dB; a share in per cent; or a level in dB as it was found."""

    RATIO = "first over second, dB"
    RELATIVE = "relative to the reference point, dB"
    SHARE = "share, %"
    AS_READ = "as read, dB"


class Good(StrEnum):
    """Which way a figure is better."""

    HIGH = "high"
    LOW = "low"
    NEAR = "near"


@dataclass(frozen=True, slots=True)
class TunerReading:
    """One reading at a point: what the generators are set to beyond the point, and the look."""

    name: str
    look: Look
    settings: tuple[tuple[str, Any], ...] = ()


@dataclass(frozen=True, slots=True)
class CurveLimit:
    """From which to which point a figure may lie between what (None: no limit), and whose limit
    that is."""

    first: float
    last: float
    low: float | None
    high: float | None
    whose: str


@dataclass(frozen=True, slots=True)
class Measurement:
    """One entry of the list. ``varies`` names the drive's setting that its points are values of,
    in SI; ``reference`` is the point that others are relative to. ``residual`` is the figure that
    the generator would give by itself: no set is told to be better than that, nor as good. Those of
    one ``family`` are the same entry at each position of a switch of the set."""

    key: str
    title: str
    method: str
    set: Drive
    varies: str
    unit: str
    points: tuple[float, ...]
    readings: tuple[TunerReading, ...]
    reduction: Reduction
    good: Good
    reference: float | None = None
    limits: tuple[CurveLimit, ...] = ()
    residual: float | None = None
    family: str = ""

    def drive(self, point: float, reading: TunerReading) -> Drive:
        """What the generators are set to for a reading at a point."""
        return replace(self.set, **{**dict(reading.settings), self.varies: point})

    def look(self, point: float, reading: TunerReading) -> Look:
        """What is read: a tone of no frequency of its own is that of the modulation."""
        if reading.look.meter is AudioMeter.TONE and not reading.look.tone_hz:
            return replace(reading.look, tone_hz=self.drive(point, reading).audio_hz)
        return reading.look

    def reduced(self, taken: Mapping[float, Sequence[float]]) -> dict[float, float]:
        """The figure at every point that can be told of what was taken, SI by point.

        Raises BadInput for a point with more or fewer readings than there are.
        """
        for point, row in taken.items():
            if len(row) != len(self.readings):
                wanted = ", ".join(r.name for r in self.readings)
                raise BadInput(self.title, f"{len(row)} values at {point:g}", f"is {wanted}", "")
        base = taken.get(self.reference) if self.reference is not None else None
        found = {}
        for point, row in taken.items():
            value = self._figure(row, base)
            if value is not None:
                found[point] = value
        return found

    def _figure(self, row: Sequence[float], base: Sequence[float] | None) -> float | None:
        if self.reduction is Reduction.AS_READ:
            return row[0]
        if self.reduction is Reduction.SHARE:
            return 100.0 * row[0]
        other = row[1] if self.reduction is Reduction.RATIO else (base[0] if base else None)
        if other is None:
            return None
        return 20.0 * math.log10(max(row[0], LEAST_V) / max(other, LEAST_V))

    def bounded(self, value: float) -> bool:
        """Whether a figure is so near to the generator's own that half of it or more may be that:
        within 6 dB, or half of a share."""
        if self.residual is None:
            return False
        if self.reduction is Reduction.SHARE:
            return value < 2.0 * self.residual
        return value > self.residual - BOUND_DB

    def limit_at(self, point: float) -> CurveLimit | None:
        """The limit that holds at a point."""
        return next((x for x in self.limits if x.first <= point <= x.last), None)


@dataclass(frozen=True, slots=True)
class Norms:
    """What a sound tuner of this make is: the IF's width at -3 dB in Hz, de-emphasis in s, and AM
    suppression in dB as its measurement tells it; each by the sheet, or the bench's own."""

    if_width_hz: float = 200e3
    deemphasis_s: float = 50e-6
    am_suppression_db: float = 55.0


@dataclass(frozen=True, slots=True)
class MeasurementList:
    """The measurements in their order, and the norms that they are held against."""

    measurements: tuple[Measurement, ...]
    norms: Norms = Norms()

    def of(self, key: str) -> Measurement | None:
        """The measurement of that key; of one that is taken at each position, its first."""
        return next((m for m in self.measurements if key in (m.key, m.family)), None)

    def beside(self, measured: Measurement) -> tuple[Measurement, ...]:
        """The same measurement at the other positions of its switch."""
        return tuple(
            m
            for m in self.measurements
            if m.family and m.family == measured.family and m.key != measured.key
        )

    def positions(self) -> tuple[str, ...]:
        """The switch positions in the order that the list first names them; "" for wherever the
        set stands."""
        return tuple(dict.fromkeys(m.set.position for m in self.measurements))


@dataclass(frozen=True, slots=True)
class TunerReadings:
    """What was read so far, by measurement and point, in the order of its readings."""

    values: Mapping[str, Mapping[float, tuple[float, ...]]]

    def curve(self, measured: Measurement) -> dict[float, float]:
        """The figures of a measurement so far, by point."""
        return measured.reduced(self.values.get(measured.key, {}))
