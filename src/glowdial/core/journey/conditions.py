"""Under which conditions a value was observed: what was set, what was typed of it, what is on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

from glowdial.core.bench.equipment import Equipment
from glowdial.core.journey.record import CABINET, NO_INSTRUMENTS, InstrumentsThen, JobRecord
from glowdial.core.journey.steps import Ask, Field, Step
from glowdial.core.model.measurands import GENERATOR_FREQUENCY, Measurand


def conditions_of(
    record: JobRecord, step: Step, ask: Ask, values: Mapping[str, float]
) -> dict[str, object]:
    """How the bench stood when a question was answered, by setting; plain data.

    What the step set, overruled by what was typed of it; the cabinet; what was clipped on, lifted
    or switched off; the temperature where it was read in this job.
    """
    found: dict[str, object] = {}
    if ask.recipe is not None:
        found |= {k: list(v) if isinstance(v, tuple) else v for k, v in ask.recipe.change.values}
    found |= dict(ask.point)
    found |= {f.sets: values[f.name] for f in ask.fields if f.sets and f.name in values}
    cabinet = [c.note for c in record.changes if c.what == CABINET]
    if cabinet:
        found["cabinet"] = cabinet[-1]
    clipped = [f"{t.what}, {t.where}" for t in record.temporaries if t.on]
    clipped += [f"{what}, {where}" for what, where in (*step.makes, *ask.makes)]
    if clipped:
        found["clipped_on"] = clipped
    off = [s.what for s in record.switched_off if s.off]
    if off:
        found["switched_off"] = off
    warmth = record.with_value("temperature")
    if warmth:
        found["temperature_c"] = warmth[-1].values["temperature"]
    return found


WHICH_METER = "meter"
NO_TEXTS: Mapping[str, str] = MappingProxyType({})


def which_meter(equipment: Equipment) -> tuple[Field, ...]:
    """The question with which meter it is read, where more than one is registered."""
    names = tuple(dict.fromkeys(m.name for m in equipment.meters))
    if len(names) < 2:
        return ()
    return (Field(WHICH_METER, "read with", options=names, required=False),)


def instruments_of(
    equipment: Equipment, ask: Ask, texts: Mapping[str, str] = NO_TEXTS
) -> InstrumentsThen:
    """The registered instruments of a reading as they are now: the meter that was named with it,
    or the newest; none for what is not measured."""
    if not any(f.measurand is not None for f in ask.fields):
        return NO_INSTRUMENTS
    name = texts.get(WHICH_METER) or ask.read_with
    named = [m for m in equipment.meters if m.name == name]
    return registered(replace(equipment, meter=named[0]) if named else equipment)


def registered(equipment: Equipment) -> InstrumentsThen:
    """The newest meter and generator of the register."""
    meter, generator = equipment.meter, equipment.generator
    return InstrumentsThen(
        meter=meter.name if meter else "",
        meter_ohm=meter.input_ohm if meter else None,
        generator=generator.name if generator else "",
        frequency_error=generator.frequency_error if generator else None,
    )


def doubt_of(equipment: Equipment, measurand: Measurand | None, value: float) -> float | None:
    """One standard deviation of a value, where the instrument's register tells it: a frequency by
    the generator's own error. None where nothing is known."""
    generator = equipment.generator
    if measurand != GENERATOR_FREQUENCY or generator is None or not generator.frequency_error:
        return None
    return abs(value) * generator.frequency_error
