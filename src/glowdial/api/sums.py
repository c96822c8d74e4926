"""Every sum as a call of its own, so that its form can be read from the interface's description:
title, what is expected, an example, and the choices of each field."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field, create_model

from glowdial.api.base.pictures import PlotShape, SupplyPictureShape
from glowdial.api.base.wiring import Body, WorkshopDep
from glowdial.core.journey import steps
from glowdial.core.sums.book import SUMS
from glowdial.core.sums.form import SumForm
from glowdial.workshop.sums import work_sum

router = APIRouter(prefix="/api/sums", tags=["sums"])
LONGEST = 2000


class SumLineShape(BaseModel):
    """One figure of an answer."""

    label: str
    text: str
    verdict: str = Field(description="inside, near the edge, outside, or nothing")


class SumShape(BaseModel):
    """What came out: the sentence that goes into a log, figures, and what is to be seen."""

    sentence: str
    lines: list[SumLineShape]
    picture: SupplyPictureShape | None
    plot: PlotShape | None
    beside: PlotShape | None = None


def _body(form: SumForm) -> type[BaseModel]:
    """The request of a sum: texts as people type them, in the order of the form."""
    fields: dict[str, Any] = {f.name: _field(form, f) for f in form.fields}
    name = "".join(word.title() for word in form.key.split("-"))
    return create_model(f"{name}Sum", __base__=Body, __doc__=form.purpose, **fields)


def _field(form: SumForm, field: steps.Field) -> tuple[Any, Any]:
    kind: Any = Literal[field.options] if field.options else str
    quantity = field.quantity
    told: dict[str, Any] = {
        "title": field.label,
        "description": quantity.expected if quantity else "",
        "examples": [form.examples[field.name]],
        "json_schema_extra": {
            "unit": quantity.bare if quantity else "",
            "multiline": field.multiline,
        },
    }
    if not field.options:
        told["max_length"] = LONGEST
    return kind, Field(**told) if field.required else Field(default="", **told)


def _endpoint(form: SumForm, body_type: type[BaseModel]) -> Callable[..., SumShape]:
    def post_sum(workshop: WorkshopDep, body: Any) -> SumShape:
        answer = work_sum(workshop, form, body.model_dump())
        return SumShape.model_validate(asdict(answer))

    post_sum.__annotations__["body"] = body_type
    return post_sum


def _install(form: SumForm) -> None:
    router.add_api_route(
        f"/{form.key}",
        _endpoint(form, _body(form)),
        methods=["POST"],
        operation_id=f"sum-{form.key}",
        summary=form.title,
        description=form.purpose,
        openapi_extra={"x-stage": form.stage},
    )


for _form in SUMS:
    _install(_form)
