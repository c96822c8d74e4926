"""What an IF is aligned for: the most gain, or a flat top for quality at some cost of gain."""

from __future__ import annotations

import math
from dataclasses import replace
from enum import StrEnum

from glowdial.core.alignment.flat_top import FlatTop, flat_top
from glowdial.core.alignment.which_core import CanDesign
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.quantities import engineering, khz
from glowdial.core.model.facts import IfTransformer, ReceiverFacts
from glowdial.core.stages.intermediate.survey import SurveyCurve, written

GOAL = "goal"
MOST_RIPPLE_DB = 1.0
# humps no higher than this over their valley, where a winding has to be loaded for it
WANTED_OF_CRITICAL = 1.4
# points either side of the IF of the survey of a flat top, over this share of its width
FLAT_POINTS, LOOKED_AT = 6, 0.62


class Goal(StrEnum):
    """What the IF is for."""

    SENSITIVE = "sensitive"
    FLAT = "flat-topped"


def goal_of(record: JobRecord) -> Goal:
    """What was said last; sensitive before that."""
    said = [a for a in record.asked(GOAL) if a.texts.get(GOAL)]
    return Goal(said[-1].texts[GOAL]) if said else Goal.SENSITIVE


def goal_ask() -> Ask:
    """Gain, or quality."""
    return Ask(
        GOAL,
        "What is it for: the most gain and selectivity, or a flat top for quality?",
        (Field(GOAL, "goal", options=tuple(Goal)),),
        Goal.SENSITIVE.value,
        called="another goal",
    )


def cans_by_design(facts: ReceiverFacts, record: JobRecord | None = None) -> tuple[CanDesign, ...]:
    """Every can as the sheet gives it, in signal order, with where its circuits belong for the
    job's goal."""
    cans = tuple(_can(can) for can in facts.transformers)
    if record is None or goal_of(record) is Goal.SENSITIVE or not cans:
        return cans
    at = flat_top(cans, facts.intermediate_frequency_hz).offsets
    return tuple(replace(can, belongs=tuple(at[core] for core in can.cores)) for can in cans)


def _can(can: IfTransformer) -> CanDesign:
    return CanDesign(can.cores, can.qs, (can.coupling_of_critical,) * (len(can.cores) - 1))


def belongs_hz(facts: ReceiverFacts, record: JobRecord, core: str) -> float:
    """Where a core is peaked: on the IF, or for a flat top to its own side of it."""
    for can in cans_by_design(facts, record):
        if core in can.cores and can.belongs:
            return facts.intermediate_frequency_hz * (1.0 + can.belongs[can.cores.index(core)])
    return facts.intermediate_frequency_hz


def goal_words(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    """What a flat top wins and costs, and what it wants where the cans are coupled too closely."""
    if goal_of(record) is Goal.SENSITIVE:
        return ()
    if not facts.transformers:
        return ("The sheet gives no cans: a flat top cannot be computed.",)
    found = flat_top(cans_by_design(facts), facts.intermediate_frequency_hz)
    words = [
        f"Flat top: {khz(found.width_hz)} wide at -6 dB instead of {khz(found.narrow_hz)}, ripple "
        f"{found.ripple_db:.1f} dB by the sheet, {found.cost_db:.1f} dB of gain for it. "
        f"{_sides(facts, found)}"
    ]
    if found.worst_db > MOST_RIPPLE_DB:
        words += [_load(facts, can) for can in facts.transformers if _too_close(can)]
    return tuple(words)


def _sides(facts: ReceiverFacts, found: FlatTop) -> str:
    told = [
        f"{facts.adjuster(core).name} on "
        f"{written(facts, facts.intermediate_frequency_hz * (1.0 + offset))}"
        for core, offset in found.offsets.items()
        if offset
    ]
    return f"Peak the {'; the '.join(told)}." if told else "Every core on the IF."


def _too_close(can: IfTransformer) -> bool:
    return len(can.cores) > 1 and can.coupling_of_critical > WANTED_OF_CRITICAL


def _load(facts: ReceiverFacts, can: IfTransformer) -> str:
    """The resistor across the last winding that lowers its Q until the humps are flat: coupling in
    multiples of the critical one goes as sqrt(Q)."""
    q = can.qs[-1]
    wanted = q * (WANTED_OF_CRITICAL / can.coupling_of_critical) ** 2
    reactance = 1.0 / (2.0 * math.pi * facts.intermediate_frequency_hz * can.capacitance_f)
    ohm = reactance * q * wanted / (q - wanted)
    return (
        f"{can.name} is coupled {can.coupling_of_critical:.1f} times critically: its humps stand "
        f"out by more than {MOST_RIPPLE_DB:.0f} dB, whatever its cores do. "
        f"{engineering(float(f'{ohm:.1e}'), 'ohm')} across its last winding flattens them: a "
        "modification, and the owner's decision."
    )


def ripple_db(curve: SurveyCurve, volts_per_neper: float | None) -> float:
    """From the highest hump down to the lowest valley between the outermost humps of a survey, in
    dB of the signal: through the AVC's law where it was read on that line."""
    level = [
        math.log(v) + (v / volts_per_neper if volts_per_neper else 0.0)
        for v in (max(v, 1e-6) for v in curve.avc_v)
    ]
    tops = [
        n for n in range(1, len(level) - 1) if level[n] > level[n - 1] and level[n] >= level[n + 1]
    ]
    if len(tops) < 2:
        return 0.0
    between = level[tops[0] : tops[-1] + 1]
    return 20.0 / math.log(10.0) * (max(between) - min(between))
