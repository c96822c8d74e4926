"""Tables as CSV: one way to write them, harmless in a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence

# a cell that begins so is taken for a formula
FORMULA = ("=", "+", "-", "@", "\t", "\r")


def as_csv(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A table with its head. Texts that a spreadsheet would take for a formula get an apostrophe
    before them; numbers stay numbers."""
    page = io.StringIO()
    writer = csv.writer(page)
    writer.writerow(head)
    writer.writerows([cell(value) for value in row] for row in rows)
    return page.getvalue()


def cell(value: object) -> object:
    """A value as its cell."""
    if isinstance(value, str) and value.startswith(FORMULA) and not _is_number(value):
        return f"'{value}"
    return value


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return text.strip() == text
