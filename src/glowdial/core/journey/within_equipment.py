"""A step as this bench can do it: levels that the generator gives, and what it cannot do said."""

from __future__ import annotations

import math
from dataclasses import replace

from glowdial.core.bench.equipment import Equipment, GeneratorLimits, MeterLimits
from glowdial.core.bench.recipe import Doing, Recipe
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.language.quantities import engineering
from glowdial.core.model.measurands import AVC

LOADING_WORTH_SAYING = 0.85
ERROR_WORTH_SAYING_HZ = 100.0


def within_equipment(step: Step, equipment: Equipment, avc_source_ohm: float) -> Step:
    """The step as this bench can do it: its level one that the generator gives, and notes that say
    what the generator or the meter cannot do and what helps."""
    recipe = step.ask.recipe if step.ask else None
    if step.ask is None or recipe is None:
        return step
    notes = [
        *_generator_notes(recipe, equipment.generator),
        *_meter_notes(step.ask, equipment.meter, avc_source_ohm),
    ]
    level_v = recipe.change.get("generator_emf_v")
    if equipment.generator is not None and level_v:
        recipe = recipe.setting(generator_emf_v=equipment.generator.nearest_v(level_v))
    return replace(step, ask=replace(step.ask, recipe=recipe), notes=(*step.notes, *notes))


def _generator_notes(recipe: Recipe, limits: GeneratorLimits | None) -> list[str]:
    frequency, level = recipe.change.get("generator_hz"), recipe.change.get("generator_emf_v")
    if limits is None or frequency is None or level == 0.0:
        return []
    notes: list[str] = []
    if not limits.lowest_hz <= frequency <= limits.highest_hz:
        notes.append(
            f"The {limits.name} does not reach {engineering(frequency, 'Hz')} (its range is "
            f"{engineering(limits.lowest_hz, 'Hz')} to {engineering(limits.highest_hz, 'Hz')}): "
            "use another, or its harmonic with a counter beside it."
        )
    if level is not None and level < limits.least_v:
        short_db = 20.0 * math.log10(limits.least_v / level)
        notes.append(
            f"The {limits.name} goes down to {engineering(limits.least_v, 'V')} EMF only: put a "
            f"pad of {math.ceil(short_db)} dB in, couple looser, or stand further off. Less "
            "modulation does not lower the carrier."
        )
    if level is not None and level > limits.greatest_v:
        notes.append(
            f"The {limits.name} ends at {engineering(limits.greatest_v, 'V')} EMF: couple tighter, "
            "or inject one stage later."
        )
    off_hz = limits.frequency_error * frequency
    finds = recipe.doing in (Doing.FIND_FREQUENCY, Doing.TURN_AND_FIND)
    if finds and off_hz > ERROR_WORTH_SAYING_HZ:
        notes.append(
            f"By its {limits.known.value} the {limits.name} is known to "
            f"{engineering(off_hz, 'Hz', 2)} either way here, and what is found carries it: "
            "hold it against a crystal or a counter."
        )
    return notes


def _meter_notes(ask: Ask, meter: MeterLimits | None, source_ohm: float) -> list[str]:
    doing = ask.recipe.doing if ask.recipe else Doing.READ
    fm = ask.recipe is not None and ask.recipe.zero_of is not None
    reads_avc = (
        not fm
        and doing is not Doing.TONE_PAIR
        and (doing is not Doing.READ or any(f.measurand == AVC for f in ask.fields))
    )
    if meter is None or not reads_avc:
        return []
    share = meter.input_ohm / (meter.input_ohm + source_ohm)
    if share >= LOADING_WORTH_SAYING:
        return []
    return [
        f"The {meter.name} with its {engineering(meter.input_ohm, 'ohm')} shows about "
        f"{round(100.0 * share)} % of the AVC line's volts, and pulls them down: peaks stay where "
        "they are, volts do not compare with a lighter meter's."
    ]
