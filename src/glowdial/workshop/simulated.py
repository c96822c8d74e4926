"""A simulated set for anyone who wants to try the way on their own sheet."""

from __future__ import annotations

from glowdial.sim.condition import Condition, neglected, read_condition
from glowdial.workshop.base.sheets import facts_of, get_sheet
from glowdial.workshop.base.workshop import Workshop


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
