"""Cautions: what can hurt, where it can hurt, and what to do about it. A table of data.

A caution appears in the step where the danger is, and is acknowledged before the step's readings
open: once per job and working day, then a line reminds of it. It cannot be disabled. Which ones
apply follows from what is known of the set and from what the step does.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache

from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.physics.supply.discharge import discharge_words

CLOSING = (
    "Follow your local electrical codes, and leave what is beyond your training to a licensed "
    "person."
)


class Danger(StrEnum):
    """Every danger of the bench."""

    MAINS = "mains"
    CAPACITORS = "filter capacitors"
    TRANSFORMERLESS = "transformerless chassis"
    VARIABLE_TRANSFORMER = "variable transformer"
    SELENIUM = "selenium rectifier"
    BRIDGING = "mains-bridging capacitors"
    EARTH = "mains earth"
    OLD_OIL = "old capacitors, ballast, heat shields"
    LUMINOUS = "luminous paint"
    SOLVENTS = "wax and solvents"
    HIGH_TENSION_OUTSIDE = "high tension on outside terminals"
    SERIES_STRING = "series heater string"
    BATTERY_FILAMENTS = "battery filaments"
    LIVE_ALIGNMENT = "live alignment"
    OUTPUT_STAGE = "output stage"
    POSTURE = "set on end or upside down"
    BATTERY = "battery"
    TRANSMIT = "transmit-capable set"
    TUNING_EYE = "tuning eye or CRT"
    MODIFICATION = "unknown modification"


class Activity(StrEnum):
    """What a step does, as far as it can hurt."""

    OPENING = "opening the set"
    CLEANING = "stripping down and cleaning"
    COLD_CHECKS = "measuring with the power off"
    OHMMETER_ON_FILAMENTS = "an ohmmeter on filaments"
    RESEATING = "pulling and reseating tubes"
    REPLACING = "replacing parts"
    RESTUFFING = "opening and restuffing old cases"
    LIFTING = "lifting a lead of a set that was on"
    TURNING = "turning the set over"
    POWER = "bringing it up"
    ALIGNING = "aligning under power"
    SIGNAL_IN = "joining aerial, earth or a generator"


class Trait(StrEnum):
    """What is known of a set that decides a caution."""

    MAINS = "from the mains"
    TRANSFORMERLESS = "without a transformer"
    SELENIUM = "selenium rectifier"
    SERIES_STRING = "series string"
    BATTERY_FILAMENTS = "directly heated battery tubes"
    BATTERY = "battery or vibrator"
    TUNING_EYE = "tuning eye"
    LUMINOUS = "luminous paint"
    TRANSMIT = "can transmit"
    HIGH_TENSION_OUTSIDE = "high tension outside"
    MODIFIED = "modified"
    FILTERS = "filter capacitors"


@dataclass(frozen=True, slots=True)
class Caution:
    """One danger: its sentences, the activities where it is met, and the trait that it wants."""

    danger: Danger
    sentences: tuple[str, ...]
    met_in: tuple[Activity, ...]
    wants: Trait | None = None


TABLE: tuple[Caution, ...] = (
    Caution(
        Danger.MAINS,
        (
            "Supply the bench through an RCD (GFCI) and a fuse. An RCD does not protect behind an "
            "isolation transformer.",
            "Work with one hand and never alone in the building.",
        ),
        (Activity.POWER,),
        Trait.MAINS,
    ),
    Caution(
        Danger.CAPACITORS,
        ("Discharge every filter capacitor, and measure that it is empty, before touching it.",),
        (Activity.COLD_CHECKS, Activity.POWER, Activity.REPLACING, Activity.LIFTING),
        Trait.FILTERS,
    ),
    Caution(
        Danger.TRANSFORMERLESS,
        (
            "The chassis may be live at full mains: use an isolation transformer.",
            "Never clip an earthed scope or generator to it; an earthed clip on an isolated set "
            "brings the shock path back.",
        ),
        (Activity.POWER, Activity.SIGNAL_IN),
        Trait.TRANSFORMERLESS,
    ),
    Caution(
        Danger.VARIABLE_TRANSFORMER,
        ("A variable transformer does not isolate; use it after an isolation transformer.",),
        (Activity.POWER,),
        Trait.MAINS,
    ),
    Caution(
        Danger.SELENIUM,
        (
            "A failing stack overheats and gives toxic fumes: switch off, ventilate, do not "
            "breathe them.",
        ),
        (Activity.POWER,),
        Trait.SELENIUM,
    ),
    Caution(
        Danger.BRIDGING,
        (
            "Line to line: a safety-rated X (or Y) capacitor. Line to chassis, aerial or earth: Y "
            "only, and small.",
            "A Y part in place of 50 to 100 nF passes milliamperes to whoever touches the chassis.",
        ),
        (Activity.REPLACING,),
        Trait.MAINS,
    ),
    Caution(
        Danger.EARTH,
        (
            "The mains earth is no radio earth: it brings noise, and a path for fault current. Use "
            "an earth of its own where local rules allow one.",
        ),
        (Activity.SIGNAL_IN,),
        Trait.MAINS,
    ),
    Caution(
        Danger.OLD_OIL,
        (
            "Old paper and oil capacitors and ballasts may hold PCB oil: gloves, and lawful "
            "disposal.",
            "Heat shields and old cords may hold asbestos: do not cut, brush or blow them.",
        ),
        (Activity.OPENING, Activity.RESEATING, Activity.REPLACING, Activity.RESTUFFING),
    ),
    Caution(
        Danger.LUMINOUS,
        ("Luminous paint may be radium: do not scrape or clean it; bag it.",),
        (Activity.OPENING, Activity.RESEATING, Activity.CLEANING),
        Trait.LUMINOUS,
    ),
    Caution(
        Danger.SOLVENTS,
        ("Wax, solvents and thinners burn and their fumes harm: air, no flame, no hot iron near.",),
        (Activity.CLEANING, Activity.RESTUFFING),
    ),
    Caution(
        Danger.HIGH_TENSION_OUTSIDE,
        (
            "High tension switched on outside terminals leaves wires at hundreds of volts exposed: "
            "use a low-voltage relay arrangement instead.",
        ),
        (Activity.POWER,),
        Trait.HIGH_TENSION_OUTSIDE,
    ),
    Caution(
        Danger.SERIES_STRING,
        (
            "Do not pull or wiggle a tube under power: opening and remaking the string burns "
            "others out, and takes the load off B+.",
        ),
        (Activity.POWER, Activity.ALIGNING, Activity.RESEATING),
        Trait.SERIES_STRING,
    ),
    Caution(
        Danger.BATTERY_FILAMENTS,
        (
            "An ohmmeter's low range can burn these filaments out: use only a range whose settled "
            "current is safe for them.",
        ),
        (Activity.OHMMETER_ON_FILAMENTS, Activity.COLD_CHECKS),
        Trait.BATTERY_FILAMENTS,
    ),
    Caution(
        Danger.LIVE_ALIGNMENT,
        (
            "Use an insulated tool: a metal one shorts B+ in the can and detunes the circuit.",
            "Keep the other hand away from the chassis while the set is on.",
        ),
        (Activity.ALIGNING,),
    ),
    Caution(
        Danger.OUTPUT_STAGE,
        ("Never run the output stage without its load: the transformer flashes over.",),
        (Activity.POWER,),
    ),
    Caution(
        Danger.POSTURE,
        ("Steady a set that stands on end or lies upside down; no power while turning it.",),
        (Activity.ALIGNING, Activity.TURNING),
    ),
    Caution(
        Danger.BATTERY,
        (
            "Fuse the lead at the battery, and check the polarity before connecting: reversed it "
            "destroys parts.",
        ),
        (Activity.POWER,),
        Trait.BATTERY,
    ),
    Caution(
        Danger.TRANSMIT,
        (
            "Put a dummy load on, and lock transmit out before a generator, meter or supply "
            "touches the aerial socket.",
            "No transmitting outside your licence; restore an inhibit that you defeated.",
        ),
        (Activity.POWER, Activity.SIGNAL_IN),
        Trait.TRANSMIT,
    ),
    Caution(
        Danger.TUNING_EYE,
        ("A tuning eye or CRT carries high voltage, and the glass may implode.",),
        (Activity.POWER, Activity.RESEATING),
        Trait.TUNING_EYE,
    ),
    Caution(
        Danger.MODIFICATION,
        ("Somebody has changed this set: trace what was done before it gets power.",),
        (Activity.POWER,),
        Trait.MODIFIED,
    ),
)


def traits_of(facts: ReceiverFacts) -> frozenset[Trait]:
    """What is known of a model that decides its cautions."""
    known = {Trait(name) for name in facts.traits}
    if facts.chassis == "battery":
        known.add(Trait.BATTERY)
    else:
        known |= {Trait.MAINS, Trait.FILTERS}
    if facts.chassis == "transformerless":
        known.add(Trait.TRANSFORMERLESS)
    return frozenset(known)


def common_rail(facts: ReceiverFacts) -> str:
    """What a meter's minus goes to: B- where the chassis is no safe rail, else the chassis."""
    return "B-" if Trait.TRANSFORMERLESS in traits_of(facts) else "chassis"


def dangers_for(facts: ReceiverFacts, *activities: Activity) -> tuple[Danger, ...]:
    """The dangers of a step on this set, in the table's order."""
    return _dangers(traits_of(facts), frozenset(activities))


@cache
def _dangers(known: frozenset[Trait], activities: frozenset[Activity]) -> tuple[Danger, ...]:
    return tuple(
        c.danger
        for c in TABLE
        if activities.intersection(c.met_in) and (c.wants is None or c.wants in known)
    )


def caution(danger: Danger, facts: ReceiverFacts | None = None) -> Caution:
    """The caution for a danger, what is computed for this set and the closing sentence included."""
    found = next(c for c in TABLE if c.danger is danger)
    computed: tuple[str, ...] = ()
    if danger is Danger.CAPACITORS and facts is not None:
        transformer = Trait.TRANSFORMERLESS not in traits_of(facts)
        computed = (discharge_words(facts.supply, transformer=transformer),)
    return replace(found, sentences=(*found.sentences, *computed, CLOSING))
