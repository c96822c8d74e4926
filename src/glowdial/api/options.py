"""What may be chosen on the pages: kinds, classes and limits as the rules know them."""

from __future__ import annotations

from dataclasses import asdict

from fastapi import APIRouter
from pydantic import BaseModel

from glowdial.core.bench.equipment import LIMITS
from glowdial.sheets.line_up import LINE_EXAMPLE
from glowdial.sheets.template_form import (
    FORM_CHOICES,
    FORM_FIELDS,
    MOST_BANDS,
    TICKED_TRAITS,
)
from glowdial.workshop.base.jobs import SOURCE_WORDS
from glowdial.workshop.instruments import KINDS as INSTRUMENT_KINDS
from glowdial.workshop.stages.stock import KINDS, SAFETY_CLASSES

router = APIRouter(prefix="/api/options", tags=["options"])


class LimitOption(BaseModel):
    name: str
    label: str
    example: str


class KindOption(BaseModel):
    """A kind of instrument with the limits that are kept of it."""

    kind: str
    limits: list[LimitOption]
    shows_traces: bool


class SourceOption(BaseModel):
    """One of a few, as it is kept and as it is shown."""

    value: str
    label: str


class FormFieldOption(BaseModel):
    """A field of the template's form, in its group: model, band or supply."""

    group: str
    name: str
    label: str
    example: str


class FormChoiceOption(BaseModel):
    """A choice of the template's form, in its group: model, supply or heaters."""

    group: str
    name: str
    label: str
    options: list[str]


class OptionsShape(BaseModel):
    instruments: list[KindOption]
    stock_kinds: list[str]
    safety_classes: list[str]
    sources: list[SourceOption]
    most_bands: int
    template_choices: list[FormChoiceOption]
    template_traits: list[SourceOption]
    line_up_example: str
    template: list[FormFieldOption]


@router.get("", operation_id="getOptions")
def get_options() -> OptionsShape:
    """Everything that a page offers to choose from."""
    return OptionsShape(
        instruments=[
            KindOption(
                kind=kind,
                limits=[
                    LimitOption(name=x.name, label=x.label, example=x.example)
                    for x in LIMITS.get(kind, ())
                ],
                shows_traces=kind == "oscilloscope",
            )
            for kind in INSTRUMENT_KINDS
        ],
        stock_kinds=list(KINDS),
        safety_classes=list(SAFETY_CLASSES),
        sources=[SourceOption(value=v, label=label) for v, label in SOURCE_WORDS.items()],
        template_choices=[
            FormChoiceOption(**{**asdict(c), "options": list(c.options)}) for c in FORM_CHOICES
        ],
        template_traits=[SourceOption(value=t, label=words) for t, words in TICKED_TRAITS.items()],
        most_bands=MOST_BANDS,
        line_up_example=LINE_EXAMPLE,
        template=[FormFieldOption(**asdict(f)) for f in FORM_FIELDS],
    )
