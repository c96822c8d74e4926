"""Sums at the bench, with what is in stock."""

from __future__ import annotations

from collections.abc import Mapping

from glowdial.core.sums.form import SumAnswer, SumForm
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.stages.stock import stock_items


def work_sum(workshop: Workshop, form: SumForm, typed: Mapping[str, str]) -> SumAnswer:
    """The answer of a sum to what was typed; raises BadInput."""
    with workshop.database.reading() as session:
        return form.answer(typed, stock_items(session))
