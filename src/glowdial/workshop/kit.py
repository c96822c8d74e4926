"""What the registered instruments can do, as the advice wants it."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.bench_kit import BenchKit, generator_limits, meter_limits
from glowdial.store.tables import InstrumentRow


def kit_of(session: Session) -> BenchKit:
    """The newest generator and multimeter of the register, with their limits."""
    rows = session.scalars(select(InstrumentRow).order_by(InstrumentRow.id))
    newest = {row.kind: row for row in rows}
    generator, meter = newest.get("generator"), newest.get("multimeter")
    return BenchKit(
        generator_limits(generator.name, generator.limits) if generator else None,
        meter_limits(meter.name, meter.limits) if meter else None,
    )
