"""Stations of known frequency, as people list them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from glowdial.core.language.comma_rows import comma_rows
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import FREQUENCY, Quantity, khz, parse

WEIGHT = Quantity("weight", "", "", 0.0, 1e6, "1", "must be a weight of 0 to a million")
EXAMPLE = "1610 Harbour, north quay, 3"
FEWEST, MOST = 2, 4
MOST_STATIONS = 400


@dataclass(frozen=True, slots=True)
class Station:
    """A station that is wanted: where, its name and place, and how much it is wanted."""

    frequency_hz: float
    name: str
    place: str = ""
    weight: float = 1.0


def read_stations(text: str) -> list[Station]:
    """Stations as CSV, one a line: frequency, name, place, weight; the last two may be left out. A
    bare frequency is in kHz; a heading is passed over, and where it names more columns, those too.
    Raises BadInput with the line."""
    found = []
    most = MOST
    rows = comma_rows(text.replace(";", "\n"), "stations", EXAMPLE)
    for number, row in enumerate(rows, start=1):
        cells = row
        if cells and number == 1 and cells[0].lower().startswith("freq"):
            most = max(MOST, len(cells))
            continue
        if not cells:
            continue
        # a frequency and a name may stand apart by a blank alone
        first, _, rest = cells[0].partition(" ")
        if rest and not rest[:1].isdigit() and rest.split()[0].lower() not in ("khz", "mhz", "hz"):
            cells = [first, rest, *cells[1:]]
        if not FEWEST <= len(cells) <= most:
            raise BadInput(
                f"stations, line {number}",
                ",".join(row),
                "is frequency, name, place, weight",
                EXAMPLE,
            )
        hz = parse(cells[0], FREQUENCY, f"stations, line {number}")
        weight = (
            parse(cells[3], WEIGHT, f"stations, line {number}, weight")
            if len(cells) >= MOST and cells[3]
            else 1.0
        )
        found.append(Station(hz, cells[1], cells[2] if len(cells) > FEWEST else "", weight))
    if len(found) > MOST_STATIONS:
        raise BadInput("stations", f"{len(found)} lines", f"are over {MOST_STATIONS}", EXAMPLE)
    if not found:
        raise BadInput("stations", text[:40], "hold no station", EXAMPLE)
    return found


def coming_in(stations: Sequence[Station], stops_hz: tuple[float, float]) -> tuple[Station, ...]:
    """Those between a band's stops."""
    low, high = stops_hz
    return tuple(s for s in stations if low <= s.frequency_hz <= high)


def named(stations: Iterable[Station]) -> str:
    """Stations in words; "nothing" for none."""
    return ", ".join(f"{s.name} {khz(s.frequency_hz)}" for s in stations) or "nothing"


def gained_and_lost(
    stations: Sequence[Station], before_hz: tuple[float, float], after_hz: tuple[float, float]
) -> tuple[tuple[Station, ...], tuple[Station, ...]]:
    """What a move of a band's stops brings in, and what it loses."""
    had, has = coming_in(stations, before_hz), coming_in(stations, after_hz)
    return tuple(s for s in has if s not in had), tuple(s for s in had if s not in has)
