"""The way from the generator to the set as this job has it: cable, pads, matching, with the loss of
each. It is taken off every level, and its doubt goes into every figure."""

from __future__ import annotations

import numpy as np

from glowdial.core.alignment.trace_table import read_transmission
from glowdial.core.journey.record import Answer, JobRecord
from glowdial.core.journey.room import Entering, Situation
from glowdial.core.journey.signal_in import through_words
from glowdial.core.journey.steps import Ask, Field, Status, Step
from glowdial.core.language.comma_rows import comma_rows
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import DECIBELS, LEVEL, LEVEL_OVER, engineering, khz, parse
from glowdial.core.physics.level_path import (
    UNKNOWN_DOUBT_DB,
    UNKNOWN_LOSS_DB,
    LevelPath,
    PathPart,
    mismatch_part,
    together,
)

PATH_STEP = "proof.path"
PARTS, NETWORK, MISMATCH, LEAK = "parts", "network", "mismatch", "leak"
TABLE = "table"
EXAMPLE = "cable RG-1, 0.4, 0.1"
UNKNOWN = "?"
MOST_PARTS = 20
# a network analyser's transmission, and beyond the ends of its sweep
SWEPT_DOUBT_DB, BEYOND_DOUBT_DB = 0.1, 3.0


def level_path(
    record: JobRecord, frequency_hz: float, reading: Answer | None = None
) -> LevelPath | None:
    """The parts at a frequency, as they were noted when a reading was taken, or as they stand now;
    None where nothing was. What is noted later does not change what was read before."""
    noted = [a for a in record.taken_in(PATH_STEP) if reading is None or a.seq < reading.seq]
    last = {a.question: a for a in noted}
    parts: list[PathPart] = []
    listed = last.get(PARTS)
    if listed is not None:
        parts += read_parts(listed.texts[TABLE])
    swept = last.get(NETWORK)
    if swept is not None:
        parts.append(_swept_part(swept.texts[TABLE], frequency_hz))
    ends = last.get(MISMATCH)
    if ends is not None:
        parts.append(mismatch_part(ends.values["source"], ends.values["load"]))
    leak = last.get(LEAK)
    return together(parts, leak.values["level"] if leak else 0.0)


def read_parts(text: str) -> list[PathPart]:
    """Parts as CSV, one a line: name, loss in dB, and what it may be off; a ``?`` for a loss that
    nobody knows. Raises BadInput with the line."""
    found = []
    for number, cells in enumerate(comma_rows(text, "parts", EXAMPLE), start=1):
        if not cells:
            continue
        where = f"parts, line {number}"
        if not 2 <= len(cells) <= 3 or not cells[0]:
            raise BadInput(where, ",".join(cells)[:60], "is name, loss, doubt", EXAMPLE)
        if cells[1] == UNKNOWN:
            found.append(PathPart(cells[0], UNKNOWN_LOSS_DB, UNKNOWN_DOUBT_DB))
            continue
        loss = parse(cells[1], LEVEL_OVER, where)
        doubt = parse(cells[2], DECIBELS, where) if len(cells) == 3 else 0.0
        found.append(PathPart(cells[0], loss, doubt))
    if not 0 < len(found) <= MOST_PARTS:
        raise BadInput("parts", f"{len(found)} lines", f"must be 1 to {MOST_PARTS}", EXAMPLE)
    return found


def _swept_part(text: str, frequency_hz: float) -> PathPart:
    """A network's loss where it is used, from its transmission."""
    at, transmission_db = read_transmission(text)
    inside = at[0] <= frequency_hz <= at[-1]
    return PathPart(
        "network",
        -float(np.interp(frequency_hz, at, transmission_db)),
        SWEPT_DOUBT_DB if inside else BEYOND_DOUBT_DB,
    )


def check_path(step: str, ask: Ask, kept: Entering) -> None:
    """Raises BadInput for parts or a network that are not understood."""
    if step != PATH_STEP:
        return
    if ask.key == PARTS:
        read_parts(kept.texts[TABLE])
    elif ask.key == NETWORK:
        read_transmission(kept.texts[TABLE])


def path_words(path: LevelPath | None) -> str:
    """Each part with its loss, and all of them; nothing for no path."""
    if path is None:
        return ""
    parts = ", ".join(f"{p.name} {p.loss_db:.1f} dB" for p in path.parts if p.loss_db)
    leak = f", {engineering(path.leak_v, 'V')} past it" if path.leak_v else ""
    return f"{parts or 'no loss'}: {path.loss_db:.1f} dB ± {path.doubt_db:.1f}{leak}"


def path_steps(situation: Situation) -> list[Step]:
    """Where the way to the set is noted, once the set may have power. Nobody has to."""
    if not any(s.opens_power and s.status.finished for s in situation.before):
        return []
    facts, record = situation.facts, situation.record
    mark = facts.bands[0].high_mark_hz
    path = level_path(record, mark)
    notes: tuple[str, ...] = ()
    if path is not None:
        notes = (f"At {khz(mark)}: {path_words(path)}; then {through_words(facts)}.",)
    return [
        Step(
            PATH_STEP,
            "proof",
            "What stands between generator and set",
            "Cable, pads and matching lose level. What is noted here is taken off every level that "
            "is read from then on, and its doubt goes into every figure. A transformer whose loss "
            "nobody knows is a doubt, not nothing: work at the impedance whose loss is known, or "
            "match to the set and say so.",
            status=Status.DONE,
            notes=notes,
            others=(_parts_ask(), _network_ask(), _mismatch_ask(), _leak_ask()),
        )
    ]


def _parts_ask() -> Ask:
    return Ask(
        PARTS,
        "Parts from the generator on, one a line: name, loss in dB, what it may be off in dB; a "
        "question mark for a loss that nobody knows. The dummy aerial is not one of them.",
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
