"""The bench's stock of parts, and what to buy for all open jobs."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from glowdial.core.language.errors import BadInput, NotFound
from glowdial.core.language.quantities import (
    CAPACITANCE,
    DC_VOLTS,
    RESISTANCE,
    WATTS,
    engineering,
    parse,
)
from glowdial.core.stages.parts.state import BATCH, ORDER
from glowdial.core.stages.parts.substitutes import StockItem
from glowdial.store.tables import AnswerRow, JobRow, SetRow, StockRow, WithdrawalRow
from glowdial.workshop.base.tables import as_csv
from glowdial.workshop.base.workshop import Workshop, once

KINDS = ("capacitor", "electrolytic", "resistor")
SAFETY_CLASSES = ("", "X1", "X2", "Y1", "Y2")
MOST_LINES, MOST_COUNT = 400, 10_000


@dataclass(frozen=True, slots=True)
class StockCommand:
    """A line of stock as typed: value and rating with their units, e.g. 22u 450 V."""

    kind: str
    value: str
    rating: str
    count: int
    safety: str = ""
    note: str = ""


def stock_items(session: Session) -> tuple[StockItem, ...]:
    """All of the stock as the chooser wants it."""
    rows = session.scalars(select(StockRow).order_by(StockRow.kind, StockRow.value, StockRow.id))
    return tuple(
        StockItem(
            row.id,
            row.kind == "resistor",
            row.value,
            row.rating,
            row.count,
            row.safety,
            row.kind == "electrolytic",
        )
        for row in rows
    )


@dataclass(frozen=True, slots=True)
class StockLine:
    """A line of stock as a page shows it; ``value`` and ``rating`` SI."""

    key: int
    kind: str
    value: float
    rating: float
    safety: str
    count: int
    note: str

    @property
    def value_text(self) -> str:
        """The value as people write it."""
        return engineering(self.value, "ohm" if self.kind == "resistor" else "F")

    @property
    def rating_text(self) -> str:
        """The rating with its unit."""
        return f"{self.rating:g} {'W' if self.kind == 'resistor' else 'V'}"


def list_stock(workshop: Workshop) -> list[StockLine]:
    """All lines of stock."""
    with workshop.database.reading() as session:
        query = select(StockRow).order_by(StockRow.kind, StockRow.value, StockRow.id)
        return [
            StockLine(r.id, r.kind, r.value, r.rating, r.safety, r.count, r.note)
            for r in session.scalars(query)
        ]


def put_in_stock(workshop: Workshop, key: str, command: StockCommand) -> int:
    """Add a line, or add to the one that is the same; returns its id.

    Raises BadInput for what is no part: a resistor of zero ohm or of 200 W, an unknown class.
    """
    value, rating = _read(command)

    def act(session: Session, _: datetime) -> dict[str, Any]:
        same = select(StockRow).where(
            StockRow.kind == command.kind,
            StockRow.value == value,
            StockRow.rating == rating,
            StockRow.safety == command.safety,
        )
        row = session.scalars(same).first()
        if row is None:
            held = len(list(session.scalars(select(StockRow.id))))
            if held >= MOST_LINES:
                raise BadInput("stock", f"{held} lines", f"is full at {MOST_LINES}", "use some up")
            row = StockRow(
                kind=command.kind,
                value=value,
                rating=rating,
                safety=command.safety,
                count=0,
                note="",
            )
            session.add(row)
        row.count = min(row.count + command.count, MOST_COUNT)
        row.note = command.note.strip() or row.note
        session.flush()
        return {"id": row.id}

    return int(once(workshop, key, command, act)["id"])


def _read(command: StockCommand) -> tuple[float, float]:
    if command.kind not in KINDS:
        raise BadInput("kind", command.kind, f"must be one of {', '.join(KINDS)}", "capacitor")
    if command.safety not in SAFETY_CLASSES:
        raise BadInput("safety class", command.safety, "must be X1, X2, Y1, Y2 or empty", "Y2")
    if not 1 <= command.count <= MOST_COUNT:
        raise BadInput("count", str(command.count), f"must be 1 to {MOST_COUNT}", "10")
    resistor = command.kind == "resistor"
    value = parse(command.value, RESISTANCE if resistor else CAPACITANCE, "value")
    rating = parse(command.rating, WATTS if resistor else DC_VOLTS, "rating")
    if value <= 0.0:
        raise BadInput("value", command.value, "must be above zero", "47k" if resistor else "22u")
    if rating <= 0.0:
        raise BadInput("rating", command.rating, "must be above zero", "2 W" if resistor else "450")
    if resistor and rating > 100.0:
        raise BadInput(
            "rating",
            command.rating,
            "is more than a receiver's resistor can shed: up to 100 W",
            "5",
        )
    return value, rating


def count_stock(workshop: Workshop, key: str, stock_id: int, count: int) -> int:
    """Set how many there are after counting them; 0 keeps the line. Raises NotFound."""
    if not 0 <= count <= MOST_COUNT:
        raise BadInput("count", str(count), f"must be 0 to {MOST_COUNT}", "10")

    def act(session: Session, _: datetime) -> dict[str, Any]:
        row = session.get(StockRow, stock_id)
        if row is None:
            raise NotFound("stock line", str(stock_id))
        row.count = count
        return {"id": row.id}

    return int(once(workshop, key, ("count", stock_id, count), act)["id"])


@dataclass(frozen=True, slots=True)
class ToBuy:
    """One line of the shopping list: how many, less stock, and for which parts of which sets."""

    kind: str
    value: float
    rating: float
    safety: str
    wanted: int
    in_stock: int
    used_for: tuple[str, ...]

    @property
    def to_buy(self) -> int:
        """How many are to be bought."""
        return max(self.wanted - self.in_stock, 0)

    @property
    def words(self) -> str:
        """As it is written on the list."""
        return StockItem(
            0,
            self.kind == "resistor",
            self.value,
            self.rating,
            self.wanted,
            self.safety,
            self.kind == "electrolytic",
        ).words


def shopping_list(workshop: Workshop) -> tuple[ToBuy, ...]:
    """Everything on order over all open jobs, less what lies in stock."""
    wanted: dict[tuple[str, float, float, str], list[str]] = {}
    with workshop.database.reading() as session:
        taken_back = (
            select(WithdrawalRow)
            .join(JobRow, JobRow.id == WithdrawalRow.job_id)
            .where(JobRow.closed_at.is_(None))
        )
        withdrawn = {(w.job_id, w.answer_seq) for w in session.scalars(taken_back)}
        query = (
            select(AnswerRow, SetRow.name)
            .join(JobRow, JobRow.id == AnswerRow.job_id)
            .join(SetRow, SetRow.id == JobRow.set_id)
            .where(JobRow.closed_at.is_(None), AnswerRow.step.startswith(BATCH))
            .order_by(AnswerRow.job_id, AnswerRow.seq)
        )
        # the last decision on each part of each job counts
        latest = {
            (answer.job_id, answer.ask): (answer.texts, name)
            for answer, name in session.execute(query).all()
            if (answer.job_id, answer.seq) not in withdrawn and "decision" in answer.texts
        }
        for (_, ref), (texts, name) in latest.items():
            if texts["decision"] == ORDER:
                _collect(wanted, texts, f"{name}: {ref}")
        held = {
            (r.kind, r.value, r.rating, r.safety): r.count
            for r in session.scalars(select(StockRow))
        }
    return tuple(
        ToBuy(*key, len(uses), held.get(key, 0), tuple(uses))
        for key, uses in sorted(wanted.items())
    )


def _collect(
    wanted: dict[tuple[str, float, float, str], list[str]], texts: Mapping[str, str], use: str
) -> None:
    for item in json.loads(texts.get("items") or "[]"):
        key = (item["kind"], item["value"], item["rating"], item["safety"])
        wanted.setdefault(key, []).append(use)


def shopping_csv(workshop: Workshop) -> str:
    """The shopping list as CSV, SI units."""
    head = ("to_buy", "part", "kind", "value_si", "rating", "safety", "wanted", "in_stock", "for")
    rows = (
        (
            line.to_buy,
            line.words,
            line.kind,
            line.value,
            line.rating,
            line.safety,
            line.wanted,
            line.in_stock,
            "; ".join(line.used_for),
        )
        for line in shopping_list(workshop)
    )
    return as_csv(head, rows)


def stock_csv(workshop: Workshop) -> str:
    """The stock as CSV, SI units."""
    head = ("kind", "value_si", "value", "rating", "safety", "count", "note")
    rows = (
        (row.kind, row.value, row.value_text, row.rating, row.safety, row.count, row.note)
        for row in list_stock(workshop)
    )
    return as_csv(head, rows)
