"""Fixtures that several rooms' tests share: an aligned set among its SCPI instruments."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from builders import aligned, tidewater_facts
from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import InstrumentServer, serve, stop


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest first: what two workers end with is then short."""
    items.sort(key=lambda item: "test_the_demo_moved_to_a_day" not in item.nodeid)


@pytest.fixture
def room() -> SimulatedRoom:
    """A room with an aligned set on the table."""
    return SimulatedRoom(aligned(tidewater_facts()))


@pytest.fixture
def servers(room: SimulatedRoom) -> Iterator[dict[str, InstrumentServer]]:
    """Its instruments on free ports."""
    started = serve(instruments(room), 0)
    yield started
    stop(started)
