"""Stateless computations, called with the examples that the interface description gives."""

from __future__ import annotations

from typing import Any

import pytest

from api.conftest import Caller
from glowdial.api.app import create_app
from glowdial.api.calc.general import SUPPLY_EXAMPLE

DOCUMENT = create_app(None).openapi()
CALCS = sorted(p for p in DOCUMENT["paths"] if p.startswith("/api/calc/"))


def example_of(schema: dict[str, Any]) -> Any:
    """A value from a schema's own examples and defaults."""
    if "examples" in schema:
        return schema["examples"][0]
    if "$ref" in schema:
        return example_of(DOCUMENT["components"]["schemas"][schema["$ref"].split("/")[-1]])
    if "default" in schema:
        return schema["default"]
    if "anyOf" in schema:
        return example_of(schema["anyOf"][0])
    if "enum" in schema:
        return schema["enum"][0]
    if "const" in schema:
        return schema["const"]
    if schema.get("type") == "array":
        return [example_of(schema["items"]) for _ in range(max(schema.get("minItems", 1), 1))]
    assert "properties" in schema, f"no example: {schema}"
    return {
        name: example_of(part)
        for name, part in schema["properties"].items()
        if name in schema.get("required", ()) or "examples" in part
    }


@pytest.mark.parametrize("path", CALCS)
def test_every_calculation_runs_on_its_example(caller: Caller, path: str) -> None:
    content = DOCUMENT["paths"][path]["post"]["requestBody"]["content"]["application/json"]
    answer = caller.http.post(path, json=example_of(content["schema"]))
    assert answer.status_code == 200, answer.text
    assert all(v is not None for v in answer.json().values())


def test_tracking_is_exact_at_its_points(caller: Caller) -> None:
    body = {
        "gang_minimum_f": 12e-12,
        "gang_maximum_f": 430e-12,
        "low_hz": 530e3,
        "high_hz": 1630e3,
        "intermediate_frequency_hz": 465e3,
        "points_hz": [557.5e3, 1080e3, 1602.5e3],
    }
    answer = caller.http.post("/api/calc/tracking", json=body).json()
    at = dict(zip(answer["signal_hz"], answer["error_hz"], strict=True))
    assert [abs(at[f]) < 1.0 for f in body["points_hz"]] == [True] * 3
    outside = caller.http.post("/api/calc/tracking", json={**body, "points_hz": [1e5, 1e6, 1.6e6]})
    assert outside.status_code == 422 and "must lie in the band" in outside.json()["detail"]


@pytest.mark.parametrize(
    ("changes", "low_v", "high_v"),
    [
        ({"topology": "half-wave", "rectifier": {"kind": "silicon"}}, 220, 340),
        ({"topology": "bridge", "rectifier": {"kind": "selenium"}}, 230, 340),
        ({"topology": "doubler", "rectifier": {"kind": "silicon"}, "secondary_v": 150}, 180, 360),
        (
            {
                "topology": "doubler, cascade",
                "rectifier": {"kind": "silicon"},
                "secondary_v": 150,
                "other_half_f": 20e-6,
            },
            150,
            360,
        ),
        ({"rectifier": {"kind": "gas-filled", "drop_v": 15}}, 240, 330),
        ({"waveform": "vibrator", "line_v": 6, "line_hz": 115, "secondary_v": 300}, 180, 290),
    ],
)
def test_every_kind_of_supply_has_its_b_plus(
    caller: Caller, changes: dict[str, Any], low_v: float, high_v: float
) -> None:
    supply = SUPPLY_EXAMPLE | changes
    body = {"supply": supply, "line_v": supply["line_v"]}
    answer = caller.http.post("/api/calc/supply", json=body)
    assert answer.status_code == 200, answer.text
    nodes = answer.json()["node_v"]
    assert low_v < nodes[-1] < nodes[0] < high_v + 100


def test_a_quantity_is_echoed(caller: Caller) -> None:
    body = {"text": "0.033u", "quantity": "capacitance"}
    answer = caller.http.post("/api/calc/quantity", json=body).json()
    assert answer == {"value": pytest.approx(33e-9), "unit": "F", "echo": "33.0 nF"}


def test_the_description_names_every_call_once() -> None:
    names = [call["operationId"] for path in DOCUMENT["paths"].values() for call in path.values()]
    assert len(names) == len(set(names)) and not any("_api_" in n for n in names)
    assert all(
        call.get("description") for path in DOCUMENT["paths"].values() for call in path.values()
    )


def test_a_ramp_step_refuses_the_impossible_and_shouts(caller: Caller) -> None:
    body = {"supply": SUPPLY_EXAMPLE, "ac_v": 230.0, "b_plus_v": 900.0}
    refused = caller.http.post("/api/calc/ramp-step", json=body)
    assert refused.status_code == 422 and "peak is" in refused.json()["detail"]
    heaters = {"heaters": [{"tube": "V1", "volts": 6.3, "amperes": 2.0}]}
    hot = {**body, "b_plus_v": 200.0, "line_a": 3.0, "heaters": heaters}
    answer = caller.http.post("/api/calc/ramp-step", json=hot).json()
    assert len(answer["stop"]) == 1 and "times the current" in answer["stop"][0]


def test_a_lifted_lead_by_its_call(caller: Caller) -> None:
    supply = {"supply": SUPPLY_EXAMPLE, "extra": 1.0}
    kinds = [
        caller.http.post("/api/calc/excess-current", json={**supply, **more}).json()["kind"]
        for more in ({}, {"before_v": 200.0, "after_v": 214.0}, {"lifted_v": 420.0})
    ]
    assert kinds == ["two causes near", "leaky filter capacitor", "overload"]


HEATER = {"kind": "resistor", "use": "resistor", "value": 100.0}


@pytest.mark.parametrize(
    ("path", "change", "field"),
    [
        ("marking", {"text": "mauve red red", "kind": "bands"}, "colour"),
        (
            "part-need",
            {"kind": "resistor", "use": "resistor", "value": 100.0, "dissipation_w": 90.0},
            "dissipation",
        ),
        ("meter-loading", {"volts": 90.0, "source_ohm": 1e5, "meter_ohm": 0.0}, "meter_ohm"),
        (
            "heater-chart",
            {
                "heaters": {"heaters": [{"tube": "V1", "volts": 1e-170, "amperes": 5e-222}]},
                "set_v": 230.0,
                "nominal_v": 230.0,
            },
            "volts",
        ),
    ],
)
def test_bad_values_are_refused_by_name(
    caller: Caller, path: str, change: dict[str, Any], field: str
) -> None:
    answer = caller.http.post(f"/api/calc/{path}", json=change)
    assert answer.status_code == 422 and field in answer.json()["field"]
