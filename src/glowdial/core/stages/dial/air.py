"""The test on the air: known stations over all bands, where the dial says they are and how they are
heard. The receiver is used as its owner will use it."""

from __future__ import annotations

from dataclasses import dataclass

from glowdial.core.journey.dial_marks import frequency_quantity
from glowdial.core.journey.readings import asked_at
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.steps import Ask, Field, Result, Status, Step, result
from glowdial.core.language.quantities import khz
from glowdial.core.language.verdicts import symmetric
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.stations import EXAMPLE, Station, read_stations
from glowdial.core.stages.dial.stage import STAGE

AIR, STATIONS, STATION = "dial.air", "stations", "station"
GOOD, WEAK, NOT_HEARD = "good", "weak", "not heard"


@dataclass(frozen=True, slots=True)
class HeardStation:
    """A station of the list, where the dial said it in Hz, and how it was heard; None and "" before
    it was tried."""

    station: Station
    dial_hz: float | None = None
    heard: str = ""


@dataclass(frozen=True, slots=True)
class OnScale:
    """A station on a band that has it."""

    station: Station
    band: BandFacts


def air_test(facts: ReceiverFacts, record: JobRecord) -> Step:
    """Known stations from a list, each where the dial says it; nobody has to take it."""
    listed = record.latest(AIR, STATIONS)
    known = on_scales(facts, read_stations(listed.texts["stations"])) if listed else []
    asks = [_station_ask(one) for one in known]
    heard = [(one, record.latest(AIR, ask.name)) for one, ask in zip(known, asks, strict=True)]
    others = [ask for ask, (_, a) in zip(asks, heard, strict=True) if a is None]
    return Step(
        AIR,
        STAGE,
        "On the air: known stations over the bands (where somebody wants it)",
        "A set is proved where it will be used: with its aerial, on stations that are known.",
        status=Status.DONE,
        powered=True,
        others=(*others, _list_ask()),
        results=tuple(_result(one, a) for one, a in heard if a is not None),
        notes=_words(known, heard),
    )


def stations_heard(record: JobRecord) -> list[HeardStation]:
    """Every station of the list, on a band of this set or not, with what was heard of it."""
    listed = record.latest(AIR, STATIONS)
    tried = {a.asked_at("true_hz"): a for a in record.of_step(AIR) if a.ask == STATION}
    found = []
    for station in read_stations(listed.texts["stations"]) if listed else []:
        answer = tried.get(station.frequency_hz)
        found.append(
            HeardStation(station, answer.values["dial"], answer.texts["heard"])
            if answer is not None
            else HeardStation(station)
        )
    return found


def _list_ask() -> Ask:
    return Ask(
        STATIONS,
        "Known stations as CSV, one a line: frequency, name, place, weight.",
        (Field("stations", "stations as CSV", multiline=True, table=True),),
        EXAMPLE,
        called="stations from a list",
    )


def on_scales(facts: ReceiverFacts, stations: list[Station]) -> list[OnScale]:
    """The stations that the set has a band for, each on the first that holds it, once."""
    found: dict[float, OnScale] = {}
    for station in stations:
        hz = station.frequency_hz
        band = next((b for b in facts.bands if b.low_hz <= hz <= b.high_hz), None)
        if band is not None:
            found.setdefault(hz, OnScale(station, band))
    return list(found.values())


def _station_ask(one: OnScale) -> Ask:
    hz = one.station.frequency_hz
    place = f", {one.station.place}" if one.station.place else ""
    said_hz = one.band.pointer_hz(hz)
    return asked_at(
        Ask(
            STATION,
            f"{one.band.name}: {one.station.name}{place}, {khz(hz)}: what does the dial say, and "
            "how is it heard?",
            (
                Field("dial", "dial says", frequency_quantity(said_hz), nominal=said_hz),
                Field("heard", "heard", options=(GOOD, WEAK, NOT_HEARD)),
            ),
            f"{khz(said_hz).split()[0]} {GOOD}",
            called=f"{one.station.name} {khz(hz)}",
        ),
        true_hz=hz,
    )


def _result(one: OnScale, answer: Answer) -> Result:
    """Where the dial said it, against the band's tolerance; what is not heard says nothing."""
    hz, said_hz = one.station.frequency_hz, answer.values["dial"]
    dial = one.band.at_pointer_hz(said_hz)
    heard, tolerance = answer.texts["heard"], one.band.tolerance_hz(hz)
    return result(
        answer,
        f"{one.station.name} {khz(hz)}",
        f"{heard}, {khz(said_hz)} on the dial ({(hz - dial) / 1e3:+.1f} kHz)"
        if heard != NOT_HEARD
        else heard,
        dial,
        symmetric(hz, tolerance) if heard != NOT_HEARD else None,
        (khz(hz - tolerance), khz(hz + tolerance)),
        as_found=True,
    )


def _words(known: list[OnScale], heard: list[tuple[OnScale, Answer | None]]) -> tuple[str, ...]:
    if not known:
        return ()
    done = [a.texts["heard"] for _, a in heard if a is not None]
    missing = [one.station.name for one, a in heard if a and a.texts["heard"] == NOT_HEARD]
    lost = f" Not heard: {', '.join(missing)}." if missing else ""
    return (f"{len(done)} of {len(known)} stations tried, {done.count(GOOD)} good.{lost}",)
