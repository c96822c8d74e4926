"""The order in which parts are changed: the schools and their batches."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.model.parts import Part, PartKind, PartUse

# always first: they harm other parts, or people
DANGEROUS = (
    PartUse.MAINS,
    PartUse.CHASSIS,
    PartUse.FIRST_FILTER,
    PartUse.FILTER,
    PartUse.OUTPUT_COUPLING,
    PartUse.AVC,
    PartUse.SCREEN,
)
FEW = 3


class School(StrEnum):
    """Which parts are changed, and when."""

    ALL = "all at once"
    DANGEROUS = "dangerous first, then a few at a time"
    AS_FOUND = "play as found, then a few at a time"


@dataclass(frozen=True, slots=True)
class Batch:
    """Parts that are changed together; ``tested`` after it the set is powered and compared."""

    key: str
    title: str
    parts: tuple[Part, ...]
    before_power: bool
    tested: bool


def batches(parts: tuple[Part, ...], school: School) -> tuple[Batch, ...]:
    """The order in which parts are changed, with a test between where the school wants one.

    Mica and ceramic stay unless tested bad, so they are in no batch; resistors are measured, and
    come last before power.
    """
    perish = [p for p in parts if p.kind in (PartKind.ELECTROLYTIC, PartKind.PAPER)]
    rank = {use: n for n, use in enumerate(PartUse)}
    perish.sort(key=lambda p: rank[p.use])
    resistors = tuple(p for p in parts if p.is_resistor)
    first = tuple(p for p in perish if p.use in DANGEROUS)
    later = tuple(p for p in perish if p.use not in DANGEROUS)
    found: list[Batch] = []
    if school is School.ALL:
        found.append(Batch("all", "every paper and electrolytic", tuple(perish), True, False))
    elif school is School.DANGEROUS:
        found.append(Batch("first", "the dangerous ones first", first, True, False))
    else:
        mains = tuple(p for p in first if p.use in (PartUse.MAINS, PartUse.CHASSIS))
        found.append(Batch("mains", "what bridges the mains", mains, True, False))
        later = tuple(p for p in first if p not in mains) + later
    if resistors:
        found.append(Batch("resistors", "resistors, by measuring", resistors, True, False))
    if school is not School.ALL:
        for n in range(0, len(later), FEW):
            few = later[n : n + FEW]
            title = f"the next {len(few)}: {', '.join(p.ref for p in few)}"
            found.append(Batch(f"few{n // FEW + 1}", title, few, False, True))
    return tuple(b for b in found if b.parts)
