"""The list of measurements that comes with the application: an open document to be edited."""

from __future__ import annotations

from functools import cache
from importlib import resources

from glowdial.core.tuner.listing import read_list
from glowdial.core.tuner.measurement import MeasurementList

SHIPPED = "fm-measurements.json"


@cache
def shipped_list_text() -> str:
    """The document as it ships, by the methods of IEC 60315-4."""
    return (resources.files("glowdial.sheets") / SHIPPED).read_text("utf-8")


def shipped_list() -> MeasurementList:
    """The same, read."""
    return read_list(shipped_list_text())
