"""Sums over HTTP: the interface's description holds each form whole, and the answers are the
core's."""

from __future__ import annotations

from typing import Any

import pytest

from api.conftest import Caller
from glowdial.core.sums.book import SUMS
from glowdial.core.sums.form import SumForm


def form_in(description: dict[str, Any], key: str) -> dict[str, Any]:
    post = description["paths"][f"/api/sums/{key}"]["post"]
    place = post["requestBody"]["content"]["application/json"]["schema"]["$ref"].rsplit("/", 1)[-1]
    return {"post": post, "schema": description["components"]["schemas"][place]}


@pytest.mark.parametrize("form", SUMS, ids=lambda f: f.key)
def test_a_form_can_be_read_from_the_description_and_its_example_answers(
    caller: Caller, form: SumForm
) -> None:
    told = form_in(caller.http.get("/api/openapi.json").json(), form.key)
    assert told["post"]["summary"] == form.title and told["post"]["x-stage"] == form.stage
    properties = told["schema"]["properties"]
    assert list(properties) == [f.name for f in form.fields]
    for field in form.fields:
        assert properties[field.name]["title"] == field.label
        assert tuple(properties[field.name].get("enum", ())) == field.options
        assert properties[field.name]["unit"] == (field.quantity.bare if field.quantity else "")
    example = {name: p["examples"][0] for name, p in properties.items()}
    answer = caller.http.post(f"/api/sums/{form.key}", json=example)
    if form.key == "from-stock":
        assert answer.status_code == 422 and "holds none" in answer.json()["detail"]
    else:
        assert answer.status_code == 200, answer.text
        assert answer.json()["sentence"] == form.answer(form.examples).sentence


def test_a_part_is_found_in_the_bench_own_stock(caller: Caller) -> None:
    line = {"kind": "electrolytic", "value": "33u", "rating": "450", "count": 2}
    kept = caller.http.post("/api/stock", json=line, headers={"idempotency-key": "stock-line-1"})
    assert kept.status_code == 201
    asked = {"kind": "capacitor", "value": "32u", "below": "20", "above": "50", "rating": "350"}
    answer = caller.http.post("/api/sums/from-stock", json=asked).json()
    assert answer["lines"][0] == {"label": "take", "text": "33.0 uF", "verdict": ""}


def test_what_is_not_understood_is_refused_by_its_field(caller: Caller) -> None:
    typed = {"watts": "sixty", "rated": "230", "current": "120", "line": "230"}
    answer = caller.http.post("/api/sums/lamp", json=typed)
    assert answer.status_code == 422 and "sixty" in answer.json()["detail"]
