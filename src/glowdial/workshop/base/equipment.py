"""What the registered instruments can do, as the advice wants it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.bench.equipment import Equipment, generator_limits, meter_limits
from glowdial.store.tables import InstrumentRow


def equipment_of(session: Session) -> Equipment:
    """The newest generator and every multimeter of the register, with their limits."""
    rows = list(session.scalars(select(InstrumentRow).order_by(InstrumentRow.id.desc())))
    generator = next((r for r in rows if r.kind == "generator"), None)
    meters = [meter_limits(r.name, r.limits) for r in rows if r.kind == "multimeter"]
    return Equipment(
        generator_limits(generator.name, generator.limits) if generator else None,
        meters[0] if meters else None,
        tuple(meters[1:]),
    )
