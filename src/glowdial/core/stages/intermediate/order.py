"""The order in which an IF's cores are peaked: by the maker's table, else by the circuit, or as a
person wants it, with a warning where that breaks what holds.
"""

from __future__ import annotations

import itertools
import re

from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.record import JobRecord
from glowdial.core.journey.steps import Ask, Field
from glowdial.core.language.errors import BadInput
from glowdial.core.model.chassis import Reach
from glowdial.core.model.facts import IfTransformer, ReceiverFacts
from glowdial.core.stages.intermediate.adjusters import standing

ORDER = "order"
# a pair this loose is peaked without a damper: each winding hardly feels the other
LOOSE = 0.6
# a damper of twelve times a winding's reactance, within what benches have
DAMPER_FACTOR, DAMPERS_OHM = 12.0, (10e3, 12e3, 15e3, 18e3, 22e3, 27e3, 33e3, 39e3, 47e3)


def by_sheet(facts: ReceiverFacts) -> tuple[str, ...]:
    """IF cores in the order of the alignment table; those it leaves out follow by the circuit:
    last can first, in a can secondary before primary, a far core before the near one."""
    mine = set(facts.if_adjusters())
    tabled = [k for row in facts.alignment for k in row.adjusters if k in mine]
    circuit = [key for can in reversed(facts.transformers) for key in _in_can(facts, can)]
    return tuple(dict.fromkeys((*tabled, *circuit)))


def _in_can(facts: ReceiverFacts, can: IfTransformer) -> list[str]:
    far = {p.what for p in (facts.layout.placed if facts.layout else ()) if p.reach is Reach.FAR}
    cores = can.cores[::-1]
    return [*(k for k in cores if k in far), *(k for k in cores if k not in far)]


def order_of(facts: ReceiverFacts, record: JobRecord) -> tuple[str, ...]:
    """The order as it is worked: as a person wants it, where one said so."""
    planned = by_sheet(facts)
    said = [a for a in record.asked(ORDER) if a.texts.get(ORDER)]
    return reordered(planned, said[-1].texts[ORDER]) if said else planned


def reordered(planned: tuple[str, ...], text: str) -> tuple[str, ...]:
    """The order as it was typed, by the plan's numbers; raises BadInput unless each stands once."""
    numbers = re.findall(r"\d+", text)
    wanted = [int(n) for n in numbers]
    if sorted(wanted) != list(range(1, len(planned) + 1)):
        raise BadInput(
            "order",
            text,
            f"must name each of 1 to {len(planned)} once",
            " ".join(str(n) for n in range(len(planned), 0, -1)),
        )
    return tuple(planned[n - 1] for n in wanted)


def order_ask(planned: tuple[str, ...]) -> Ask:
    """Another order, by the numbers of the table."""
    return Ask(
        ORDER,
        "In another order: the numbers of the table as they are to be taken.",
        (Field(ORDER, "order"),),
        " ".join(str(n) for n in range(1, len(planned) + 1)),
        called="another order",
    )


def warnings(facts: ReceiverFacts, order: tuple[str, ...]) -> tuple[str, ...]:
    """What an order breaks: a far core reached through a near one, the last can not first."""
    found: list[str] = []
    name = {a.key: a.name for a in facts.adjusters}
    for can in facts.transformers:
        taken = [k for k in order if k in can.cores]
        placed = {p.what: p.reach for p in (facts.layout.placed if facts.layout else ())}
        for before, after in itertools.combinations(taken, 2):
            if placed.get(before) is Reach.NEAR and placed.get(after) is Reach.FAR:
                found.append(
                    f"The {name[after]} is reached through the {name[before]}: after it, the tool "
                    "shifts what was peaked."
                )
    tabled = any(k in facts.if_adjusters() for row in facts.alignment for k in row.adjusters)
    cans = [facts.can_of(k) for k in order]
    first = next((c for c in cans if c is not None), None)
    if not tabled and first is not None and first is not facts.transformers[-1]:
        found.append(
            f"{facts.transformers[-1].name} is usually first: what follows a can loads it, and a "
            "scrambled set passes nothing until the last one does."
        )
    return tuple(found)


def damped_with(facts: ReceiverFacts, adjuster: str) -> tuple[str, ...]:
    """The windings of its can that are damped while it is peaked: all others, unless the coupling
    is known to be loose."""
    can = facts.can_of(adjuster)
    if can is None or can.coupling_of_critical <= LOOSE:
        return ()
    return tuple(key for key in can.cores if key != adjuster)


def damper_ohm(facts: ReceiverFacts, can: IfTransformer) -> float:
    """A resistor that brings a winding's Q to about twelve (parallel resistance R = Q X)."""
    reactance = 1.0 / (6.283185307 * facts.intermediate_frequency_hz * can.capacitance_f)
    return min(DAMPERS_OHM, key=lambda r: abs(r - DAMPER_FACTOR * reactance))


def plan_table(facts: ReceiverFacts, record: JobRecord, order: tuple[str, ...]) -> ReadingTable:
    """The plan: every core in its order with its tool and place, how it stands, and what is damped
    meanwhile."""
    rows = []
    planned = by_sheet(facts)
    name = {a.key: a.name for a in facts.adjusters}
    for key in order:
        adjuster, now = facts.adjuster(key), standing(facts, record, key)
        damped = ", ".join(name[k] for k in damped_with(facts, key)) or "nothing"
        turned = record.turns_of(key)
        cells = (
            TableCell("it is", "", "", "", now.movement.value),
            TableCell("damped meanwhile", "", "", "", damped),
            TableCell("turned so far", "", "", "", f"{turned:+.3g}" if turned else "as found"),
        )
        does = ", ".join(t for t in (adjuster.where, adjuster.tool) if t)
        rows.append(TableRow("", f"{planned.index(key) + 1}. {adjuster.name}", does, cells))
    return ReadingTable(("it is", "damped meanwhile", "turned so far"), tuple(rows))
