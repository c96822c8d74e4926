"""Whatever is wrong on the way: a sentence with the field and an example, and nothing kept."""

from __future__ import annotations

import json
from typing import Any

import pytest

from api.conftest import Caller, open_job
from builders import FIVE_TUBE_FORM
from glowdial.demo.fill import tidewater_sheet

SHEET = json.loads(tidewater_sheet())


def refused(answer: Any, status: int, *words: str) -> dict[str, Any]:
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    for word in words:
        assert word in body["detail"], body["detail"]
    return dict(body)


@pytest.mark.parametrize(
    ("line", "field", "words"),
    [
        ("57x 0", "line", "is not understood"),
        ("-57 0", "line", "never negative"),
        ("57", "line, B+", "2 to 5 values with a space between"),
        ("57 0 3 120 hum 4", "line, B+", "holds 6"),
        ("57 0 3 120 sm", "seen", "must be one of nothing, hum"),
        ("120 60", "line", "is not the step that is asked for"),
        ("57 300", "B+", "cannot be with 57 V in"),
        (
            "57 -3",
            "B+",
            "is negative: a rectifier is fitted the wrong way round",
        ),
        ("", "line, B+", "holds 0"),
        ("57 999999", "B+", "-2000 to 2000 V DC"),
    ],
)
def test_bad_readings(caller: Caller, hand_job: int, line: str, field: str, words: str) -> None:
    caller.up_to_the_ramp(hand_job)
    before = caller.job(hand_job)["version"]
    body = {"step": "bring-up.ramp", "ask": "held@line_v=57.5", "line": line}
    problem = refused(caller.into(hand_job, "answers", **body), 422, words)
    assert problem["field"] == field and problem["example"]
    preview = {"step": "bring-up.ramp", "ask": "held@line_v=57.5", "line": line}
    refused(caller.http.post(f"/api/jobs/{hand_job}/previews", json=preview), 422, words)
    assert caller.job(hand_job)["version"] == before


def altered(path: str, value: object) -> str:
    document = json.loads(tidewater_sheet())
    place = document
    *way, last = path.split(".")
    for part in way:
        place = place[int(part)] if part.isdigit() else place[part]
    if value is None:
        del place[last]
    else:
        place[last] = value
    return json.dumps(document)


@pytest.mark.parametrize(
    ("text", "field", "words"),
    [
        ("{", "sheet", "is not JSON there"),
        ('{"format": ', "sheet", "line 1"),
        ("[]", "sheet", ""),
        (altered("format", "other-sheet"), "format", "glowdial-sheet"),
        (altered("bands.0.low_hz", 1.7e6), "bands.0", "must be below high_hz"),
        (altered("bands.0.high_mark_hz", 5e6), "bands.0", "marks must lie in the band"),
        (altered("bands.0.dial_marks_hz", [8e5, 7e5]), "bands.0", "must rise"),
        (altered("intermediate_frequency_hz", 4e6), "sheet", "50 kHz to 2 MHz"),
        (altered("intermediate_frequency_hz", 6e5), "sheet", "lies inside band bc"),
        (altered("intermediate_frequency_hz", "much"), "intermediate_frequency_hz", "number"),
        (altered("bands.0.high_adjuster", "t9"), "sheet", "which is not listed"),
        (altered("supply.secondary_v", -300), "supply.secondary_v", "greater than 0"),
        (altered("supply.rectifier.drop_v", None), "supply.rectifier", "needs drop_v"),
        (altered("gang.maximum_f", 20e-12), "gang", "too small to tune"),
        (altered("maker", None), "maker", "required"),
        (altered("colour", "brown"), "colour", "extra inputs"),
        (altered("adjusters.1.key", "t1-primary"), "sheet", "stands twice"),
    ],
)
def test_bad_sheets(caller: Caller, text: str, field: str, words: str) -> None:
    answer = caller.import_sheet(text)
    problem = refused(answer, 422, words)
    assert problem["field"] == field and problem["example"]
    assert caller.http.get("/api/sheets").json() == []


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"intermediate_frequency": "4 MHz"}, "IF", "50 kHz to 2 MHz"),
        ({"intermediate_frequency": "abc"}, "IF", "is not understood"),
        ({"maker": " "}, "maker", "is empty"),
        ({"b_plus": "-12"}, "b_plus_v", "greater than 0"),
        ({"mains": "-230"}, "mains voltage", "never negative"),
        ({"b_plus": ""}, "B+", "is wanted too"),
        ({"bands": [{"name": "x", "low": "1600", "high": "540"}]}, "x, high end", "above the low"),
        ({"bands": [{"name": "x", "low": "400", "high": "900"}]}, "sheet", "lies inside band"),
        ({"bands": []}, "bands", "at least 1"),
        ({"sensitivity": "loud"}, "sensitivity", "is not understood"),
    ],
)
def test_bad_template(caller: Caller, changes: dict[str, Any], field: str, words: str) -> None:
    answer = caller.write("/api/sheets/from-template", {**FIVE_TUBE_FORM, **changes})
    assert refused(answer, 422, words)["field"] == field
    assert caller.http.get("/api/sheets").json() == []


def test_what_is_gone_is_said_to_be(caller: Caller, hand_job: int) -> None:
    for path in ("/api/jobs/77", "/api/jobs/77/report", "/api/jobs/77/bench", "/api/sheets/77"):
        refused(caller.http.get(path), 404, "may have been removed")
    refused(caller.into(77, "notes", version=0, step="", text="x"), 404, "no job '77'")
    refused(caller.http.get("/api/nothing"), 404)
    body = {"step": "osc.xx", "ask": "a", "line": "1"}
    refused(caller.into(hand_job, "answers", **body), 404, "no step 'osc.xx'")
    refused(caller.into(hand_job, "moves", adjuster="t9", turns="1", step=""), 404, "t9")


@pytest.mark.parametrize(
    ("what", "body", "words"),
    [
        ("changes", {"what": "weather", "note": "rain"}, "must be one of supply"),
        ("moves", {"adjuster": "bc-padder", "turns": "far", "step": ""}, "is not understood"),
        ("notes", {"step": "", "text": " "}, "is empty"),
        ("temporary-connections", {"what": "", "place": "x"}, "is empty"),
        ("answers", {"step": "a"}, "field required"),
        ("notes", {"step": "", "text": "x", "colour": 1}, "extra inputs"),
    ],
)
def test_bad_writes(
    caller: Caller, hand_job: int, what: str, body: dict[str, Any], words: str
) -> None:
    before = caller.job(hand_job)["version"]
    refused(caller.into(hand_job, what, **body), 422, words)
    assert caller.job(hand_job)["version"] == before


def test_a_write_without_a_key_is_refused(caller: Caller, hand_job: int) -> None:
    for path, body in (
        (f"/api/jobs/{hand_job}/notes", {"version": 0, "text": "x"}),
        ("/api/jobs", {"sheet_id": 1, "set_name": "x"}),
        ("/api/sheets/from-template", FIVE_TUBE_FORM),
    ):
        assert refused(caller.http.post(path, json=body), 422)["field"] == "Idempotency-Key"


def test_order_is_kept(caller: Caller, hand_job: int) -> None:
    early = {"step": "bring-up.ramp", "ask": "held@line_v=57.5", "line": "57 0"}
    refused(caller.into(hand_job, "answers", **early), 409, "safety gate")
    assert caller.answer(hand_job, complaint="weak").status_code == 201
    late = {"step": "intake.story", "ask": "story", "fields": {"complaint": "again"}}
    refused(caller.into(hand_job, "answers", **late), 409, "not open any more")
    unseen = {"step": "cold.b-plus", "ask": "resistance", "line": "150k"}
    refused(caller.into(hand_job, "answers", **unseen), 409, "Acknowledge the caution")
    by_hand = caller.into(hand_job, "bench/measurements", step="cold.b-plus")
    refused(by_hand, 409, "worked by hand")


def test_a_turn_at_the_bench_has_its_limits(caller: Caller) -> None:
    job = open_job(caller, simulated_seed=4)
    wrong = caller.into(job, "bench/turns", step="intake.story", turns=0.1)
    refused(wrong, 409, "nothing to measure")
    refused(caller.into(job, "bench/turns", step="intake.story", turns=50), 422, "5")
    refused(
        caller.into(job, "moves", adjuster="bc-padder", turns="1", step=""), 409, "books itself"
    )


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "evil.example"}, 400),
        ({"origin": "http://evil.example"}, 403),
        ({"content-length": "99999999"}, 413),
    ],
)
def test_strangers_are_refused(caller: Caller, headers: dict[str, str], status: int) -> None:
    answer = caller.http.post("/api/jobs", content=b"{}", headers=headers)
    refused(answer, status)
    assert "default-src 'self'" in caller.http.get("/api/health").headers["content-security-policy"]
