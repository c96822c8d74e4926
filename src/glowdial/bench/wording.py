"""Measured values as the line that a person would have typed for them."""

from __future__ import annotations

from collections.abc import Mapping

from glowdial.core.journey.steps import Ask
from glowdial.core.language.errors import Conflict
from glowdial.core.language.quantities import (
    AUDIO_VOLTS,
    AVC_VOLTS,
    CURRENT,
    FREQUENCY,
    FREQUENCY_MHZ,
    INTERMEDIATE_FREQUENCY,
    LEVEL,
    RESISTANCE,
    TURNS,
    Quantity,
    significant,
)

FINE_BELOW_V = 20.0


def typed_line(
    ask: Ask, values: Mapping[str, float], *, alone: bool = False, said: str = ""
) -> str:
    """The values of a question in its own order and bare units, with a bench's resolution; behind
    what was ``said`` in words, by its first letter, where the question begins with a choice.

    Raises Conflict where what comes first is not among them, unless the values stand ``alone``.
    """
    if said:
        rest = [typed_value(f.quantity, values[f.name]) for f in ask.fields if f.name in values]
        return " ".join((said[0], *rest))
    measured = [f for f in ask.fields if f.name in values]
    if not alone and measured != list(ask.fields[: len(measured)]):
        raise Conflict("The bench measures something, but not what comes first: type this reading.")
    return " ".join(typed_value(field.quantity, values[field.name]) for field in measured)


def typed_value(quantity: Quantity | None, value: float) -> str:
    """One value in its quantity's bare unit, with a bench's resolution."""
    if quantity is FREQUENCY:
        return f"{value / 1e3:.1f}"
    if quantity is INTERMEDIATE_FREQUENCY:
        return f"{value / 1e3:.3f}"
    if quantity is FREQUENCY_MHZ:
        return f"{value / 1e6:.4f}"
    if quantity is LEVEL:
        return f"{significant(value * 1e6, 4)}"
    if quantity is TURNS:
        return f"{value:+.3f}"
    if quantity is CURRENT:
        return significant(value * 1e3, 4)
    if quantity is AVC_VOLTS:
        return f"{-value:.3f}"
    if quantity is AUDIO_VOLTS:
        return significant(value, 4)
    if quantity is RESISTANCE:
        return f"{significant(value / 1e3, 4)}k" if value >= 1e3 else significant(value, 4)
    return f"{value:.1f}" if abs(value) >= FINE_BELOW_V else f"{value:.3f}"
