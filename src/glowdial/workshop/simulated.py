"""A simulated set for anyone who wants to try the way on their own sheet."""

from __future__ import annotations

from glowdial.sim.condition import Condition, neglected
from glowdial.workshop.house import Workshop
from glowdial.workshop.sheets import facts_of, get_sheet


def condition_for(workshop: Workshop, sheet_id: int, seed: int | None) -> Condition | None:
    """A neglected state of the sheet's model drawn from the seed; None without a seed."""
    if seed is None:
        return None
    with workshop.database.reading() as session:
        return neglected(facts_of(get_sheet(session, sheet_id).document), seed)
