"""Lists as people keep them: values with commas between, a row a line."""

from __future__ import annotations

import csv
import io

from glowdial.core.language.errors import BadInput

LONGEST_ROWS = 5000


def comma_rows(text: str, what: str, example: str) -> list[list[str]]:
    """The rows of a list, cells without blanks around them; empty lines are rows without cells.

    Raises BadInput with the line where it cannot be read, and for more than 5,000 rows.
    """
    rows: list[list[str]] = []
    reader = csv.reader(io.StringIO(text), skipinitialspace=True)
    try:
        for row in reader:
            rows.append([cell.strip() for cell in row])
            if len(rows) > LONGEST_ROWS:
                raise BadInput(what, f"over {LONGEST_ROWS} lines", "is too long", example)
    except csv.Error as error:
        place = f"{what}, line {len(rows) + 1}"
        raise BadInput(place, text[:30], f"cannot be read ({error})", example) from error
    return [row if any(row) else [] for row in rows]
