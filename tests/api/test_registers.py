"""Registers, photos, function matrix, parts, stock, shopping list and earlier visits, as called."""

from __future__ import annotations

import base64
import csv
import io
from typing import Any

import pytest
from PIL import Image

from api.conftest import Caller, open_job


def registers(caller: Caller, job: int) -> dict[str, Any]:
    answer = caller.http.get(f"/api/jobs/{job}/registers")
    assert answer.status_code == 200
    return {r["name"]: r for r in answer.json()["registers"]}


def a_line(caller: Caller, job: int, register: str, key: str = "", **fields: str) -> Any:
    return caller.into(job, f"registers/{register}", fields=fields, line=key)


def test_a_line_is_written_changed_and_taken_out_and_the_log_keeps_all(
    caller: Caller, hand_job: int
) -> None:
    assert a_line(caller, hand_job, "parked", what="R14 looks browned").status_code == 201
    (line,) = registers(caller, hand_job)["parked"]["lines"]
    assert line["open"] and caller.job(hand_job)["parked"] == 1
    fields = {"what": "R14 looks browned", "state": "settled", "settled": "measured, 2 % high"}
    assert a_line(caller, hand_job, "parked", line["key"], **fields).status_code == 201
    (line,) = registers(caller, hand_job)["parked"]["lines"]
    assert not line["open"] and "2 % high" in line["details"]
    removed = caller.into(hand_job, f"registers/parked/{line['key']}/removal")
    assert removed.status_code == 201 and registers(caller, hand_job)["parked"]["lines"] == []
    log = [x["text"] for x in caller.job(hand_job)["log"] if x["kind"] == "noted"]
    assert len(log) == 3 and "(taken out)" in log[0]


def test_quantities_of_a_line_are_read_and_shown_again_as_typed(
    caller: Caller, hand_job: int
) -> None:
    fields = {"what": "aerial trimmer", "before_f": "32p"}
    assert a_line(caller, hand_job, "strip-down", **fields).status_code == 201
    (line,) = registers(caller, hand_job)["strip-down"]["lines"]
    assert line["fields"]["before_f"] == "32p" and "32.0 pF" in line["details"]


def test_the_log_names_a_line_by_what_it_is_about(caller: Caller, hand_job: int) -> None:
    """By its first field, whatever was typed into the others."""
    for register, fields in (
        ("strip-down", {"what": "aerial trimmer", "before_f": "33p"}),
        ("parked", {"what": "47 ohm resistor browned", "where": "behind V3"}),
        ("questions", {"question": "Who fitted the choke?", "answer": "Nobody knows"}),
        ("modifications", {"what": "choke on the lid", "where": "9", "purpose": "12"}),
    ):
        assert a_line(caller, hand_job, register, **fields).status_code == 201
    said = [line["text"] for line in caller.job(hand_job)["log"]][:4]
    assert said[::-1] == [
        "What came off: aerial trimmer",
        "Parked: seen, not now: 47 ohm resistor browned",
        "Questions to the owner: Who fitted the choke?",
        "Modifications: choke on the lid",
    ]


@pytest.mark.parametrize(
    ("path", "body", "status", "words"),
    [
        ("registers/wishes", {"fields": {}}, 404, "no register"),
        ("registers/parked", {"fields": {"what": ""}}, 422, "is empty"),
        ("registers/parked", {"fields": {"what": "x"}, "line": "77"}, 404, "no line"),
        ("registers/photos", {"fields": {"title": "x"}}, 409, "begins with its picture"),
        ("registers/questions", {"fields": {"question": "x", "photo": "y"}}, 422, "no photo of"),
        ("registers/parked/9/removal", {}, 404, "no line"),
        ("matrix", {"cells": []}, 422, "cells"),
        ("matrix", {"cells": [{"row": "x", "column": "plays", "text": "w"}]}, 422, "no band"),
        (
            "matrix",
            {"cells": [{"row": "bc AM", "column": "plays", "text": "quite"}]},
            422,
            "begin with w",
        ),
    ],
)
def test_what_cannot_be_right_is_refused_in_words(
    caller: Caller, hand_job: int, path: str, body: dict[str, Any], status: int, words: str
) -> None:
    version = caller.job(hand_job)["version"]
    answer = caller.into(hand_job, path, **body)
    assert answer.status_code == status, answer.text
    assert words in answer.json()["detail"]
    assert caller.job(hand_job)["version"] == version


def picture(kind: str = "JPEG", size: tuple[int, int] = (3000, 1500), **save: Any) -> bytes:
    page = io.BytesIO()
    Image.new("RGB", size, (120, 90, 60)).save(page, format=kind, **save)
    return page.getvalue()


def send_photo(caller: Caller, job: int, content: bytes, title: str = "underside") -> Any:
    version = caller.job(job)["version"]
    return caller.http.post(
        f"/api/jobs/{job}/photos",
        params={"version": version, "title": title},
        content=content,
        headers={**caller.once(), "content-type": "image/jpeg"},
    )


def test_a_photo_is_drawn_anew_made_small_and_kept_with_the_job(
    caller: Caller, hand_job: int
) -> None:
    exif = Image.Exif()
    exif[0x010E] = "where it was taken"
    sent = picture(exif=exif)
    assert send_photo(caller, hand_job, sent).status_code == 201
    (line,) = registers(caller, hand_job)["photos"]["lines"]
    where = f"/api/jobs/{hand_job}/photos/{line['photo_id']}"
    whole, small = (caller.http.get(where, params={"small": s}) for s in (False, True))
    assert whole.headers["content-type"] == "image/jpeg"
    assert whole.headers["x-content-type-options"] == "nosniff"
    assert b"where it was taken" in sent and b"where it was taken" not in whole.content
    sizes = [Image.open(io.BytesIO(a.content)).size for a in (whole, small)]
    assert sizes == [(2000, 1000), (280, 140)]
    document = caller.http.get(f"/api/jobs/{hand_job}/document").json()
    kept = base64.b64decode(document["photos"][0]["jpeg_base64"])
    assert kept == whole.content
    asked = a_line(caller, hand_job, "questions", question="whose is it?", photo="underside")
    assert asked.status_code == 201


def test_a_photo_of_another_job_is_not_to_be_had(caller: Caller, hand_job: int) -> None:
    send_photo(caller, hand_job, picture(size=(40, 30)))
    photo = registers(caller, hand_job)["photos"]["lines"][0]["photo_id"]
    other = open_job(caller)
    assert caller.http.get(f"/api/jobs/{other}/photos/{photo}").status_code == 404


@pytest.mark.parametrize(
    ("content", "status", "words"),
    [
        (b"", 422, "is empty"),
        (b"<svg onload=alert(1)>", 422, "no JPEG, PNG or WebP"),
        (picture()[:400], 422, "no JPEG, PNG or WebP"),
        (picture("GIF", (20, 20)), 422, "no JPEG, PNG or WebP"),
        (b"\xff" * 12_100_000, 413, "over 12 MB"),
    ],
    ids=["nothing", "markup", "cut off", "another format", "too large"],
)
def test_what_is_no_photo_is_refused(
    caller: Caller, hand_job: int, content: bytes, status: int, words: str
) -> None:
    answer = send_photo(caller, hand_job, content)
    assert answer.status_code == status and words in answer.json()["detail"]
    assert registers(caller, hand_job)["photos"]["lines"] == []


def test_other_bodies_stay_small(caller: Caller, hand_job: int) -> None:
    large = {"what": "x" * 2_100_000}
    assert a_line(caller, hand_job, "parked", **large).status_code == 413


def test_the_matrix_is_filled_by_cells(caller: Caller, hand_job: int) -> None:
    cells = [
        {"row": "bc AM", "column": "plays", "text": "w"},
        {"row": "sw AM", "column": "plays", "text": "f / a relay clicks"},
    ]
    assert caller.into(hand_job, "matrix", cells=cells).status_code == 201
    matrix = caller.http.get(f"/api/jobs/{hand_job}/matrix").json()
    assert [c["words"] for c in matrix["cells"]] == ["works", "fails / a relay clicks"]
    assert matrix["tried"]
    advice = caller.job(hand_job, "intake.matrix")["step"]["advice"]
    assert any("a relay clicks" in line for line in advice)
    empty = [{"row": "sw AM", "column": "plays", "text": ""}]
    assert caller.into(hand_job, "matrix", cells=empty).status_code == 201
    assert len(caller.http.get(f"/api/jobs/{hand_job}/matrix").json()["cells"]) == 1


def put_stock(caller: Caller, **body: Any) -> Any:
    return caller.write("/api/stock", {"kind": "electrolytic", "count": 2, **body})


def stock(caller: Caller) -> dict[str, int]:
    lines = caller.http.get("/api/stock").json()["lines"]
    return {f"{x['value']} {x['rating']}": x["count"] for x in lines}


def decide(caller: Caller, job: int, ref: str, decision: str, **fields: str) -> Any:
    step = caller.job(job)["step"]
    for caution in step["cautions"]:
        caller.into(job, "acknowledgements", step=step["key"], danger=caution["danger"])
    return caller.into(
        job, "answers", step=step["key"], ask=ref, fields={"decision": decision, **fields}
    )


def to_the_parts(caller: Caller, job: int, school: str = "dangerous first") -> None:
    caller.up_to(job, "parts.school")
    assert caller.answer(job, school=school).status_code == 201


def test_a_part_comes_from_stock_and_goes_back_when_it_is_withdrawn(
    caller: Caller, hand_job: int
) -> None:
    assert put_stock(caller, value="22u", rating="550").status_code == 201
    assert put_stock(caller, value="22u", rating="550").status_code == 201  # the same adds up
    to_the_parts(caller, hand_job)
    proposed = caller.http.get(f"/api/jobs/{hand_job}/parts/C20a/proposals").json()
    assert proposed["proposals"][0]["from_stock"] and "V" in proposed["words"]
    assert decide(caller, hand_job, "C20a", "restuff", measured="11u").status_code == 201
    assert stock(caller) == {"22.0 uF 550 V": 3}
    parts = caller.http.get(f"/api/jobs/{hand_job}/parts").json()["parts"]
    mine = next(p for p in parts if p["ref"] == "C20a")
    assert mine["settled"] and mine["fitted"] == "22.0 uF 550 V electrolytic"
    assert "outside its window" in mine["measured_words"] and mine["can"] == "C20"
    log = caller.job(hand_job)["log"]
    assert any("C20a renewed" in x["text"] for x in log)
    entered = next(x for x in log if x["kind"] == "entered")
    assert caller.into(hand_job, "withdrawals", seq=entered["seq"]).status_code == 201
    assert stock(caller) == {"22.0 uF 550 V": 4}


def test_another_proposal_than_the_first_is_taken_when_it_is_named(
    caller: Caller, hand_job: int
) -> None:
    stocked = put_stock(caller, kind="capacitor", value="10n", rating="630")
    assert stocked.status_code == 201
    to_the_parts(caller, hand_job)

    def offered(ref: str) -> list[dict[str, Any]]:
        found = caller.http.get(f"/api/jobs/{hand_job}/parts/{ref}/proposals")
        return list(found.json()["proposals"])

    ours, bought = offered("C15")
    assert (ours["from_stock"], bought["from_stock"]) == (True, False)
    assert decide(caller, hand_job, "C15", "fit", proposal="2").status_code == 201
    parts = caller.http.get(f"/api/jobs/{hand_job}/parts").json()["parts"]
    assert next(p for p in parts if p["ref"] == "C15")["fitted"] == bought["words"]
    assert stock(caller) == {"10.0 nF 630 V": 2}
    # one that is not offered is refused, not taken for the nearest
    assert len(offered("C20a")) == 1
    refused = decide(caller, hand_job, "C20a", "fit", proposal="2")
    assert refused.status_code == 422 and refused.json()["field"] == "proposal"
    assert decide(caller, hand_job, "C15", "fit").status_code == 201
    assert stock(caller) == {"10.0 nF 630 V": 1}


def test_what_is_ordered_for_all_open_jobs_is_one_list_less_stock(caller: Caller) -> None:
    jobs = [open_job(caller), open_job(caller)]
    for job in jobs:
        to_the_parts(caller, job)
        for ref in ("C20a", "C15"):
            assert decide(caller, job, ref, "order").status_code == 201
    lines = {x["words"]: x for x in caller.http.get("/api/shopping-list").json()["lines"]}
    paper = next(x for words, x in lines.items() if words.startswith("10.0 nF"))
    assert (paper["wanted"], paper["to_buy"]) == (2, 2) and len(paper["used_for"]) == 2
    put_stock(caller, kind="capacitor", value="10n", rating="630", count=1)
    rows = list(csv.DictReader(io.StringIO(caller.http.get("/api/shopping-list.csv").text)))
    row = next(r for r in rows if r["part"].startswith("10.0 nF"))
    assert (row["wanted"], row["in_stock"], row["to_buy"]) == ("2", "1", "1")
    assert float(row["value_si"]) == pytest.approx(10e-9)
    held = list(csv.DictReader(io.StringIO(caller.http.get("/api/stock.csv").text)))
    assert held[0]["count"] == "1"


@pytest.mark.parametrize(
    ("body", "field", "words"),
    [
        ({"kind": "choke", "value": "10", "rating": "1"}, "kind", "must be one of"),
        ({"kind": "resistor", "value": "0", "rating": "1"}, "value", "above zero"),
        ({"kind": "resistor", "value": "47k", "rating": "200"}, "rating", "up to 100 W"),
        ({"value": "22 apples", "rating": "450"}, "value", "is not understood"),
        ({"value": "22u", "rating": "450", "safety": "Z9"}, "safety class", "X1, X2"),
        ({"value": "22u", "rating": "-3"}, "rating", "above zero"),
    ],
)
def test_bad_stock_is_refused(caller: Caller, body: dict[str, str], field: str, words: str) -> None:
    answer = put_stock(caller, **body)
    assert answer.status_code == 422
    assert answer.json()["field"] == field and words in answer.json()["detail"]


def test_stock_is_counted(caller: Caller) -> None:
    number = put_stock(caller, value="22u", rating="450").json()["id"]
    assert caller.write(f"/api/stock/{number}/count", {"count": 7}).status_code == 201
    assert stock(caller) == {"22.0 uF 450 V": 7}
    assert caller.write("/api/stock/99/count", {"count": 7}).status_code == 404


def test_bad_measured_values_of_parts_are_refused(caller: Caller, hand_job: int) -> None:
    to_the_parts(caller, hand_job)
    for ref in [p["ref"] for p in caller.http.get(f"/api/jobs/{hand_job}/parts").json()["parts"]]:
        if caller.job(hand_job)["step"]["key"] != "parts.first":
            break
        decide(caller, hand_job, ref, "keep")
    assert caller.job(hand_job)["step"]["key"] == "parts.resistors"
    short = decide(caller, hand_job, "R12", "keep", measured="0")
    assert short.status_code == 422 and "is a short" in short.json()["detail"]
    assert caller.http.get(f"/api/jobs/{hand_job}/parts/C99/proposals").status_code == 404


def test_a_set_that_comes_again_shows_its_earlier_visits(caller: Caller, hand_job: int) -> None:
    caller.answer(hand_job, complaint="hum since spring")
    caller.into(hand_job, "changes", what="supply", note="filter renewed")
    (known,) = caller.http.get("/api/sets").json()["sets"]
    sheet = caller.http.get("/api/sheets").json()[0]["id"]
    body = {"sheet_id": sheet, "set_name": "", "set_id": known["id"]}
    again = caller.write("/api/jobs", body)
    assert again.status_code == 201
    (visit,) = caller.job(again.json()["id"])["visits"]
    assert visit["complaint"] == "hum since spring" and visit["changed"] == ["filter renewed"]
    assert caller.http.get("/api/sets").json()["sets"][0]["visits"] == 2
    assert caller.write("/api/jobs", {**body, "set_id": 99}).status_code == 404
