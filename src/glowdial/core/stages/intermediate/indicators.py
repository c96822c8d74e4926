"""What tells that a core is right: the meters, eyes and ears that an IF is aligned by.

All are equals: each with its leads, what the set is put to for it, the reading that it is held at,
and what it is known to deceive with.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from glowdial.core.journey.peaking import AVC_SHOWN, Indicated
from glowdial.core.journey.record import Answer, JobRecord, Point
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    DC_VOLTS,
    HEARD_LEVEL,
    INDICATION,
    significant,
)
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import LOUDSPEAKER, Kind, Measurand

CHOICE = "indicator"
# what a digital meter loads a line with, where none is registered
NORM_METER_OHM = 11e6
# held low: on a hard AVC a core shows four times as much at half a volt as at two
AVC_REFERENCE_V, LEAST_OVER_BASELINE = 0.5, 3.0
AUDIO_REFERENCE_V, DETECTOR_REFERENCE_V, INDICATION_REFERENCE = 0.5, 0.8, 3.0
# in per cent of what its input can take: room for a peak three times as high
MICROPHONE_REFERENCE, LOUDEST = 12.0, 60.0
# a dead core is looked for at this share of the reference
LOW_SHARE = 0.5
REFERENCE, READING, READS = "reference", "reading", "reads"
# what levels were matched at before the question told
FORMER_REFERENCE_V = 2.0


class IndicatorKind(StrEnum):
    """The schools of aligning an IF, the silent one first."""

    AVC = "AVC volts"
    AUDIO = "audio output"
    DETECTOR = "detector DC, AVC off"
    EYE = "tuning eye or S-meter"
    SWEEP = "swept curve"
    EAR = "by ear"
    MICROPHONE = "microphone"


@dataclass(frozen=True, slots=True)
class Indicator:
    """An indicator as it is used: what its readings are called and where they are taken, the leads,
    what the set and the generator are put to, what it deceives with, and the reading that the
    generator's level is set for."""

    kind: IndicatorKind
    shown: Indicated
    lead: Lead
    set_up: tuple[str, ...]
    traps: str
    reference: float
    asked_for: float | None = None

    @property
    def point(self) -> Point:
        """What its levels are asked at: the reading that was first asked for; a record of old has
        none."""
        return () if self.asked_for is None else ((READING, self.asked_for),)

    @property
    def suffix(self) -> str:
        """What sets its questions apart from another's: nothing for AVC volts."""
        return "" if self.kind is IndicatorKind.AVC else f" {self.kind.value.split(',')[0]}"

    @property
    def tone(self) -> bool:
        """Whether the generator is modulated for it."""
        return self.kind in (IndicatorKind.AUDIO, IndicatorKind.EAR, IndicatorKind.MICROPHONE)

    def words(self, value: float) -> str:
        """A reading as people write it."""
        unit = self.shown.quantity.base
        return f"{significant(abs(value), 2)} {unit}".strip()


def chosen(record: JobRecord) -> IndicatorKind:
    """The indicator that this job works by now."""
    answers = [a for a in record.asked(CHOICE) if CHOICE in a.texts]
    return IndicatorKind(answers[-1].texts[CHOICE]) if answers else IndicatorKind.AVC


def choice_ask() -> Ask:
    """By what it is aligned; it may be changed at any time."""
    return Ask(
        CHOICE,
        "By what is it aligned? Levels that were taken by another indicator are taken again.",
        (Field(CHOICE, "indicator", options=tuple(IndicatorKind)),),
        IndicatorKind.AVC.value,
        called="another indicator",
    )


def indicator(situation: Situation) -> Indicator:
    """The indicator of this job with the reading that it is held at."""
    facts, record = situation.facts, situation.record
    kind = chosen(record)
    meter = situation.equipment.meter
    meter_ohm = meter.input_ohm if meter else NORM_METER_OHM
    made = MAKERS[kind](facts, record, meter_ohm)
    made = replace(made, asked_for=made.reference)
    said = references(record, made.suffix)
    return made if not said else _held(made, said[-1])


def references(record: JobRecord, suffix: str) -> list[Answer]:
    """The matchings of the survey by one indicator, whatever reading they were asked at."""
    return [a for a in record.of_step("if.survey") if a.ask == f"{REFERENCE}{suffix}"]


def _held(made: Indicator, said: Answer) -> Indicator:
    """Held where the job's first levels were taken, whatever is registered since: all that this
    meter could be brought to, else what was asked for then."""
    then = dict(said.point).get(READING)
    reference = said.values.get(READS, FORMER_REFERENCE_V if then is None else then)
    return replace(made, reference=abs(reference), asked_for=then)


def _avc(facts: ReceiverFacts, record: JobRecord, meter_ohm: float) -> Indicator:
    source_ohm = facts.circuit.avc.source_ohm
    share = meter_ohm / (meter_ohm + source_ohm)
    loads = (
        f" This meter loads the line: it shows {100 * share:.0f} % of what stands there."
        if share < 0.8
        else ""
    )
    reference = max(AVC_REFERENCE_V * share, LEAST_OVER_BASELINE * _quiet(record, "avc"))
    return Indicator(
        IndicatorKind.AVC,
        AVC_SHOWN,
        Lead("high-impedance DC meter", "clip", "AVC line"),
        (
            "volume right down, the AVC meter is the indicator",
            "generator without modulation",
            "dial where no station comes in",
        ),
        "It compresses: at a high level a core hardly moves it, so it is held low." + loads,
        _rounded(reference),
    )


def _audio(_facts: ReceiverFacts, record: JobRecord, _ohm: float) -> Indicator:
    reference = max(AUDIO_REFERENCE_V, LEAST_OVER_BASELINE * _quiet(record, "avc audio output"))
    return Indicator(
        IndicatorKind.AUDIO,
        Indicated("output", AUDIO_VOLTS, LOUDSPEAKER, "0.42", " audio output"),
        Lead("AC meter", "clip", "loudspeaker, or a load in its place"),
        (
            "volume at a mark that stays, tone control as found",
            "generator with 30 % of tone at 400 or 1,000 Hz",
            "AVC off, or the level below where it takes hold",
            "dial where no station comes in",
        ),
        "Where the AVC takes hold, or the output overloads, the peak is flat: keep it low. Noise "
        "and hum read too.",
        _rounded(reference),
    )


def _detector(_facts: ReceiverFacts, record: JobRecord, _ohm: float) -> Indicator:
    quiet = _quiet(record, "avc detector DC")
    return Indicator(
        IndicatorKind.DETECTOR,
        Indicated(
            "detector",
            DC_VOLTS,
            Measurand("detector", Kind.DC_VOLTS),
            "-0.8",
            " detector DC",
        ),
        Lead("high-impedance DC meter", "100 kohm", "detector's load"),
        ("AVC line clamped to its bias", "generator without modulation"),
        "Below some 0.3 V a diode follows the square of the signal: a peak looks sharper than it "
        "is, and a decibel reads as two.",
        _rounded(max(DETECTOR_REFERENCE_V, LEAST_OVER_BASELINE * quiet)),
    )


def _eye(_facts: ReceiverFacts, _record: JobRecord, _ohm: float) -> Indicator:
    return _judged(
        IndicatorKind.EYE,
        Indicated("indication", INDICATION, None, "3.5", " tuning eye or S-meter"),
        Lead("the set's own eye or S-meter", "", ""),
        ("sensitivity control at its most", "generator without modulation"),
        "Coarse, and crooked: good to some 2 dB. Count divisions, or judge the shadow from 0 "
        "(open) to 10 (closed).",
    )


def _ear(_facts: ReceiverFacts, _record: JobRecord, _ohm: float) -> Indicator:
    return _judged(
        IndicatorKind.EAR,
        Indicated("loudness", INDICATION, None, "5", " by ear"),
        Lead("ears", "", "loudspeaker"),
        ("volume up, the generator's level low", "generator with 30 % of tone at 1,000 Hz"),
        "An ear hears 2 dB at best, and less the louder it is: keep it just above the noise. "
        "Judge from 0 to 10.",
    )


def _microphone(_facts: ReceiverFacts, record: JobRecord, _ohm: float) -> Indicator:
    quiet = LEAST_OVER_BASELINE * _quiet(record, "avc microphone")
    reference = min(max(MICROPHONE_REFERENCE, quiet), LOUDEST)
    return Indicator(
        IndicatorKind.MICROPHONE,
        Indicated("microphone", HEARD_LEVEL, None, "12.5", " microphone"),
        Lead("computer's microphone", "", "in front of the loudspeaker, or its line input"),
        (
            "volume and microphone at places that stay",
            "generator with 30 % of tone at 400 or 1,000 Hz",
            "AVC off, or the level below where it takes hold",
            "dial where no station comes in",
        ),
        "Only the tone counts, found by itself: talk and hum stay out. Whoever moves the "
        "microphone moves the reading; an input that levels itself shows no peak.",
        _rounded(reference),
    )


def _judged(
    kind: IndicatorKind, shown: Indicated, lead: Lead, set_up: tuple[str, ...], traps: str
) -> Indicator:
    """An indicator that a person judges: no instrument reads it."""
    return Indicator(kind, shown, lead, set_up, traps, INDICATION_REFERENCE)


def _sweep(_facts: ReceiverFacts, _record: JobRecord, _ohm: float) -> Indicator:
    return _judged(
        IndicatorKind.SWEEP,
        Indicated("trace", INDICATION, None, "", " swept curve"),
        Lead("oscilloscope", "10 kohm at the probe", "detector, or the AVC line"),
        ("sweep generator without modulation",),
        "A fast sweep drags the curve along and lowers it; a live AVC widens it.",
    )


MAKERS = {
    IndicatorKind.AVC: _avc,
    IndicatorKind.AUDIO: _audio,
    IndicatorKind.DETECTOR: _detector,
    IndicatorKind.EYE: _eye,
    IndicatorKind.SWEEP: _sweep,
    IndicatorKind.EAR: _ear,
    IndicatorKind.MICROPHONE: _microphone,
}


def _quiet(record: JobRecord, ask: str) -> float:
    """What it reads without a signal; 0 before that is known."""
    answer = record.latest("if.baseline", ask)
    return abs(next(iter(answer.values.values()), 0.0)) if answer else 0.0


def _rounded(value: float) -> float:
    """To two significant digits, as it is said."""
    return float(significant(value, 2))
