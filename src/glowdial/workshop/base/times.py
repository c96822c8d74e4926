"""Times as they leave: with their zone. Inside they are the bench's own clock."""

from __future__ import annotations

from datetime import datetime


def with_zone(moment: datetime) -> str:
    """A moment of the bench's clock with the zone that it was in."""
    return moment.astimezone().isoformat()


def text_with_zone(moment: str) -> str:
    """The same for one that is written down; "" stays so."""
    return with_zone(datetime.fromisoformat(moment)) if moment else ""
