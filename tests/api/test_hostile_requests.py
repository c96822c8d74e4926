"""Requests that mean no good, or nothing: refused with field and reason, never our error."""

from __future__ import annotations

import csv
import io
import json
import random
from typing import Any

import pytest
from PIL import Image, PngImagePlugin

from api.conftest import Caller
from glowdial.demo.fill import tidewater_sheet
from glowdial.workshop.base.tables import as_csv

NASTY = (
    "<script>alert(1)</script>", "'; DROP TABLE jobs; --", "=cmd|' /C calc'!A0", "+1+1", "-2+3",
    "@SUM(1)", "\u202eevil", "\x00", "\x1b[2J", "a" * 199, "../../etc/passwd", "%00", "{{7*7}}",
    "${jndi:x}", "\ufeff", "\U0001f4fb", "\r\nSet-Cookie: a=b", "None", "0x41", "ﬁ", "é" * 90,
)  # fmt: skip


def send(caller: Caller, path: str, body: bytes, **headers: str) -> Any:
    kind = {"content-type": "application/json", **headers}
    return caller.http.post(path, content=body, headers={**caller.once(), **kind})


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b'{"text": "\\ud800", "quantity": "capacitance"}', "half of a character pair"),
        (b'{"text": "\\udfff\\ud800", "quantity": "IF"}', "half of a character pair"),
        (b'{"text": "1", "\\ud800": "x", "quantity": "IF"}', "half of a character pair"),
        (b'{"text": NaN, "quantity": "IF"}', "finite number"),
        (b'{"text": 1e999, "quantity": "IF"}', "finite number"),
        (b'{"text": 5e-324, "quantity": "IF"}', "too small"),
        (b'{"text": ' + b"9" * 5000 + b"}", "too many figures"),
        (b'{"text": ' + b"9" * 30 + b"}", "too large"),
        (b"[" * 5000 + b"]" * 5000, "nested too deep"),
        (b'{"text": ' + b"[" * 100 + b"]" * 100 + b"}", "nested too deep"),
        (b"\xff\xfe{}", "not UTF-8"),
    ],
)
def test_what_is_no_plain_document_is_refused(caller: Caller, body: bytes, words: str) -> None:
    refused = send(caller, "/api/calc/quantity", body)
    assert refused.status_code == 422 and words in refused.json()["detail"]
    assert refused.headers["content-type"] == "application/problem+json"
    assert "content-security-policy" in refused.headers


def test_half_characters_are_refused_in_a_sheet_too(caller: Caller) -> None:
    document = json.loads(tidewater_sheet())
    document["maker"] = "Orl\ud800wick"
    refused = caller.import_sheet(json.dumps(document))
    assert refused.status_code == 422 and "half of a character pair" in refused.json()["detail"]


@pytest.mark.parametrize(
    ("call", "change", "field"),
    [
        ("lamp", {"current_a": 20.0}, "current"),
        ("part-need", {"value": 1e9}, "value"),
        ("ramp-step", {"b_plus_v": 900.0}, "B+"),
        ("series-resistor", {"target_v": 900.0}, "target"),
        ("dial", {"at_hz": 5e6}, "dial reading"),
        ("dial", {"dial_hz": {"a": 1}}, "dial_hz"),
        ("quantity", {"text": "10 mhz", "quantity": "frequency"}, "frequency"),
        ("supply-diagnosis", {"readings": [{"line_v": 230.0, "node_v": [900.0, 235.0]}]}, "node"),
        ("excess-current", {"lifted_v": 4000.0}, "volts"),
    ],
)
def test_sums_beyond_physics_are_refused_with_field_and_reason(
    caller: Caller, call: str, change: dict[str, Any], field: str
) -> None:
    from api.test_calc import DOCUMENT, example_of

    path = f"/api/calc/{call}"
    schema = DOCUMENT["paths"][path]["post"]["requestBody"]["content"]["application/json"]["schema"]
    refused = caller.http.post(path, json={**example_of(schema), **change})
    problem = refused.json()
    assert refused.status_code == 422, problem
    assert field in problem["field"] and problem["expected"] and problem["example"]


def test_a_list_is_called_a_list_and_an_example_is_given(caller: Caller) -> None:
    refused = caller.http.post("/api/calc/quantity", json={"text": [1, 2], "quantity": {"a": 1}})
    problem = refused.json()
    assert problem["value"] == "a list of 2" and problem["example"] == "0.033u"


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"origin": "https://127.0.0.1"}, 403),
        ({"origin": "http://127.0.0.1:99"}, 403),
        ({"origin": "null"}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
        ({"host": "127.0.0.1.evil.example"}, 400),
        ({"host": "localhost:port"}, 400),
        ({"host": ""}, 400),
    ],
)
@pytest.mark.parametrize("path", ["/api/instruments", "/api/jobs/1/bench/live", "/api/jobs"])
def test_strangers_get_neither_instruments_nor_streams(
    caller: Caller, headers: dict[str, str], status: int, path: str
) -> None:
    refused = caller.http.get(path, headers=headers)
    assert refused.status_code == status
    assert refused.headers["x-content-type-options"] == "nosniff"


def test_a_length_beside_chunks_is_refused(caller: Caller) -> None:
    both = {"transfer-encoding": "chunked", "content-length": "2"}
    refused = send(caller, "/api/calc/quantity", b"{}", **both)
    assert refused.status_code == 400


def test_ids_beyond_any_are_refused(caller: Caller, hand_job: int) -> None:
    for path in ("/api/jobs/{}", "/api/jobs/1/photos/{}", "/api/sheets/{}"):
        assert caller.http.get(path.format(2**70)).status_code == 422
    body = {"sheet_id": 2**70, "set_name": "x"}
    assert caller.write("/api/jobs", body).status_code == 422
    assert caller.into(hand_job, "withdrawals", seq=2**70).status_code == 422


@pytest.mark.parametrize("text", NASTY)
def test_every_text_comes_back_as_it_was(caller: Caller, hand_job: int, text: str) -> None:
    kept = caller.into(hand_job, "notes", step="", text=f"x{text}")
    assert kept.status_code == 201
    assert caller.job(hand_job)["log"][0]["text"] == f"x{text}".strip()


def test_cells_are_harmless_and_numbers_stay_numbers() -> None:
    page = as_csv(("a",), [(text,) for text in NASTY if "\x00" not in text] + [("-12.5",), (-3,)])
    rows = [row[0] for row in csv.reader(io.StringIO(page, newline=""))][1:]
    assert not [r for r in rows if r.startswith(("=", "+", "@"))]
    assert rows[-2:] == ["-12.5", "-3"] and "'-2+3" in rows


def a_jpeg(**more: Any) -> bytes:
    page = io.BytesIO()
    Image.new("RGB", (64, 48), "red").save(page, "JPEG", **more)
    return page.getvalue()


def photo(caller: Caller, job: int, picture: bytes) -> Any:
    version = caller.job(job)["version"]
    return caller.http.post(
        f"/api/jobs/{job}/photos",
        params={"version": version, "title": "x"},
        content=picture,
        headers={**caller.once(), "content-type": "image/jpeg"},
    )


def test_comments_of_a_picture_do_not_stay(caller: Caller, hand_job: int) -> None:
    secret = b"taken at home, 4 Harbour Lane"
    assert photo(caller, hand_job, a_jpeg(comment=secret)).status_code == 201
    kept = caller.http.get(f"/api/jobs/{hand_job}/photos/1").content
    assert secret not in kept and kept[:2] == b"\xff\xd8"


def test_a_bomb_is_refused_by_its_declared_size(caller: Caller, hand_job: int) -> None:
    page = io.BytesIO()
    info = PngImagePlugin.PngInfo()
    Image.new("1", (12_000, 12_000)).save(page, "PNG", pnginfo=info)
    refused = photo(caller, hand_job, page.getvalue())
    assert refused.status_code == 422


def test_damaged_pictures_are_never_an_error_of_ours(caller: Caller, hand_job: int) -> None:
    rng = random.Random(4)
    exif = Image.Exif()
    exif[0x0112], exif[0x010E] = 6, "x" * 200
    whole = a_jpeg(exif=exif)
    for _ in range(150):
        spoilt = bytearray(whole)
        for _ in range(rng.randint(1, 12)):
            spoilt[rng.randrange(len(spoilt))] = rng.randrange(256)
        answer = photo(caller, hand_job, bytes(spoilt[: rng.randint(1, len(spoilt))]))
        assert answer.status_code in (201, 422), answer.text
