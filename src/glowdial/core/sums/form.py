"""What a sum asks for and what it answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from glowdial.core.journey.entry import Entry, read_entry
from glowdial.core.journey.pictures import SupplyPicture
from glowdial.core.journey.steps import Ask, Field, Plot
from glowdial.core.language.errors import BadInput
from glowdial.core.language.quantities import Quantity, parse
from glowdial.core.stages.parts.substitutes import StockItem

# on which side of the signal a receiver's oscillator stands
ABOVE, BELOW = "above the signal", "below the signal"


@dataclass(frozen=True, slots=True)
class SumLine:
    """One figure of an answer: what it is, its value in people's units, and a verdict's word where
    there is one."""

    label: str
    text: str
    verdict: str = ""


@dataclass(frozen=True, slots=True)
class SumAnswer:
    """What came out: the sentence that goes into a log, figures, and what is to be seen, with a
    second plot ``beside`` the first where there is one."""

    sentence: str
    lines: tuple[SumLine, ...] = ()
    picture: SupplyPicture | None = None
    plot: Plot | None = None
    beside: Plot | None = None


Work = Callable[[Entry, Sequence[StockItem]], SumAnswer]


@dataclass(frozen=True, slots=True)
class SumForm:
    """One sum: its stage on the scale, what it is for, its fields with an example each (by name),
    and how it is worked. ``stock`` is what the bench has, for those that choose from it."""

    key: str
    stage: str
    title: str
    purpose: str
    fields: tuple[Field, ...]
    examples: Mapping[str, str]
    work: Work

    def answer(self, typed: Mapping[str, str], stock: Sequence[StockItem] = ()) -> SumAnswer:
        """The answer to what was typed; raises BadInput for what is not understood or cannot be."""
        ask = Ask(self.key, self.title, self.fields, "")
        return self.work(read_entry(ask, None, typed), stock)


def rows_of(
    text: str, columns: tuple[tuple[str, Quantity], ...], example: str
) -> list[list[float]]:
    """A table as typed, one row a line or set apart by semicolons, values with spaces between.

    Raises BadInput for a row with more or fewer values, and for what is not understood.
    """
    rows: list[list[float]] = []
    for line in text.replace(";", "\n").splitlines():
        words = line.split()
        if not words:
            continue
        if len(words) != len(columns):
            wanted = ", ".join(name for name, _ in columns)
            raise BadInput("row", line.strip(), f"must hold {wanted}", example)
        pairs = zip(words, columns, strict=True)
        rows.append([parse(word, quantity, name) for word, (name, quantity) in pairs])
    if not rows:
        raise BadInput("rows", text, "hold nothing", example)
    return rows
