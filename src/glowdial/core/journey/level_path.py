"""The way from the generator to the set as this job has it: cable, pads, matching, with the loss of
each. It is taken off every level, and its doubt goes into every figure."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from glowdial.core.alignment.trace_table import read_transmission
from glowdial.core.journey.path_parts import EXAMPLE, RESISTORS_EXAMPLE, read_parts
from glowdial.core.journey.pictures import ChainWay
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.signal_in import through_words
from glowdial.core.journey.steps import Ask, Field, Status, Step
from glowdial.core.language.quantities import (
    DECIBELS,
    LEVEL,
    PER_CENT_OF_TONE,
    RATIO_OVER_NOISE,
    engineering,
    khz,
)
from glowdial.core.physics.level_path import (
    LeadKind,
    LevelPath,
    PathPart,
    StatedAt,
    mismatch_part,
    together,
)

PATH_STEP = "proof.path"
PARTS, NETWORK, MISMATCH, LEAK = "parts", "network", "mismatch", "leak"
STATED, OWN = "stated", "own"
TABLE = "table"
# a network analyser's transmission, and beyond the ends of its sweep
SWEPT_DOUBT_DB, BEYOND_DOUBT_DB = 0.1, 3.0


def level_path(
    record: JobRecord, frequency_hz: float, reading: Answer | None = None
) -> LevelPath | None:
    """The parts at a frequency, as they were noted when a reading was taken, or as they stand now;
    None where nothing was. What is noted later does not change what was read before."""
    last = _noted(record, reading)
    leak, stated = last.get(LEAK), last.get(STATED)
    return together(
        _parts(last, frequency_hz),
        leak.values["level"] if leak else 0.0,
        StatedAt(stated.texts[STATED]) if stated else StatedAt.SET,
    )


def _noted(record: JobRecord, reading: Answer | None) -> dict[str, Answer]:
    """The last of each that was noted of the way before a reading, or until now."""
    noted = (a for a in record.taken_in(PATH_STEP) if reading is None or a.seq < reading.seq)
    return {a.question: a for a in noted}


def _parts(last: Mapping[str, Answer], frequency_hz: float) -> list[PathPart]:
    """A network is swept from the generator on, so it stands first."""
    parts: list[PathPart] = []
    swept, listed, ends = last.get(NETWORK), last.get(PARTS), last.get(MISMATCH)
    if swept is not None:
        parts.append(_swept_part(swept.texts[TABLE], frequency_hz))
    if listed is not None:
        parts += read_parts(listed.texts[TABLE])
    if ends is not None:
        parts.append(mismatch_part(ends.values["source"], ends.values["load"]))
    return parts


@dataclass(frozen=True, slots=True)
class OwnFigures:
    """What the generator gives by itself: signal to noise of its modulation in dB, and its
    distortion as a share; None for what nobody noted."""

    noise_db: float | None = None
    distortion: float | None = None


def own_figures(record: JobRecord, reading: Answer | None = None) -> OwnFigures:
    """What was noted of the generator before a reading, or until now."""
    noted = _noted(record, reading).get(OWN)
    if noted is None:
        return OwnFigures()
    values = noted.values
    return OwnFigures(values["noise"], values["distortion"] / 100.0)


def _swept_part(text: str, frequency_hz: float) -> PathPart:
    """A network's loss where it is used, from its transmission."""
    at, transmission_db = read_transmission(text)
    inside = at[0] <= frequency_hz <= at[-1]
    return PathPart(
        "network",
        -float(np.interp(frequency_hz, at, transmission_db)),
        SWEPT_DOUBT_DB if inside else BEYOND_DOUBT_DB,
        LeadKind.NETWORK,
    )


def check_path(step: str, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for parts or a network that are not understood, and for parts that do not
    join."""
    if step != PATH_STEP:
        return
    if ask.key == PARTS:
        together(read_parts(kept.texts[TABLE]))
    elif ask.key == NETWORK:
        read_transmission(kept.texts[TABLE])


def path_words(path: LevelPath | None) -> str:
    """Each part with its loss, all of them, and where the level is stated; nothing for no path."""
    if path is None:
        return ""
    parts = ", ".join(_part_words(p) for p in path.parts if p.loss_db)
    leak = f", {engineering(path.leak_v, 'V')} past it" if path.leak_v else ""
    words = f"{parts or 'no loss'}: {path.loss_db:.1f} dB ± {path.doubt_db:.1f}{leak}"
    return ", ".join(w for w in (words, stated_words(path)) if w)


def _part_words(part: PathPart) -> str:
    words = f"{part.name} {part.loss_db:.1f} dB"
    if part.matches and part.from_ohm:
        words += f" ({_ohm(part.from_ohm)} to {_ohm(part.to_ohm)}: {-part.emf_loss_db:+.1f} dB EMF)"
    return words


def _ohm(ohm: float) -> str:
    return f"{ohm:.3g} ohm"


def stated_words(path: LevelPath) -> str:
    """Of which source a level is told; what lies behind it and is a part of what is measured."""
    at = f"stated of {_ohm(path.stated_ohm)}" if path.stated_ohm else ""
    if not path.beyond:
        return at
    rest = " and ".join(p.name for p in path.beyond)
    return f"{at or 'stated before it'}, with {rest} as a part of the set"


def drawn_way(path: LevelPath | None) -> tuple[ChainWay, ...]:
    """The parts as they are drawn, from the generator on."""
    if path is None:
        return ()
    return tuple(
        ChainWay(p.kind, p.name, _short(p), counted=counted)
        for parts, counted in ((path.parts, True), (path.beyond, False))
        for p in parts
        if p.kind is not LeadKind.MISMATCH
    )


def _short(part: PathPart) -> str:
    return (
        f"{part.loss_db:.1f} dB" if part.known else f"{part.loss_db:.0f} ± {part.doubt_db:.0f} dB"
    )


def path_steps(situation: Situation) -> list[Step]:
    """Where the way to the set is noted, once the set may have power. Nobody has to."""
    if not any(s.opens_power and s.status.finished for s in situation.before):
        return []
    facts, record = situation.facts, situation.record
    mark = facts.bands[0].high_mark_hz
    path, own = level_path(record, mark), own_figures(record)
    notes: tuple[str, ...] = ()
    if path is not None:
        notes = (f"At {khz(mark)}: {path_words(path)}; then {through_words(facts)}.",)
    if own.noise_db is not None and own.distortion is not None:
        notes += (
            f"The generator by itself: {own.noise_db:.0f} dB (S+N)/N, {100.0 * own.distortion:.2g} "
            "% distortion. No figure of the set is told to be better.",
        )
    return [
        Step(
            PATH_STEP,
            "proof",
            "What stands between generator and set",
            "Cable, pads and matching lose level. What is noted here is taken off every level that "
            "is read from then on, and its doubt goes into every figure. A transformer whose loss "
            "nobody knows is a doubt, not nothing. Two schools: levels are stated at the impedance "
            "whose loss is known, and the matching is then a part of the set; or at the set's own "
            "impedance, and the matching counts with its doubt.",
            status=Status.DONE,
            notes=notes,
            others=(
                _parts_ask(),
                _network_ask(),
                _stated_ask(),
                _mismatch_ask(),
                _leak_ask(),
                _own_ask(),
            ),
        )
    ]


def _parts_ask() -> Ask:
    return Ask(
        PARTS,
        "Parts from the generator on, one a line: name, loss in dB (a question mark where nobody "
        "knows it), what it may be off in dB, and of matching from which ohm to which, as in "
        "balun, ?, 1, 75 to 300. Or its resistors and their tolerance, as in "
        f"{RESISTORS_EXAMPLE}. The dummy aerial is not one of them.",
        (Field(TABLE, "parts", multiline=True, table=True),),
        EXAMPLE,
        called="its parts",
    )


def _network_ask() -> Ask:
    return Ask(
        NETWORK,
        "The transmission of all or a part of it as a Touchstone file of two ports.",
        (Field(TABLE, "Touchstone file", multiline=True, table=True),),
        "# MHz S DB R 50",
        called="a Touchstone file",
    )


def _stated_ask() -> Ask:
    return Ask(
        STATED,
        "Where levels are stated from here on.",
        (Field(STATED, "stated at", options=tuple(StatedAt)),),
        StatedAt.KNOWN,
        called="where levels are stated",
    )


def _own_ask() -> Ask:
    return Ask(
        OWN,
        "The generator into a detector that is better than it, or by its manual: (S+N)/N of its "
        "modulation in dB, and the distortion of its modulation in %.",
        (
            Field("noise", "its own (S+N)/N", RATIO_OVER_NOISE),
            Field("distortion", "its own distortion", PER_CENT_OF_TONE),
        ),
        "46 1.5",
        called="what the generator gives by itself",
    )


def _leak_ask() -> Ask:
    return Ask(
        LEAK,
        "Unplug the generator's lead at its end, at full level, and listen: what comes in through "
        "its case is as loud as which level through the lead?",
        (Field("level", "as loud as", LEVEL),),
        "0.3",
        called="what its case leaks",
    )


def _mismatch_ask() -> Ask:
    return Ask(
        MISMATCH,
        "Return loss of the generator's end, and of the set's.",
        (
            Field("source", "return loss of the source, dB", DECIBELS),
            Field("load", "return loss of the set, dB", DECIBELS),
        ),
        "20 6",
        called="its mismatch",
    )
