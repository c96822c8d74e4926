"""Bring-up begins: the safety gate, the school, and the leads."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.readings import conclude, confirmed, reading
from glowdial.core.journey.record import Basis, JobRecord
from glowdial.core.journey.registers import open_lines
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Field, Lead, Status, Step, confirm
from glowdial.core.language.quantities import WATTS
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.model.measurands import LAMP_POWER
from glowdial.core.physics.supply.circuit import Waveform
from glowdial.core.physics.supply.limiter import Lamp
from glowdial.core.physics.supply.line_current import behind_lamp_v
from glowdial.core.safety.cautions import Activity, Trait, common_rail, dangers_for, traits_of
from glowdial.core.stages.bring_up.ramp_schools import PROTECTS, RampSchool

STAGE = "bring-up"
GATE = "bring-up.gate"
SCHOOL = "bring-up.school"
SET_UP = "bring-up.set-up"
NORM_LAMP_W = 60.0
REMINDED = 3


def before_power(situation: Situation) -> list[Step]:
    """Gate, school and set-up, in that order."""
    facts, record = situation.facts, situation.record
    school = [] if on_batteries(facts) else [_school(facts, record)]
    return [_gate(situation), *school, _setting_up(facts, record)]


def on_batteries(facts: ReceiverFacts) -> bool:
    """Whether high tension comes from a battery of its own."""
    return facts.supply is not None and facts.supply.waveform is Waveform.BATTERY


def from_vibrator(facts: ReceiverFacts) -> bool:
    """Whether a vibrator makes the high tension of a battery."""
    return facts.supply is not None and facts.supply.waveform is Waveform.SQUARE


def source_words(facts: ReceiverFacts) -> str:
    """What is turned up."""
    if on_batteries(facts):
        return "high-tension supply"
    return "battery supply" if from_vibrator(facts) else "line"


def schools_for(facts: ReceiverFacts) -> tuple[RampSchool, ...]:
    """The schools that suit a set: no lamp limits a vibrator, which draws in pulses."""
    return tuple(s for s in RampSchool if s is not RampSchool.LAMP or not from_vibrator(facts))


def ramp_school(record: JobRecord) -> RampSchool:
    """The school chosen; held steps until one is."""
    answer = record.latest(SCHOOL, "school")
    return RampSchool(answer.texts["school"]) if answer else RampSchool.STEPS


def lamp_of(facts: ReceiverFacts, record: JobRecord) -> Lamp | None:
    """The limiter lamp, where that school was chosen."""
    if ramp_school(record) is not RampSchool.LAMP:
        return None
    answer = record.latest(SCHOOL, "school")
    watts = answer.values.get("lamp", NORM_LAMP_W) if answer else NORM_LAMP_W
    return Lamp(watts, facts.nominal_line_v)


def _gate(situation: Situation) -> Step:
    facts, record = situation.facts, situation.record
    still = [t for t in record.temporaries if t.on and not t.wanted_under_power]
    lines = [f"Still clipped on: {t.what}, {t.where}." for t in still]
    lines += [
        f"Waiting: {form.line_title(line)}."
        for form, line in open_lines(record, situation.forms)[:REMINDED]
    ]
    step = Step(
        GATE,
        STAGE,
        "Pass the safety gate",
        "Nothing that follows is open until these are acknowledged for this set.",
        does=(Activity.POWER,),
        notes=tuple(lines),
        opens_power=True,
        by_person=True,
    )
    ask = confirm("ready", "Everything above is so: the set may have power.")
    later = Basis(after=tuple(found for s in situation.before for found in s.reopens_gate))
    passed = reading(record, GATE, ask, later)
    unseen = any(not record.acknowledged(d) for d in dangers_for(facts, Activity.POWER))
    if passed.answer is not None and (passed.stale or unseen):
        words = "Something was found after it was passed: pass it again."
        notes = (words, *step.notes)
        return replace(step, status=Status.RECHECK, ask=ask, notes=notes)
    return conclude(step, (passed,))


def _school(facts: ReceiverFacts, record: JobRecord) -> Step:
    ask = Ask(
        "school",
        "How do the volts come up?",
        (
            Field("school", "School", options=tuple(s.value for s in schools_for(facts))),
            Field(
                "lamp",
                "Lamp, if limited",
                WATTS,
                required=False,
                nominal=NORM_LAMP_W,
                measurand=LAMP_POWER,
                sets="lamp_w",
            ),
        ),
        "slow ramp, in held steps",
    )
    found = reading(record, SCHOOL, ask)
    lines = [f"{s.value[0].upper()}{s.value[1:]}: {PROTECTS[s]}." for s in schools_for(facts)]
    notes: list[str] = []
    if found.answer is not None:
        chosen = ramp_school(record)
        lines = [f"{chosen.value[0].upper()}{chosen.value[1:]}: {PROTECTS[chosen]}."]
        notes = _lamp_notes(facts, record)
        if chosen is RampSchool.CAPACITORS and facts.parts and not facts.filters_renewed:
            lines.append("Not every filter capacitor of the list is renewed yet: do that first.")
    if facts.plays_as_found and ramp_school(record) is not RampSchool.LAMP:
        lines.append("It plays as found: briefly, and behind a lamp limiter.")
    step = Step(
        SCHOOL,
        STAGE,
        "Choose how it is brought up",
        "No school is safe by itself: each protects against something else.",
        advice=tuple(lines),
        notes=tuple(notes),
    )
    return conclude(step, (found,))


def _lamp_notes(facts: ReceiverFacts, record: JobRecord) -> list[str]:
    lamp = lamp_of(facts, record)
    if lamp is None:
        return []
    left = (
        behind_lamp_v(facts.supply, facts.circuit.heaters, lamp.volts, lamp)
        if facts.supply
        else None
    )
    if left is None:
        return ["The sheet gives no heaters, so what the lamp takes cannot be predicted."]
    return [
        f"Behind {lamp.power_w:g} W a sound set is left with about {left:.0f} V of "
        f"{lamp.volts:.0f} V, the lamp dim. A bright lamp is a short."
    ]


def _setting_up(facts: ReceiverFacts, record: JobRecord) -> Step:
    step = Step(
        SET_UP,
        STAGE,
        "Connect the filament battery, the high-tension supply and the meters"
        if on_batteries(facts)
        else "Connect the variable supply and the meters",
        "High tension is brought up slowly so that each fault shows before it harms; the filaments "
        "are hot before it."
        if on_batteries(facts)
        else "The line is brought up slowly so that each fault shows before it harms.",
        leads=(
            *supply_leads(facts, record),
            Lead("DC meter +", "clip", "B+ at the last filter capacitor"),
            Lead("DC meter -", "clip", common_rail(facts)),
        ),
        controls=("loudspeaker or its load connected", "volume at least", "band switch: broadcast"),
        powered=True,
    )
    return confirmed(step, record, "ready", "Leads on, controls set, line at zero.")


def supply_leads(facts: ReceiverFacts, record: JobRecord) -> tuple[Lead, ...]:
    """What the power comes through."""
    if on_batteries(facts):
        return (
            Lead("filament battery", "fuse, polarity checked", "filament leads"),
            Lead("variable high-tension supply", "fuse, 100 mA", "high-tension leads"),
        )
    lamp = lamp_of(facts, record)
    through = f"lamp, {lamp.power_w:g} W, in series" if lamp else "fuse and line voltmeter"
    if from_vibrator(facts):
        return (Lead("variable battery supply", "fuse, polarity checked", "battery leads"),)
    if Trait.TRANSFORMERLESS in traits_of(facts):
        through = f"isolation transformer, {through}"
    return (Lead("variable line supply", through, "mains plug of the set"),)
