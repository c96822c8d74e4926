"""Every sum, in the order of the scale."""

from __future__ import annotations

from glowdial.core.language.errors import NotFound
from glowdial.core.plan.scale import SCALE
from glowdial.core.sums import helps, levels, limits, moving, pads, parts, supply, tuning
from glowdial.core.sums.form import SumForm

BOOKS = (
    parts.SUMS,
    supply.SUMS,
    levels.SUMS,
    tuning.SUMS,
    moving.SUMS,
    helps.SUMS,
    pads.SUMS,
    limits.SUMS,
)
SUMS: tuple[SumForm, ...] = tuple(
    sorted(
        (form for book in BOOKS for form in book),
        key=lambda s: SCALE.index(s.stage),
    )
)


def sum_of(key: str) -> SumForm:
    """The sum of that key; raises NotFound."""
    for form in SUMS:
        if form.key == key:
            return form
    raise NotFound("sum", key)
