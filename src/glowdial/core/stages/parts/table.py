"""The parts as a table: what each should be, what was measured, and what was done about it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.language.quantities import engineering
from glowdial.core.language.verdicts import judge
from glowdial.core.stages.parts.measured import check_measured, leakage_limit_a, measured_window
from glowdial.core.stages.parts.state import ORDER, PartState

DONE, MEASURED, LEAKAGE = "decision", "measured", "leakage"


def parts_table(states: Iterable[PartState]) -> ReadingTable:
    """Parts by decision, value and leakage; a row is typed as a line, its cells are its fields."""
    rows = tuple(_row(state) for state in states)
    leaks = any(cell.column == LEAKAGE for row in rows for cell in row.cells)
    return ReadingTable((DONE, MEASURED, *((LEAKAGE,) if leaks else ())), rows)


def _row(state: PartState) -> TableRow:
    part = state.part
    cells = [_decision(state), _measured(state)]
    if not part.is_resistor:
        cells.append(_leakage(state))
    inside = f", in {part.can}" if part.can else ""
    return TableRow(part.ref, part.ref, f"{part.name}{inside}", tuple(cells))


def _decision(state: PartState) -> TableCell:
    verdict = ""
    if state.decision:
        verdict = "high" if state.unrated else "low" if state.decision == ORDER else "inside"
    words = state.fitted or ("on order" if state.decision == ORDER else "")
    return TableCell(DONE, state.part.ref, DONE, "open", state.decision, verdict, words)


def _measured(state: PartState) -> TableCell:
    part, value = state.part, state.measured
    cell = TableCell(MEASURED, part.ref, MEASURED, f"{part.value_text} {part.rating_text}".strip())
    if value is None:
        return cell
    return replace(
        cell,
        read=engineering(value, "ohm" if part.is_resistor else "F"),
        verdict=judge(value, measured_window(part)).verdict.value,
        words=check_measured(part, value).partition(":")[0],
    )


def _leakage(state: PartState) -> TableCell:
    part, limit_a = state.part, leakage_limit_a(state.part)
    cell = TableCell(LEAKAGE, part.ref, LEAKAGE, f"up to {engineering(limit_a, 'A')}")
    if state.leakage_a is None:
        return cell
    over = state.leakage_a > limit_a
    return replace(
        cell,
        read=engineering(state.leakage_a, "A"),
        verdict="high" if over else "inside",
        words="leaks" if over else "",
    )
