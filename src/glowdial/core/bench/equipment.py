"""What the instruments of a bench can and cannot do, and what the advice makes of it.

Only their limits: range, least level, attenuator steps, sync, how well a frequency is known, what
a meter's own resistance does. Advice that asks for more says what helps.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import (
    CURRENT,
    DC_VOLTS,
    DECIBELS,
    FREQUENCY_LIMIT,
    LEVEL,
    PER_CENT,
    RESISTANCE,
    Quantity,
    engineering,
    parse,
)
from glowdial.core.physics.ohmmeter import OhmmeterKind, OhmRange, check_ranges


class FrequencyKnown(StrEnum):
    """How a generator's frequency is known."""

    DISPLAY = "display"
    COUNTER = "counter"
    CRYSTAL = "crystal"


RANGE = re.compile(
    r"(?P<name>[^:]{1,40}):\s*(?P<volts>[\d.,]+\s*m?V)\s*,?\s*(?P<amperes>[\d.,]+\s*[mu]?A)"
    r"\s*(?P<const>const)?",
    re.IGNORECASE,
)
# an old series ohmmeter and a digital meter, when nobody registered one
NORM_RANGES = (
    OhmRange("old ohmmeter, R x 1", OhmmeterKind.SERIES, 1.5, 0.150),
    OhmRange("old ohmmeter, R x 10", OhmmeterKind.SERIES, 1.5, 0.015),
    OhmRange("digital, 200 ohm", OhmmeterKind.CONSTANT_CURRENT, 3.0, 1e-3),
)
# two levels this near, as a logarithm, are one
SAME_LEVEL = 0.01
DEFAULT_ERROR = {
    FrequencyKnown.DISPLAY: 0.01,
    FrequencyKnown.COUNTER: 1e-5,
    FrequencyKnown.CRYSTAL: 1e-6,
}


@dataclass(frozen=True, slots=True)
class GeneratorLimits:
    """A generator's range in Hz, levels in V EMF, attenuator steps in dB (0: continuous), the
    fastest sweep sync in Hz (0: none), and its relative frequency error."""

    name: str = "generator"
    lowest_hz: float = 100e3
    highest_hz: float = 30e6
    least_v: float = 1e-6
    greatest_v: float = 0.1
    step_db: float = 0.0
    sync_hz: float = 0.0
    known: FrequencyKnown = FrequencyKnown.DISPLAY
    frequency_error: float = 0.0

    def nearest_v(self, wanted_v: float) -> float:
        """The level that it can give nearest to the wanted one: inside its range, on a step."""
        level_v = min(max(wanted_v, self.least_v), self.greatest_v)
        if self.step_db > 0.0:
            steps = round(20.0 * math.log10(level_v / self.least_v) / self.step_db)
            level_v = self.least_v * math.pow(10.0, steps * self.step_db / 20.0)
            if level_v > self.greatest_v * (1.0 + 1e-9):
                level_v = self.least_v * math.pow(10.0, (steps - 1) * self.step_db / 20.0)
        return level_v

    def another_v(self, wanted_v: float, last_v: float) -> float:
        """The level that it can give nearest to the wanted one, and not the last again: where its
        steps are too coarse, one step on towards it."""
        level_v = self.nearest_v(wanted_v)
        again = abs(math.log(level_v / last_v)) < SAME_LEVEL
        if not again or self.step_db <= 0.0:
            return level_v
        way = 1.0 if wanted_v > last_v else -1.0
        return self.nearest_v(level_v * math.pow(10.0, way * self.step_db / 20.0))


@dataclass(frozen=True, slots=True)
class MeterLimits:
    """A meter's input resistance on DC volts, and its resistance ranges with their current; none
    where nobody entered them: such a meter is unknown, and never recommended."""

    name: str = "multimeter"
    input_ohm: float = 11e6
    ranges: tuple[OhmRange, ...] = ()


@dataclass(frozen=True, slots=True)
class Equipment:
    """What the bench has, as far as it is registered.

    ``generator`` and ``meter`` are the newest of their kind, which the advice keeps to; ``others``
    are the meters besides.
    """

    generator: GeneratorLimits | None = None
    meter: MeterLimits | None = None
    others: tuple[MeterLimits, ...] = ()

    @property
    def meters(self) -> tuple[MeterLimits, ...]:
        """Every meter of the register, the newest first."""
        return () if self.meter is None else (self.meter, *self.others)


NO_EQUIPMENT = Equipment()


def generator_limits(name: str, texts: Mapping[str, str]) -> GeneratorLimits:
    """Limits as people write them; what is left empty keeps its norm.

    Raises BadInput for a bad value, an unknown key, or two that contradict each other.
    """
    _known_keys(texts, GENERATOR_FIELDS)
    norm = GeneratorLimits()
    known = texts.get("known", "").strip().lower() or norm.known.value
    if known not in set(FrequencyKnown):
        raise BadInput(
            "how the frequency is known", known, "is display, counter or crystal", "counter"
        )
    limits = GeneratorLimits(
        name=name,
        lowest_hz=_given(texts, "lowest", FREQUENCY_LIMIT, norm.lowest_hz),
        highest_hz=_given(texts, "highest", FREQUENCY_LIMIT, norm.highest_hz),
        least_v=_given(texts, "least", LEVEL, norm.least_v),
        greatest_v=_given(texts, "greatest", LEVEL, norm.greatest_v),
        step_db=_given(texts, "step", DECIBELS, 0.0),
        sync_hz=_given(texts, "sync", FREQUENCY_LIMIT, 0.0),
        known=FrequencyKnown(known),
        frequency_error=_given(
            texts, "error", PER_CENT, 100.0 * DEFAULT_ERROR[FrequencyKnown(known)]
        )
        / 100.0,
    )
    if limits.lowest_hz >= limits.highest_hz:
        raise BadInput(
            "range", texts.get("lowest", ""), "must rise from lowest to highest", "100k 30M"
        )
    if limits.least_v >= limits.greatest_v:
        raise BadInput(
            "levels", texts.get("least", ""), "must rise from least to greatest", "1u 100m"
        )
    return limits


def meter_limits(name: str, texts: Mapping[str, str]) -> MeterLimits:
    """A meter's limits as people write them; raises BadInput."""
    _known_keys(texts, METER_FIELDS)
    input_ohm = _given(texts, "input", RESISTANCE, MeterLimits().input_ohm)
    if input_ohm <= 0.0:
        raise BadInput("input resistance", texts["input"], "must be above zero", "11M")
    ranges = texts.get("ranges", "").strip()
    return MeterLimits(name, input_ohm, ohm_ranges(name, ranges) if ranges else ())


def ohm_ranges(meter: str, text: str) -> tuple[OhmRange, ...]:
    """Resistance ranges as people write them, from the lowest up, apart by semicolons:
    ``R x 1: 1.5 V 150 mA; R x 10: 1.5 V 15 mA``; a constant current is marked ``const``.

    Checked against each other. Raises BadInput with the range that is not understood.
    """
    found: list[OhmRange] = []
    for part in (p.strip() for p in text.split(";") if p.strip()):
        match = RANGE.fullmatch(part)
        if match is None:
            raise BadInput("ranges", part, "must be name: volts and current", "R x 1: 1.5 V 150 mA")
        kind = OhmmeterKind.CONSTANT_CURRENT if match["const"] else OhmmeterKind.SERIES
        volts = parse(match["volts"], DC_VOLTS, "open-circuit volts")
        amperes = parse(match["amperes"], CURRENT, "short-circuit current")
        found.append(OhmRange(match["name"].strip(), kind, volts, amperes))
    check_ranges(meter, found)
    return tuple(found)


@dataclass(frozen=True, slots=True)
class LimitField:
    """A limit as it is asked for: its name, its label, and an example."""

    name: str
    label: str
    example: str


LIMITS: Mapping[str, tuple[LimitField, ...]] = {
    "generator": (
        LimitField("lowest", "From", "100k"),
        LimitField("highest", "To", "30M"),
        LimitField("least", "Least level (EMF)", "1u"),
        LimitField("greatest", "Greatest level", "100m"),
        LimitField("step", "Attenuator step, dB", "none"),
        LimitField("sync", "Fastest sweep sync, Hz", "none"),
        LimitField("known", "Frequency known by", ", ".join(FrequencyKnown)),
        LimitField("error", "Its error, %", "1"),
    ),
    "multimeter": (
        LimitField("input", "Input resistance, DC volts", "11M"),
        LimitField(
            "ranges", "Ohm ranges, from the lowest", "R x 1: 1.5 V 150 mA; R x 10: 1.5 V 15 mA"
        ),
    ),
}
GENERATOR_FIELDS = tuple(x.name for x in LIMITS["generator"])
METER_FIELDS = tuple(x.name for x in LIMITS["multimeter"])


def _known_keys(texts: Mapping[str, str], known: tuple[str, ...]) -> None:
    for key in texts:
        if key not in known:
            raise BadInput("limit", key, f"is not one of {', '.join(known)}", known[0])


def _given(texts: Mapping[str, str], key: str, quantity: Quantity, norm: float) -> float:
    text = texts.get(key, "").strip()
    return parse(text, quantity, key) if text else norm


def generator_words(limits: GeneratorLimits) -> str:
    """The limits in a line, for the register."""
    step = f", steps of {limits.step_db:g} dB" if limits.step_db else ""
    return (
        f"{engineering(limits.lowest_hz, 'Hz')} to {engineering(limits.highest_hz, 'Hz')}, "
        f"{engineering(limits.least_v, 'V')} to {engineering(limits.greatest_v, 'V')} EMF{step}; "
        f"frequency by {limits.known.value} ({100.0 * limits.frequency_error:.2g} %)"
    )


def meter_words(limits: MeterLimits) -> str:
    """The same of a meter."""
    ranges = "; ".join(f"{r.name} {engineering(r.short_a, 'A')}" for r in limits.ranges)
    own = f"; ohm ranges {ranges}" if limits.ranges else "; ohm ranges not entered"
    return f"{engineering(limits.input_ohm, 'ohm')} on DC volts{own}"
