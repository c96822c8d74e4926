"""A simulated set for anyone who wants to try the way on their own sheet."""

from __future__ import annotations

from dataclasses import replace

from glowdial.sim.condition import Condition, neglected, read_condition
from glowdial.sim.state import BenchState
from glowdial.store.records import get_bench
from glowdial.workshop.base.sheets import facts_of, get_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob


def condition_for(
    workshop: Workshop, sheet_id: int, seed: int | None, document: str = ""
) -> Condition | None:
    """A condition of the sheet's model: as its document says, or neglected by the seed, or None.

    Raises BadInput for a document that is no condition of this model.
    """
    if seed is None and not document.strip():
        return None
    with workshop.database.reading() as session:
        facts = facts_of(get_sheet(session, sheet_id).document)
    if document.strip():
        return read_condition(document, facts)
    return neglected(facts, seed or 0)


def turn_in_simulation(opened: OpenedJob, adjuster: str, turns: float) -> None:
    """An adjuster of a simulated set turned by hand; nothing where the set is a real one."""
    bench = get_bench(opened.session, opened.job.id)
    if bench is None:
        return
    state = BenchState.from_document(bench.state)
    moved = {**state.turns, adjuster: round(state.turns.get(adjuster, 0.0) + turns, 6)}
    bench.state = replace(state, turns=moved).as_document()
