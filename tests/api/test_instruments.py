"""Jobs read from network instruments: registered, tried, measured, and lost in the middle."""

from __future__ import annotations

import base64
import csv
import hashlib
import json
import threading
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from sqlalchemy import event

from api.conftest import Caller, open_job
from glowdial.core.bench.watch import guard_of
from glowdial.core.language.errors import Conflict
from glowdial.demo.fill import tidewater_sheet
from glowdial.sim.instruments import instruments
from glowdial.sim.room import SimulatedRoom
from glowdial.sim.servers import InstrumentServer, stop
from glowdial.workshop.base.derived import Derivations
from glowdial.workshop.base.jobs import job_page
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.bench_work import live_values

KINDS = {"generator": "generator", "multimeter": "multimeter", "supply": "line supply"}


def register(caller: Caller, servers: dict[str, InstrumentServer]) -> None:
    for name, kind in KINDS.items():
        body = {"name": name, "kind": kind, "host": "127.0.0.1", "port": servers[name].port}
        assert caller.write("/api/instruments", body).status_code == 201


def test_instruments_are_registered_tried_and_removed(
    caller: Caller, servers: dict[str, InstrumentServer]
) -> None:
    register(caller, servers)
    listed = caller.http.get("/api/instruments").json()
    assert [i["kind"] for i in listed] == list(KINDS.values())
    said = caller.http.post(f"/api/instruments/{listed[1]['id']}/trial").json()
    assert "MULTIMETER" in said["identity"]
    gone = caller.http.delete(f"/api/instruments/{listed[0]['id']}", headers=caller.once())
    assert gone.status_code == 204
    assert len(caller.http.get("/api/instruments").json()) == 2
    again = caller.http.delete(f"/api/instruments/{listed[0]['id']}", headers=caller.once())
    assert again.status_code == 404


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"kind": "toaster"}, "kind", "must be one of"),
        ({"name": " "}, "name", "needs a name"),
        ({"host": "a b"}, "instrument", "host and a port"),
        ({"port": 0}, "instrument", "host and a port"),
        ({"profile": "kind = generator"}, "profile", "has no words"),
        ({"profile": "nonsense"}, "profile, line 1", "call = words"),
        ({"limits": {"input": "heavy"}}, "input", "not understood"),
        ({"limits": {"lowest": "1k"}}, "limit", "is not one of"),
        ({"kind": "line supply", "limits": {"input": "1M"}}, "limits", "are not kept of"),
    ],
)
def test_a_bad_registration_keeps_nothing(
    caller: Caller, changes: dict[str, Any], field: str, words: str
) -> None:
    body = {"name": "m", "kind": "multimeter", "host": "127.0.0.1", "port": 5025} | changes
    answer = caller.write("/api/instruments", body)
    assert answer.status_code == 422 and answer.json()["field"] == field
    assert words in answer.json()["detail"]
    assert caller.http.get("/api/instruments").json() == []


def test_a_job_takes_its_readings_and_survives_the_plug(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom, workshop: Workshop
) -> None:
    register(caller, servers)
    job = open_job(caller, network=True)
    hands = instruments(room)["hands"]
    caller.up_to_the_ramp(job)
    hands.respond("PROB b-plus")
    for _ in range(3):
        line = caller.into(job, "bench/measurements", step="bring-up.ramp").json()["line"]
        assert caller.answer(job, line).status_code == 201
    stop(servers)
    workshop.lines.close()
    lost = caller.into(job, "bench/measurements", step="bring-up.ramp")
    assert lost.status_code == 502 and "Readings so far are kept" in lost.json()["detail"]
    assert len(caller.job(job)["step"]["results"]) == 3
    back = {n: InstrumentServer(instruments(room)[n], servers[n].port) for n in KINDS}
    for server in back.values():
        threading.Thread(target=server.serve_forever, daemon=True).start()
    line = caller.into(job, "bench/measurements", step="bring-up.ramp").json()["line"]
    assert caller.answer(job, line).status_code == 201
    results = caller.job(job)["step"]["results"]
    assert len(results) == 4
    assert sources(caller, job, "bring-up.ramp") == ["network"] * 8
    assert caller.answer(job, "196 190").status_code == 201
    assert sources(caller, job, "bring-up.ramp")[-2:] == ["hand", "hand"]
    assert float(results[-1]["text"].split()[0]) == pytest.approx(
        room.receiver.b_plus_v(161.0), rel=0.01
    )
    stop(back)


def sources(caller: Caller, job: int, step: str) -> list[str]:
    """Where the values of a step came from, by the table and by the whole document."""
    rows = csv.DictReader(caller.http.get(f"/api/jobs/{job}/readings.csv").text.splitlines())
    listed = [row["source"] for row in rows if row["step"] == step]
    document = caller.http.get(f"/api/jobs/{job}/document").json()
    mine = {a["id"] for a in document["answers"] if a["step"] == step}
    assert listed == [o["source"] for o in document["observations"] if o["answer_id"] in mine]
    return listed


TUBES = {"V1": "T1", "V2": "X2", "V3": "DET", "V4": "OUT", "V5": "REC", "V6": "EYE"}


def test_electrodes_of_tubes_by_any_name_are_told_apart(
    caller: Caller, servers: dict[str, InstrumentServer]
) -> None:
    """One meter cannot lie on several electrodes, whatever the tubes are called."""
    text = tidewater_sheet()
    for was, name in TUBES.items():
        text = text.replace(f'"{was}"', f'"{name}"')
    register(caller, servers)
    job = open_job(caller, sheet=text, network=True)
    caller.up_to(job, "bring-up.chart")
    asked = set()
    while (state := caller.job(job))["step"]["key"] == "bring-up.chart":
        ask = state["step"]["ask"]
        asked.add(ask["key"])
        if ask["key"] in TUBES.values() and len(ask["fields"]) > 1:
            done = caller.into(job, "bench/measurements", step="bring-up.chart", ask=ask["key"])
            assert done.status_code == 409, (ask["key"], done.text)
            assert "from place to place" in done.json()["detail"]
        assert caller.plainly(job, state).status_code == 201
    assert {"T1", "X2", "OUT"} <= asked


def test_a_trace_is_kept_once_with_its_figures_and_read_again(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom, workshop: Workshop
) -> None:
    body = {"kind": "oscilloscope", "host": "127.0.0.1", "name": "scope"}
    scope = caller.write("/api/instruments", body | {"port": servers["oscilloscope"].port}).json()
    job, other = open_job(caller, network=True), open_job(caller)
    room.change(line_v=230.0)
    room.probe = "b-plus"
    trace = {"instrument_id": scope["id"], "place": "b-plus", "seconds": 0.05}
    early = caller.into(job, "traces", **trace)
    assert early.status_code == 409 and "gate" in early.json()["detail"]
    caller.up_to_the_ramp(job)
    kept = caller.into(job, "traces", **trace)
    assert kept.status_code == 201, kept.text
    digest = kept.json()["trace"]
    page = caller.http.get(f"/api/jobs/{job}/traces/{digest}")
    assert page.headers["content-type"].startswith("text/csv")
    rows = list(csv.DictReader(page.text.splitlines()))
    volts = np.array([float(r["volts"]) for r in rows])
    assert len(rows) > 100 and float(rows[-1]["seconds"]) == pytest.approx(0.05)
    document = caller.http.get(f"/api/jobs/{job}/document").json()
    seen = {o["kind"]: o for o in document["observations"] if o["blob"] == digest}
    assert seen["DC volts"]["value"] == pytest.approx(
        np.trapezoid(volts) / (len(volts) - 1), rel=0.02
    )
    assert seen["ripple"]["value"] == pytest.approx(volts.max() - volts.min(), rel=1e-6)
    assert {o["source"] for o in seen.values()} == {"network"}
    (blob,) = document["blobs"]
    assert hashlib.sha256(base64.b64decode(blob["base64"])).hexdigest() == digest
    # the journey goes on as it was, and the log tells of it
    assert caller.job(job)["log"][0]["text"].startswith("Trace: b-plus")
    assert caller.http.get(f"/api/jobs/{other}/traces/{digest}").status_code == 404
    wrong = caller.into(job, "traces", **{**trace, "place": "V9 plate"})
    assert wrong.status_code == 404 and "V9 plate" in wrong.json()["detail"]


def test_a_job_is_read_without_its_traces(
    caller: Caller, servers: dict[str, InstrumentServer], workshop: Workshop
) -> None:
    body = {"kind": "oscilloscope", "host": "127.0.0.1", "name": "scope"}
    scope = caller.write("/api/instruments", body | {"port": servers["oscilloscope"].port}).json()
    job = open_job(caller, network=True)
    caller.up_to_the_ramp(job)
    trace = {"instrument_id": scope["id"], "place": "b-plus", "seconds": 0.05}
    digest = caller.into(job, "traces", **trace).json()["trace"]
    read: list[str] = []
    event.listen(
        workshop.database.engine,
        "before_cursor_execute",
        lambda *parts: read.append(str(parts[2])),
    )
    fresh = replace(workshop, derivations=Derivations())
    job_page(fresh, job)
    assert read and not [statement for statement in read if "blobs" in statement]
    caller.http.get(f"/api/jobs/{job}/traces/{digest}")
    assert [statement for statement in read if "blobs.content" in statement]


def test_without_the_instrument_it_is_said(caller: Caller) -> None:
    job = open_job(caller, network=True)
    caller.up_to(job, "cold.b-plus")
    step = {"step": "cold.b-plus", "danger": "filter capacitors"}
    assert caller.into(job, "acknowledgements", **step).status_code == 201
    refused = caller.into(job, "bench/measurements", step="cold.b-plus")
    assert refused.status_code == 409 and "No multimeter is registered" in refused.json()["detail"]


def test_one_call_stops_all_outputs_and_says_what_it_could_not(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom, workshop: Workshop
) -> None:
    register(caller, servers)
    job = open_job(caller, network=True)
    parts = instruments(room)
    parts["supply"].respond("VOLT 230;OUTP ON")
    parts["generator"].respond("VOLT 1 mV;OUTP ON")
    assert caller.http.post(f"/api/jobs/{job}/bench/stop").json() == {"failed": []}
    assert (room.state.line_v, room.state.generator_emf_v) == (0.0, 0.0)
    stop(servers)
    workshop.lines.close()
    failed = caller.http.post(f"/api/jobs/{job}/bench/stop").json()["failed"]
    assert len(failed) == 2 and all(f.startswith("NOT switched off") for f in failed)


def test_limits_are_kept_and_the_steps_of_a_job_keep_to_them(caller: Caller) -> None:
    limits = {"least": "1m", "greatest": "100m", "known": "crystal"}
    body = {"name": "attic generator", "kind": "generator", "limits": limits}
    assert caller.write("/api/instruments", body).status_code == 201
    listed = caller.http.get("/api/instruments").json()[0]
    assert listed["host"] == "" and "1.00 mV to 100 mV EMF" in listed["limits"]
    said = caller.http.post(f"/api/instruments/{listed['id']}/trial")
    assert said.status_code == 409 and "worked by hand" in said.json()["detail"]
    job = open_job(caller)
    step = caller.http.get(f"/api/jobs/{job}", params={"step": "proof.found.bc.2"}).json()["step"]
    assert any("pad of" in note for note in step["notes"])


def test_a_trace_comes_over_the_network(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom
) -> None:
    body = {"kind": "oscilloscope", "host": "127.0.0.1", "name": "scope"}
    caller.write("/api/instruments", body | {"port": servers["oscilloscope"].port})
    register(caller, servers)
    parts = instruments(room)
    parts["hands"].respond('PROB avc;CLIP ON;INJ "mixer grid"')
    parts["supply"].respond("VOLT 230;OUTP ON")
    parts["generator"].respond("VOLT 300 uV;OUTP ON;SWE:TIME 0.05;SWE:STAT ON")
    trace = caller.http.post("/api/instruments/1/trace", json={"seconds": 0.05}).json()
    assert len(trace["volts"]) == 501 and min(trace["volts"]) < -0.3
    long = caller.http.post("/api/instruments/1/trace", json={"seconds": 1e4})
    assert long.status_code == 422 and "100" in long.json()["detail"]
    meter = caller.http.post("/api/instruments/2/trace", json={})
    assert meter.status_code == 409 and "no oscilloscope" in meter.json()["detail"]


def test_the_guard_watches_the_line_current(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom, workshop: Workshop
) -> None:
    register(caller, servers)
    job = open_job(caller, network=True)
    parts = instruments(room)
    parts["hands"].respond("PROB avc")
    parts["supply"].respond("VOLT 230;OUTP ON")
    calm = next(live_values(workshop, job, guard_of("line current", "", "2000")))
    assert calm.guard is not None and not calm.guard.alarm
    tight = next(live_values(workshop, job, guard_of("line current", "", "20")))
    assert tight.guard is not None and tight.guard.alarm
    # B+ wants a meter of its own
    with pytest.raises(Conflict, match="second multimeter"):
        next(live_values(workshop, job, guard_of("b-plus", "180", "260")))
    second = {"name": "guard", "kind": "multimeter", "host": "127.0.0.1"}
    caller.write("/api/instruments", second | {"port": servers["multimeter"].port})
    watched = next(live_values(workshop, job, guard_of("b-plus", "180", "260")))
    assert watched.guard is not None


def test_live_values_are_pushed_with_the_peak_held(
    caller: Caller, servers: dict[str, InstrumentServer], room: SimulatedRoom, workshop: Workshop
) -> None:
    register(caller, servers)
    job = open_job(caller, network=True)
    parts = instruments(room)
    parts["hands"].respond('PROB avc;CLIP ON;INJ "mixer grid"')
    parts["supply"].respond("VOLT 230;OUTP ON")
    parts["generator"].respond("FREQ 465 kHz;VOLT 300 uV;OUTP ON")

    values = live_values(workshop, job)
    first = next(values)
    parts["generator"].respond("FREQ 475 kHz")
    second = next(values)
    assert second.value < first.value == second.held
    assert second.tone_hz < first.tone_hz == 440.0
    assert float(second.typed) == pytest.approx(-second.value, abs=1e-3)
    assert "past it, go back" in second.words
    stop(servers)
    workshop.lines.close()
    events = caller.http.get(f"/api/jobs/{job}/bench/live").text
    assert events.startswith("event: trouble")
    assert "Readings so far are kept" in json.loads(events.split("data: ")[1])["detail"]
