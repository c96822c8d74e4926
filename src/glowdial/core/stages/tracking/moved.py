"""A band that its owner wants moved: what each way gains and loses of the stations that are wanted,
and once it is decided, the band as it is to be. Its marks stay where the pointer's are; what is to
come in there is another frequency."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from enum import StrEnum

from glowdial.core.alignment.moved_band import MovedBand, moved_band
from glowdial.core.journey.dial_marks import frequency_quantity, is_fm
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering
from glowdial.core.journey.steps import Ask, Field, Status, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import khz
from glowdial.core.model.facts import BandFacts, ReceiverFacts
from glowdial.core.model.stations import (
    EXAMPLE,
    Station,
    coming_in,
    gained_and_lost,
    named,
    read_stations,
)
from glowdial.core.physics.tracking import TankRole, role_of
from glowdial.core.stages.tracking.stage import STAGE

WANTED, TO, BACK = "wanted", "to", "back"
HIGH, MEANS, SAID = "high", "means", "said"
# of its high stop: so far it is shown before any station is named
SHOWN_SHARES = (0.03, 0.06, 0.10)


class MovedBy(StrEnum):
    """What is turned."""

    HIGH_END = "high end's adjuster"
    BOTH = "both ends' adjusters"


def move_key(band: BandFacts) -> str:
    """The step in which a band's move is thought over, and decided."""
    return f"osc.{band.key}.move"


def as_moved(facts: ReceiverFacts, record: JobRecord) -> ReceiverFacts:
    """The facts with every band where it was decided to go."""
    if not any(_decided(record, b) for b in facts.bands):
        return facts
    return replace(facts, bands=tuple(_moved(facts, record, b) for b in facts.bands))


def _decided(record: JobRecord, band: BandFacts) -> Answer | None:
    """The last word on a band's move; None for none, and where it was taken back."""
    said = [a for a in record.of_step(move_key(band)) if a.ask in (TO, BACK)]
    return said[-1] if said and said[-1].ask == TO else None


def _moved(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> BandFacts:
    decided = _decided(record, band)
    if decided is None:
        return band
    move = _worked_out(facts, band, decided.values[HIGH], MovedBy(decided.texts[MEANS]))

    def to(frequency_hz: float) -> float:
        return round(move.comes_in_hz(band.tracked, frequency_hz), -2)

    return replace(
        band,
        low_hz=to(band.low_hz),
        high_hz=to(band.high_hz),
        high_mark_hz=to(band.high_mark_hz),
        low_mark_hz=to(band.low_mark_hz),
        tracked=move.tracked,
        dial_marks_hz=tuple(to(f) for f in band.dial_marks_hz),
        spreads=(),
        printed=band,
    )


def wanted_stations(record: JobRecord, band: BandFacts) -> list[Station]:
    """The stations that a band's move is thought over for."""
    noted = record.latest(move_key(band), WANTED)
    return read_stations(noted.texts[WANTED]) if noted else []


def _roles(facts: ReceiverFacts, band: BandFacts, means: MovedBy) -> tuple[TankRole, ...]:
    keys = [band.high_adjuster]
    if means is MovedBy.BOTH:
        if band.low_adjuster is None:
            raise BadInput("means", means, "needs an adjuster at the low end", MovedBy.HIGH_END)
        keys.append(band.low_adjuster)
    inductive = band.tracked.inductive
    return tuple(role_of(facts.adjuster(k).kind, inductive=inductive) for k in keys)


def _worked_out(facts: ReceiverFacts, band: BandFacts, high_hz: float, means: MovedBy) -> MovedBand:
    roles = _roles(facts, band, means)
    return moved_band(band.tracked, (band.low_hz, band.high_hz), high_hz, roles)


def check_move(
    facts: ReceiverFacts, record: JobRecord, step: Step, ask: Ask, kept: Entering
) -> None:
    """Raises BadInput for stations that are not understood, for a frequency that the band cannot be
    brought to, and for a move after its dial was read: those readings would be of another scale."""
    if not step.key.endswith(".move") or not step.key.startswith("osc."):
        return
    if ask.key == WANTED:
        read_stations(kept.texts[WANTED])
        return
    band = _as_made(facts.band(step.key.split(".")[1]))
    if record.of_step(f"dial.{band.key}"):
        raise BadInput(
            "move", band.name, "comes too late: its dial was read already", "another visit"
        )
    if ask.key == TO:
        _worked_out(facts, band, kept.values[HIGH], MovedBy(kept.texts[MEANS]))


def _as_made(band: BandFacts) -> BandFacts:
    """The band as its scale shows it."""
    return band if band.printed is None else band.printed


def move_steps(facts: ReceiverFacts, record: JobRecord, band: BandFacts) -> list[Step]:
    """Where a move is thought over, once both ends were read as found. Nobody has to."""
    if band.mode or is_fm(facts):
        return []
    made, decided = _as_made(band), _decided(record, band)
    stations = wanted_stations(record, band)
    others = [_wanted_ask(), _to_ask(made), *([_back_ask()] if decided else [])]
    return [
        Step(
            move_key(band),
            STAGE,
            f"{band.name}: move it to other stations",
            "Only where its owner wants what does not come in now. The pointer's places stay, what "
            "comes in there changes, so the scale no longer says it. Receiving is meant; what may "
            "be listened to is the law of the land.",
            status=Status.DONE,
            notes=_decided_words(facts, made, decided),
            advise=lambda: _move_words(facts, made, stations, decided),
            others=tuple(others),
            decision=decided.texts[MEANS] if decided else "",
        )
    ]


def _wanted_ask() -> Ask:
    return Ask(
        WANTED,
        "Stations that are wanted, as CSV, one a line: frequency, name, place, weight.",
        (Field(WANTED, "stations", multiline=True, table=True),),
        EXAMPLE,
        called="stations that are wanted",
    )


def _to_ask(band: BandFacts) -> Ask:
    return Ask(
        TO,
        f"The highest that is to come in at its high stop ({khz(band.high_hz)} now), what is "
        "turned for it, and what its owner says.",
        (
            Field(HIGH, "highest", frequency_quantity(band.low_mark_hz)),
            Field(MEANS, "by the", options=tuple(MovedBy)),
            Field(SAID, "its owner says"),
        ),
        f"{khz(round(1.06 * band.high_hz, -4)).split()[0]} high yes, for the harbour",
        called="move it",
    )


def _back_ask() -> Ask:
    return Ask(
        BACK,
        "Leave the band where its scale has it, or take the move back.",
        (Field(SAID, "its owner says"),),
        "leave it after all",
        called="leave it where it was",
    )


def _decided_words(
    facts: ReceiverFacts, band: BandFacts, decided: Answer | None
) -> tuple[str, ...]:
    if decided is None:
        return ()
    move = _worked_out(facts, band, decided.values[HIGH], MovedBy(decided.texts[MEANS]))
    return (
        f"Decided: {khz(round(move.low_hz, -3))} to {khz(round(move.high_hz, -3))}, by the "
        f"{decided.texts[MEANS]}. Its owner: {decided.texts[SAID]}.",
    )


def _move_words(
    facts: ReceiverFacts, band: BandFacts, stations: Sequence[Station], decided: Answer | None
) -> tuple[str, ...]:
    words = []
    if decided is not None:
        words.append(_way_words(facts, band, stations, decided.values[HIGH], decided.texts[MEANS]))
        words.append(
            "The rounds take it to its new place, every turn noted, and by the ledger it goes "
            "back. Its correction card is its scale from then on."
        )
        return tuple(words)
    if stations:
        here = len(coming_in(stations, (band.low_hz, band.high_hz)))
        words.append(f"As it is, {here} of {len(stations)} wanted stations come in.")
    for means in MovedBy:
        if means is MovedBy.BOTH and band.low_adjuster is None:
            continue
        for high_hz in _worth_trying(band, stations):
            words.append(_way_words(facts, band, stations, high_hz, means))
    return tuple(w for w in words if w)


def _worth_trying(band: BandFacts, stations: Sequence[Station]) -> list[float]:
    """The high stops to look at: just above the wanted station that is highest, or some shares."""
    highest = max((s.frequency_hz for s in stations), default=0.0)
    if highest > band.high_hz:
        return [round(1.01 * highest, -4)]
    return [round((1.0 + share) * band.high_hz, -4) for share in SHOWN_SHARES]


def _way_words(
    facts: ReceiverFacts,
    band: BandFacts,
    stations: Sequence[Station],
    high_hz: float,
    means: str,
) -> str:
    """One way to move it: both stops, what it gains and loses, what it costs at the low one."""
    try:
        move = _worked_out(facts, band, high_hz, MovedBy(means))
    except BadInput as error:
        return f"By the {means} to {khz(high_hz)}: that {error.expected}."
    names = _turned(facts, band, MovedBy(means))
    factors = ", ".join(
        f"{name} {100.0 * (factor - 1.0):+.0f} %"
        for name, (_, factor) in zip(names, move.factors, strict=True)
    )
    changes = ""
    if stations:
        before, after = (band.low_hz, band.high_hz), (move.low_hz, move.high_hz)
        gained, lost = gained_and_lost(stations, before, after)
        changes = f" Gains {named(gained)}; loses {named(lost)}."
    follow = (
        "the low stop stays"
        if means == MovedBy.BOTH
        else f"the low stop goes along to {khz(round(move.low_hz, -3))}"
    )
    return (
        f"By the {means} to {khz(round(move.high_hz, -3))}: {factors}; {follow}.{changes} The "
        f"aerial circuit is {move.loss_db:.1f} dB down at the low stop."
    )


def _turned(facts: ReceiverFacts, band: BandFacts, means: MovedBy) -> tuple[str, ...]:
    keys = [band.high_adjuster]
    if means is MovedBy.BOTH and band.low_adjuster is not None:
        keys.append(band.low_adjuster)
    return tuple(facts.adjuster(k).name for k in keys)
