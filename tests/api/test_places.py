"""Places on a chassis through the interface: put, moved, refused, pinned on a photo."""

from __future__ import annotations

import io

from PIL import Image

from api.conftest import Caller, open_job
from glowdial.demo.fill import demo_sheet


def _put(caller: Caller, job: int, line: str = "", **fields: str) -> int:
    told = {"side": "top", "x": "40", "y": "60", **fields}
    done = caller.into(job, "registers/places", line=line, fields=told)
    return done.status_code


def _things(caller: Caller, job: int) -> dict[str, dict[str, object]]:
    page = caller.http.get(f"/api/jobs/{job}/chassis").json()
    told = {}
    for thing in page["things"]:
        place = thing["place"] or {"side": None, "photo_id": 0}
        told[f"{thing['what']} {place['photo_id']}"] = {**thing, **place}
    return told


def test_a_set_without_places_is_placed_by_hand_and_moved_again(caller: Caller) -> None:
    job = open_job(caller, demo_sheet("sheepwalk-four"))
    assert all(t["side"] is None for t in _things(caller, job).values())
    assert _put(caller, job, what="t1-primary", side="underside", x="120") == 201
    placed = _things(caller, job)["t1-primary 0"]
    assert (placed["side"], placed["x_mm"], placed["y_mm"]) == ("underside", 120.0, 60.0)
    assert _put(caller, job, line=str(placed["line"]), what="t1-primary", x="130") == 201
    again = _things(caller, job)["t1-primary 0"]
    assert (again["side"], again["x_mm"]) == ("top", 130.0)
    assert again["line"] == placed["line"]
    for wrong in ({"x": "far"}, {"x": "-5"}, {"side": "inside"}, {"x": "99999"}):
        assert _put(caller, job, what="t1-primary", **wrong) == 422


def test_what_is_placed_in_the_job_stands_before_the_sheet(caller: Caller) -> None:
    job = open_job(caller)
    before = _things(caller, job)["V1 0"]
    assert before["line"] == "" and before["side"] == "top"
    assert _put(caller, job, what="V1", x="11", y="12") == 201
    after = _things(caller, job)["V1 0"]
    assert (after["x_mm"], after["y_mm"]) == (11.0, 12.0) and after["line"]


def test_a_pin_needs_its_photo_and_stays_on_it(caller: Caller) -> None:
    job = open_job(caller)
    assert _put(caller, job, what="bc-padder", side="photo") == 422
    assert _put(caller, job, what="bc-padder", side="photo", photo="underside") == 422
    page = io.BytesIO()
    Image.new("RGB", (40, 30), (90, 80, 70)).save(page, "PNG")
    sent = caller.http.post(
        f"/api/jobs/{job}/photos",
        params={"version": caller.job(job)["version"], "title": "underside"},
        content=page.getvalue(),
        headers={**caller.once(), "content-type": "image/png"},
    )
    assert sent.status_code == 201
    assert _put(caller, job, what="bc-padder", side="top", photo="underside") == 422
    pinned = {"what": "bc-padder", "side": "photo", "photo": "underside"}
    assert _put(caller, job, **pinned, x="1001") == 422
    assert _put(caller, job, **pinned, x="250", y="500") == 201
    pin = next(t for t in _things(caller, job).values() if t["photo_id"])
    assert (pin["what"], pin["x_mm"], pin["y_mm"]) == ("bc-padder", 250.0, 500.0)
    # the place on the chassis, by the sheet, is still there
    assert _things(caller, job)["bc-padder 0"]["side"] == "rear"
