"""The function matrix: bands and modes by controls, each cell works, partly, fails, or a figure.

A cell may carry an oddity ("the dial goes dark and a relay clicks"): odd side effects often point
straight at the fault. What works clears its blocks, so every cell is evidence.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

from glowdial.core.journey.record import Entered, JobRecord
from glowdial.core.journey.registers import RegisterForm
from glowdial.core.language.errors import BadInput
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.tracing.derived import modes_of, position_key

MATRIX = "matrix"
PLAYS = "plays"
LONGEST_CELL = 200
EXAMPLE = "w, or S7 / a relay clicks"


class CellState(StrEnum):
    """What was found; a figure neither works nor fails by itself."""

    WORKS = "works"
    PARTLY = "partly"
    FAILS = "fails"
    FIGURE = "figure"


@dataclass(frozen=True, slots=True)
class Cell:
    """One finding: its state, the figure as written, and what was odd about it."""

    state: CellState
    figure: str = ""
    oddity: str = ""

    @property
    def words(self) -> str:
        """As it is shown."""
        shown = self.figure or self.state.value
        return f"{shown} / {self.oddity}" if self.oddity else shown


@dataclass(frozen=True, slots=True)
class Row:
    """A band in one mode."""

    key: str
    title: str


@dataclass(frozen=True, slots=True)
class Matrix:
    """Rows, columns, and the cells that are filled, by (row key, column); ``more`` are rows that a
    set may have besides: other modes on a band, a calibrator, a gramophone."""

    rows: tuple[Row, ...]
    more: tuple[Row, ...]
    columns: tuple[str, ...]
    cells: dict[tuple[str, str], Cell]

    @property
    def tried(self) -> bool:
        """Whether every row says at least if it plays."""
        return all((row.key, PLAYS) in self.cells for row in self.rows)


def matrix_of(facts: ReceiverFacts, record: JobRecord) -> Matrix:
    """The matrix of a set as it is filled so far."""
    cells = {
        (line.texts["row"], line.texts["column"]): _cell_of(line)
        for line in record.register(MATRIX)
    }
    used = {row for row, _ in cells}
    more = _more_rows(facts)
    return Matrix(
        (*_rows(facts), *(r for r in more if r.key in used)),
        tuple(r for r in more if r.key not in used),
        _columns(facts),
        cells,
    )


def _rows(facts: ReceiverFacts) -> tuple[Row, ...]:
    if facts.diagram is not None:
        # the sheet says itself what the set plays
        return tuple(Row(p.key, p.name) for p in facts.diagram.positions)
    return tuple(
        Row(position_key(band.key, mode), f"{band.name}, {mode}")
        for band in facts.bands
        for mode in modes_of(facts)
    )


# what a set may be tried in beside what its circuit says: a band in any mode, and what is no band
MODES = ("AM", "CW", "SSB", "FM", "stereo")
SOURCES = (Row("calibrator", "calibrator, on every band"), Row("gramophone", "gramophone"))


def _more_rows(facts: ReceiverFacts) -> tuple[Row, ...]:
    """Every row that may be added."""
    known = {r.key for r in _rows(facts)}
    bands = (
        Row(position_key(band.key, mode), f"{band.name}, {mode}")
        for band in facts.bands
        for mode in MODES
    )
    return (*SOURCES, *(r for r in bands if r.key not in known))


def _columns(facts: ReceiverFacts) -> tuple[str, ...]:
    skipped = ("band switch",)
    return (PLAYS, *(c for c in facts.controls if c not in skipped))


def _cell_of(line: Entered) -> Cell:
    texts = line.texts
    return Cell(CellState(texts["state"]), texts.get("figure", ""), texts.get("oddity", ""))


def cell_key(row: str, column: str) -> str:
    """The key of a cell in its register."""
    return f"{row}|{column}"


def read_cell(facts: ReceiverFacts, row: str, column: str, text: str) -> Cell | None:
    """Read what was typed into a cell; None empties it.

    ``w``, ``p`` or ``f`` (or the words) say how it works; anything else that holds a digit is a
    figure; what follows a ``/`` is the oddity. Raises BadInput for a cell that is not there, or a
    word that is none of these.
    """
    if row not in {r.key for r in (*_rows(facts), *_more_rows(facts))}:
        raise BadInput("row", row, "is no band and mode of this set", _rows(facts)[0].key)
    if column not in _columns(facts):
        raise BadInput("column", column, "is no control of this set", PLAYS)
    if len(text) > LONGEST_CELL:
        raise BadInput("cell", f"{text[:30]}...", f"is over {LONGEST_CELL} characters", EXAMPLE)
    finding, _, oddity = (part.strip() for part in text.partition("/"))
    if not finding and not oddity:
        return None
    for state in (CellState.WORKS, CellState.PARTLY, CellState.FAILS):
        if finding and state.value.startswith(finding.lower()):
            return Cell(state, "", oddity)
    if re.search(r"\d", finding):
        return Cell(CellState.FIGURE, finding, oddity)
    if not finding:
        return Cell(CellState.PARTLY, "", oddity)
    raise BadInput(
        "cell",
        text,
        "must begin with w (works), p (partly), f (fails) or a figure; an oddity follows a /",
        EXAMPLE,
    )


def summary(matrix: Matrix) -> tuple[str, ...]:
    """What works and what fails, in sentences; nothing when nothing was tried."""
    lines: list[str] = []
    titles = {row.key: row.title for row in matrix.rows}
    for state, words in (
        (CellState.FAILS, "Fails"),
        (CellState.PARTLY, "Works partly"),
        (CellState.WORKS, "Works, so its blocks are good"),
    ):
        named = [
            titles[row] if column == PLAYS else f"{column} on {titles[row]}"
            for (row, column), cell in matrix.cells.items()
            if cell.state is state and row in titles
        ]
        if named:
            more = f" and {len(named) - 4} more" if len(named) > 4 else ""
            lines.append(f"{words}: {', '.join(named[:4])}{more}.")
    odd = [c.oddity for c in matrix.cells.values() if c.oddity]
    if odd:
        lines.append(f"Odd, and worth following: {'; '.join(odd)}.")
    return tuple(lines)


def _entry_words(line: Entered) -> str:
    cell = line.texts
    found = " ".join(w for w in (cell.get("figure") or cell.get("state"), cell.get("oddity")) if w)
    return f"{cell['row']}, {cell['column']}: {'emptied' if line.removed else found}"


MATRIX_FORM = RegisterForm(
    MATRIX,
    "What works, and where",
    "Bands and modes by controls.",
    called="matrix",
    title_of=_entry_words,
)
