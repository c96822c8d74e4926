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
from glowdial.core.language.quantities import turns
from glowdial.core.model.chassis import Reach, Side
from glowdial.core.model.facts import IfTransformer, ReceiverFacts
from glowdial.core.stages.intermediate.adjusters import standing
from glowdial.core.stages.intermediate.goal import belongs_hz
from glowdial.core.stages.intermediate.rates import short_rate
from glowdial.core.stages.intermediate.survey import written

ORDER = "order"
PLAN_COLUMNS = ("it is", "set and generator", "damped", "a turn does")
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


POSTURES = {
    Side.TOP: "standing",
    Side.UNDERSIDE: "on its end",
    Side.REAR: "from the rear",
    Side.PHOTO: "as on the photo",
}


def posture(facts: ReceiverFacts, adjuster: str) -> str:
    """How the set lies for a core, by where the chassis has it; empty where nothing says."""
    placed = facts.layout.placed if facts.layout else ()
    return next((POSTURES[p.side] for p in placed if p.what == adjuster), "")


def turnings(facts: ReceiverFacts, order: tuple[str, ...]) -> int:
    """How often the set is laid over on the way, switched off each time."""
    known = [p for p in (posture(facts, key) for key in order) if p]
    return sum(a != b for a, b in itertools.pairwise(known))


def grouped(facts: ReceiverFacts, order: tuple[str, ...]) -> tuple[str, ...]:
    """The same cores with those of one posture together, in their order otherwise; as it is where
    that saves no turning of the set, or breaks what holds."""
    postures = list(dict.fromkeys(posture(facts, key) for key in order))
    together = tuple(k for p in postures for k in order if posture(facts, k) == p)
    fewer = turnings(facts, together) < turnings(facts, order)
    worse = len(warnings(facts, together)) > len(warnings(facts, order))
    return together if fewer and not worse else order


def posture_words(facts: ReceiverFacts, order: tuple[str, ...]) -> tuple[str, ...]:
    """What the order costs of laying the set over, and one that costs less."""
    now, other = turnings(facts, order), grouped(facts, order)
    if other == order:
        return ()
    planned = by_sheet(facts)
    numbers = " ".join(str(planned.index(key) + 1) for key in other)
    times = "once" if turnings(facts, other) == 1 else f"{turnings(facts, other)} times"
    return (
        f"In this order the set is laid over {now} times; in the order {numbers} {times}. Switched "
        "off each time; the leads for the other posture on before. Left on its end, steadied, with "
        "both sides in reach, it need not be turned at all.",
    )


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
    for key in order:
        cells = (
            TableCell("it is", "", "", "", stands_words(facts, record, key)),
            TableCell("set and generator", "", "", "", _setting(facts, record, key)),
            TableCell("damped", "", "", "", _damped_words(facts, key)),
            TableCell("a turn does", "", "", "", short_rate(facts, record, key)),
        )
        number = planned.index(key) + 1
        rows.append(TableRow("", f"{number}. {facts.adjuster(key).name}", "", cells))
    return ReadingTable(PLAN_COLUMNS, tuple(rows))


def stands_words(facts: ReceiverFacts, record: JobRecord, key: str) -> str:
    """How an adjuster moves, and how far it stands from as found."""
    turned = record.turns_of(key)
    moved = f", {turns(turned)}" if turned else ""
    return f"{standing(facts, record, key).movement.value}{moved}"


def _damped_words(facts: ReceiverFacts, key: str) -> str:
    return {0: "nothing", 1: "the other of its can"}.get(
        len(damped_with(facts, key)), "both others of its can"
    )


def _setting(facts: ReceiverFacts, record: JobRecord, key: str) -> str:
    """How the set lies, and where the generator stands."""
    at = written(facts, belongs_hz(facts, record, key))
    return ", ".join(w for w in (posture(facts, key), at) if w)
