"""What is to be seen at a step, as data: the pages lay it out and draw it.

A supply is nodes along the way of the current, parts between them, and probes where the leads go
now. Texts are as people read them; nothing in here is a place on a page.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Symbol(StrEnum):
    """What a part is drawn as (IEC 60617, as textbooks have it)."""

    MAINS = "mains"
    WINDING = "winding"
    SPLIT_WINDING = "split winding"
    BATTERY = "battery"
    VIBRATOR = "vibrator"
    TUBE_DIODE = "tube diode"
    GAS_DIODE = "gas diode"
    DIODE = "diode"
    RESISTOR = "resistor"
    CHOKE = "choke"
    ELECTROLYTIC = "electrolytic"
    LOAD = "load"
    HEATER = "heater"


class Place(StrEnum):
    """Where in a supply a part stands; a page knows where to draw each."""

    SOURCE = "source"
    RECTIFIER = "rectifier"
    INPUT = "input"
    BEHIND = "behind"
    LEAD = "lead"
    RESERVOIR = "reservoir"
    LOWER_RESERVOIR = "lower reservoir"
    SERIES = "series"
    SHUNT = "shunt"
    LOAD = "load"
    BLEEDER = "bleeder"
    HEATER = "heater"
    DROPPER = "dropper"


@dataclass(frozen=True, slots=True)
class SupplyPart:
    """A part: its key, symbol and place; the node that it stands at, or leads to, counted from 0
    (-1: ahead of all); label and value as printed.

    ``suspicion`` is the probability that it is to blame, 0 where nothing says so, and ``words``
    what is said of it.
    """

    key: str
    symbol: Symbol
    place: Place
    node: int
    label: str
    value: str = ""
    suspicion: float = 0.0
    words: str = ""


@dataclass(frozen=True, slots=True)
class SupplyNode:
    """A node from the reservoir on: what is expected there now, what was read last and what that
    was, in the verdict's words; ``read_at`` under what line, where that is not the one of now."""

    name: str
    expected: str = ""
    read: str = ""
    verdict: str = ""
    words: str = ""
    read_at: str = ""


@dataclass(frozen=True, slots=True)
class Probe:
    """A meter as it is joined now: at a node (-1: across the line), its letter and its words."""

    node: int
    letter: str
    words: str


@dataclass(frozen=True, slots=True)
class SupplyPicture:
    """A supply as it stands at a step; ``series`` tells that the heaters hang in a string."""

    topology: str
    rail: str
    parts: tuple[SupplyPart, ...]
    nodes: tuple[SupplyNode, ...]
    probes: tuple[Probe, ...] = ()
    series: bool = False


@dataclass(frozen=True, slots=True)
class TableCell:
    """One value of a table: its column, the question that asks for it, the label of its result,
    what is expected, and what was read with its verdict; texts are empty where there is nothing."""

    column: str
    ask: str
    label: str
    expected: str
    read: str = ""
    verdict: str = ""
    words: str = ""


@dataclass(frozen=True, slots=True)
class TableRow:
    """A row of readings: the question that takes it as a line, its name and what it does."""

    ask: str
    label: str
    does: str
    cells: tuple[TableCell, ...]


@dataclass(frozen=True, slots=True)
class ReadingTable:
    """Many values that are read one after the other, as tubes by electrodes."""

    columns: tuple[str, ...]
    rows: tuple[TableRow, ...]


@dataclass(frozen=True, slots=True)
class ScaleReading:
    """How far a mark was off when it was read: in tolerances, positive where stations stand too low
    on the scale; the error and what was done before it, in words; the verdict."""

    off: float
    text: str
    words: str
    verdict: str


@dataclass(frozen=True, slots=True)
class ScaleMark:
    """A mark: where it stands along the scale, 0 to 1, what is printed there, what it may be off,
    whether the pointer stands on it now, and its readings in order."""

    place: float
    label: str
    tolerance: str
    lit: bool = False
    readings: tuple[ScaleReading, ...] = ()


@dataclass(frozen=True, slots=True)
class ScalePicture:
    """A band's scale with the marks that are read on it, by rising frequency."""

    band: str
    low: str
    high: str
    marks: tuple[ScaleMark, ...]
