"""What was typed for a question: read, echoed, and doubted once when far from the expectation."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass

from glowdial.core.journey.slips import doubts_of
from glowdial.core.journey.steps import COUNTER_MARK, Ask, Field, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import Quantity, echo, parse, split_values
from glowdial.core.safety.signs import Heard, heard_in

LONGEST_TEXT, LONGEST_TABLE = 4000, 400_000
# a value that was not read
BLANKS = ("-", "\u2013", "\u2014", "?")
# 0.82-0.95, 0.82..0.95: from where to where a needle swung; the minus of a power of ten is none
# lo 1855.4, osc=1855.4, 1855.4 kHz lo: what a counter on the oscillator reads
_COUNTER = r"\b(?:lo|osc|oscillator|counter|counted)\b"
COUNTED = re.compile(rf"{_COUNTER}\s*[=:]?\s*(?=[\d.])", re.IGNORECASE)
COUNTED_BEHIND = re.compile(rf"([\d.,]+\s*(?:[kM]Hz)?)\s*{_COUNTER}", re.IGNORECASE)
SWUNG = re.compile(r"^(\S*[^\s.eE])(?:\.\.\.?|[-\u2013])([\d.,]\S*)$")


@dataclass(frozen=True, slots=True)
class Entry:
    """Values in SI, texts as written, the echo of what was understood, doubts to confirm, and what
    was typed for each field."""

    values: dict[str, float]
    texts: dict[str, str]
    echo: str
    doubts: tuple[str, ...]
    typed: dict[str, str]


def hears(step: Step, ask: Ask) -> bool:
    """Whether signs of danger are heard in what is typed here: wherever the set has power, and
    wherever values are read. An owner's words about smoke are a complaint."""
    return step.powered or any(f.quantity is not None for f in ask.fields)


def heard(step: Step, ask: Ask, line: str | None, fields: Mapping[str, str]) -> Heard:
    """The signs of danger in a typed line, or in what was chosen as seen."""
    if not hears(step, ask):
        return Heard((), line or "")
    if line is not None:
        return heard_in(line)
    seen = [fields.get(f.name, "") for f in ask.fields if f.options]
    return Heard(heard_in(" ".join(seen)).signs, "")


def read_entry(
    ask: Ask, line: str | None, fields: Mapping[str, str], points: tuple[float, ...] = ()
) -> Entry:
    """Read one typed line (values with spaces between) or named fields; ``points`` are the others
    of its step, for what may be a neighbour's reading.

    Raises BadInput naming the field, what is expected and an example.
    """
    unknown = set(fields) - {f.name for f in ask.fields}
    if unknown:
        raise BadInput(
            "fields",
            ", ".join(sorted(unknown)),
            "is not asked for here",
            ", ".join(f.name for f in ask.fields),
        )
    given = dict(fields)
    if line is not None:
        if any(f.oscillator_offset_hz for f in ask.fields):
            line = _marked(line)
        label = ", ".join(f.label for f in ask.fields if f.required)
        least = sum(f.required for f in ask.fields)
        choices = tuple(o.lower() for f in ask.fields for o in f.options)
        parts = split_values(
            line,
            len(ask.fields),
            label,
            ask.example,
            least=least,
            apart=choices,
            words_last=ask.fields[-1].free if ask.fields else False,
        )
        given = {f.name: part for f, part in zip(ask.fields, parts, strict=False)}
    counted = {f.name for f in ask.fields if f.oscillator_offset_hz}
    given = {name: _marked(raw) if name in counted else raw for name, raw in given.items()}
    values: dict[str, float] = {}
    texts: dict[str, str] = {}
    for field in ask.fields:
        raw = given.get(field.name, "").strip()
        if ask.blanks and raw in BLANKS:
            continue
        if (not raw or raw in BLANKS) and not field.required:
            if field.quantity is None:
                texts[field.name] = ""
            continue
        if field.quantity is not None:
            values.update(_read_values(field, field.quantity, raw))
        elif field.options:
            texts[field.name] = _choice(field, raw)
        else:
            texts[field.name] = _text(field, raw, ask.example)
    if ask.blanks and not values:
        raise BadInput(ask.fields[0].label, line or "", "holds no value at all", ask.example)
    shown = [
        echo(values[f.name], f.quantity) for f in ask.fields if f.quantity and f.name in values
    ]
    shown += [texts[f.name] for f in ask.fields if f.options and texts[f.name]]
    return Entry(values, texts, ", ".join(shown), doubts_of(ask, values, given, points), given)


def _marked(text: str) -> str:
    """What a counter read, behind its mark."""
    return COUNTED_BEHIND.sub(rf"{COUNTER_MARK}\1", COUNTED.sub(COUNTER_MARK, text))


def _read_values(field: Field, quantity: Quantity, raw: str) -> dict[str, float]:
    """A value; of a needle that swung the middle in dB, and its two ends."""
    if raw.startswith(COUNTER_MARK) and field.oscillator_offset_hz:
        counted = parse(raw.removeprefix(COUNTER_MARK), quantity, f"{field.label}, oscillator")
        return {field.name: counted - field.oscillator_offset_hz, counted_as(field.name): counted}
    ends = SWUNG.match(raw) if field.swings else None
    if ends is None:
        return {field.name: parse(raw, quantity, field.label)}
    low, high = (parse(end, quantity, field.label) for end in ends.groups())
    if not 0.0 < low <= high:
        raise BadInput(
            field.label, raw, "must be the lower end first, both above zero", "0.82-0.95"
        )
    name = field.name
    return {name: math.sqrt(low * high), low_end(name): low, high_end(name): high}


def counted_as(name: str) -> str:
    """What the oscillator's own frequency is kept as, where a counter read it."""
    return f"{name}_counted"


def low_end(name: str) -> str:
    """What the lower end of a value that swung is kept as."""
    return f"{name}_low"


def high_end(name: str) -> str:
    """What the upper end of a value that swung is kept as."""
    return f"{name}_high"


def _choice(field: Field, raw: str) -> str:
    matches = [o for o in field.options if raw and o.lower().startswith(raw.lower())]
    exact = [o for o in matches if o.lower() == raw.lower()]
    matches = exact or matches
    if len(matches) != 1:
        raise BadInput(
            field.label,
            raw,
            f"must be one of {', '.join(field.options)}, or its first letter",
            field.options[0],
        )
    return matches[0]


def _text(field: Field, raw: str, example: str) -> str:
    if field.required and not raw:
        raise BadInput(field.label, raw, "is empty, and the job needs it", example)
    longest = LONGEST_TABLE if field.table else LONGEST_TEXT
    if len(raw) > longest:
        raise BadInput(field.label, f"{raw[:30]}...", f"is over {longest} characters", example)
    return raw


LEAVE_IT = "leave it"


def check_leaving(step: Step, entry: Entry) -> None:
    """Raises BadInput for leaving something outside without a reason."""
    if step.leave and step.cost and entry.texts.get("decision") == LEAVE_IT:
        raise BadInput(
            "decision",
            LEAVE_IT,
            f"leaves it outside ({step.cost}), so it needs a reason: use 'close with a reason'",
            "align",
        )
