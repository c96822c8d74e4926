"""The parts of a job: what each needs, what is proposed for it, and what went in."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from glowdial.core.journey.entry import Entry
from glowdial.core.journey.room import Situation
from glowdial.core.journey.steps import Ask, Step
from glowdial.core.language.errors import BadInput
from glowdial.core.model.parts import Part, PartUse
from glowdial.core.safety.cautions import Trait, traits_of
from glowdial.core.stages.parts.needs import Need, need_of
from glowdial.core.stages.parts.state import (
    FIT,
    ORDER,
    RESTUFF,
    PartState,
    part_states,
    parts_of,
    school_of,
)
from glowdial.core.stages.parts.steps import PROPOSAL, is_part_question, part_called
from glowdial.core.stages.parts.substitutes import StockItem, Substitute, substitutes
from glowdial.sim.condition import Condition, renewed
from glowdial.store.records import get_bench
from glowdial.store.tables import StockRow
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.base.writing import OpenedJob
from glowdial.workshop.stages.stock import stock_items


@dataclass(frozen=True, slots=True)
class PartsView:
    """Every part of a job as it stands, and the school that orders them."""

    school: str
    parts: tuple[PartState, ...]


@dataclass(frozen=True, slots=True)
class Proposals:
    """What a part needs, and what would do; the first is taken unless another is named."""

    part: Part
    need: Need
    found: tuple[Substitute, ...]


def parts_view(workshop: Workshop, job_id: int) -> PartsView:
    """The list with what was decided; raises NotFound for no such job."""
    view = job_page(workshop, job_id)
    school = school_of(view.record)
    return PartsView(school.value if school else "", part_states(view.facts, view.record))


def proposals(workshop: Workshop, job_id: int, ref: str) -> Proposals:
    """What would take a part's place; raises NotFound for no such job or part."""
    page = job_page(workshop, job_id)
    with workshop.database.reading() as session:
        stock = stock_items(session)
    return proposals_for(page.situation, ref, stock)


def proposals_for(situation: Situation, ref: str, stock: tuple[StockItem, ...]) -> Proposals:
    """The same from what is at hand."""
    facts = situation.facts
    part = part_called(facts, situation.record, ref)
    transformer = Trait.TRANSFORMERLESS not in traits_of(facts)
    need = need_of(part, facts.supply, transformer=transformer)
    return Proposals(part, need, substitutes(part, need, stock))


def part_texts(opened: OpenedJob, step: Step, ask: Ask, entry: Entry) -> dict[str, str]:
    """Texts to keep with a decision: what went in, or is to be bought, in words and as data."""
    if not is_part_question(step, ask) or entry.texts["decision"] not in (FIT, RESTUFF, ORDER):
        return {}
    stock = stock_items(opened.session)
    found = proposals_for(opened.situation, ask.key, stock).found
    if not found:
        return {"fitted": "nothing on the list of standard values fits; see the part's need"}
    wanted = int(entry.texts.get(PROPOSAL) or 1)
    if wanted > len(found):
        raise BadInput(
            "proposal", str(wanted), f"is not there: {len(found)} would do for {ask.key}", "1"
        )
    taken = found[wanted - 1]
    return {"fitted": taken.words, "items": json.dumps([_item(i) for i in taken.items])}


def _item(item: StockItem) -> dict[str, Any]:
    return {
        "stock": item.key,
        "kind": kind_of(item),
        "value": item.value,
        "rating": item.rating,
        "safety": item.safety,
    }


def kind_of(item: StockItem) -> str:
    """The kind under which an item is kept."""
    if item.resistor:
        return "resistor"
    return "electrolytic" if item.electrolytic else "capacitor"


def renew_in_simulation(opened: OpenedJob, ref: str) -> None:
    """A new part in a simulated set is a sound one."""
    bench = get_bench(opened.session, opened.job.id)
    if bench is None:
        return
    parts = parts_of(opened.situation.facts, opened.record)
    part = part_called(opened.situation.facts, opened.record, ref)
    filters = [p.ref for p in parts if p.use is PartUse.FILTER]
    place = filters.index(ref) + 1 if ref in filters else 0
    condition = Condition.from_document(bench.condition)
    bench.condition = renewed(condition, part, place).as_document()


def move_stock(session: Session, texts: Mapping[str, str], way: int) -> None:
    """Move the items of a decision out of stock (``way`` -1) or back (+1)."""
    for item in items_of(texts):
        row = session.get(StockRow, item["stock"]) if item["stock"] else None
        if row is not None:
            row.count = max(row.count + way, 0)


def items_of(texts: Mapping[str, str]) -> list[dict[str, Any]]:
    """The items of a decision on a part."""
    return list(json.loads(texts["items"])) if texts.get("items") else []
