"""What a step does that can hurt, read from what it is: its power, its leads, what it turns, makes
and sets. A step cannot forget a caution that its own leads call for."""

from __future__ import annotations

from glowdial.core.bench.recipe import Doing
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.safety.cautions import Activity


def asks_of(step: Step) -> tuple[Ask, ...]:
    """Every question that a step takes now."""
    return tuple(a for a in (step.ask, *step.others) if a is not None)


def powers(step: Step) -> bool:
    """Whether the set has power while the step is worked: as it says, or as its bench is set."""
    return step.powered or any(
        (a.recipe.change.get("line_v") or 0.0) > 0.0 for a in asks_of(step) if a.recipe is not None
    )


def activities_of(step: Step) -> frozenset[Activity]:
    """Everything that a step does that can hurt."""
    found = {*step.does, *(one for ask in asks_of(step) for one in ask.does)}
    powered = powers(step)
    if powered and not step.opens_power:
        found.add(Activity.POWER)
    if any(lead.signal for lead in step.leads):
        found.add(Activity.SIGNAL_IN)
    turns = any(a.recipe is not None and a.recipe.doing is Doing.PEAK for a in asks_of(step))
    if powered and (step.adjuster is not None or turns):
        found.add(Activity.ALIGNING)
    return frozenset(found)
