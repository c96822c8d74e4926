"""What must survive rough handling: damaged photos, hostile words, a plug pulled under writes.

python -m benchmarks.rough_handling [PHOTOS] [WORDS] [PLUGS]
"""

from __future__ import annotations

import csv
import http.client
import io
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from fastapi.testclient import TestClient
from PIL import Image

from glowdial.api.app import create_app
from glowdial.core.language.errors import BadInput
from glowdial.demo.fill import DemoClock, tidewater_sheet
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import import_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.stages.photos import drawn_anew

PHOTOS, WORDS, PLUGS = 6_000, 2_000, 150
# of each writer, the last of what was answered
SENT_AGAIN = 14
ENDS = ("alarm", "off", "cause")
HOST = {"host": "127.0.0.1"}
PORT = 8799


def pictures() -> list[bytes]:
    """Sound pictures of every kind that is taken, with EXIF and a comment where there may be."""
    rng = np.random.default_rng(1)
    plain = Image.fromarray(rng.integers(0, 255, (120, 160, 3), dtype=np.uint8))
    exif = Image.Exif()
    exif[0x0112] = 6
    kinds: list[dict[str, Any]] = [
        {"format": "JPEG", "exif": exif, "comment": b"a remark"},
        {"format": "JPEG", "progressive": True},
        {"format": "PNG"},
        {"format": "WEBP"},
    ]
    found = []
    for kind in kinds:
        page = io.BytesIO()
        plain.save(page, **kind)
        found.append(page.getvalue())
    return found


def damaged(whole: bytes, dice: random.Random) -> bytes:
    """Bytes changed, cut off, doubled, or put in from elsewhere."""
    page = bytearray(whole)
    for _ in range(dice.choice((1, 3, 20))):
        at = dice.randrange(len(page))
        match dice.randrange(4):
            case 0:
                page[at] = dice.randrange(256)
            case 1:
                del page[at : at + dice.randrange(1, 400)]
            case 2:
                page[at:at] = page[max(0, at - 200) : at]
            case _:
                page[at : at + 8] = dice.randbytes(8)
        if not page:
            return b"\x00"
    return bytes(page)


def photos(count: int) -> Counter[str]:
    """Damaged pictures one after the other: drawn anew or refused, and nothing else."""
    dice, whole = random.Random(9), pictures()
    told: Counter[str] = Counter()
    for n in range(count):
        try:
            drawn = drawn_anew(damaged(whole[n % len(whole)], dice))
            told["drawn anew" if drawn.image[:2] == b"\xff\xd8" else "NO JPEG"] += 1
        except BadInput:
            told["refused"] += 1
        except Exception as error:
            told[f"ERROR {type(error).__name__}"] += 1
    return told


BITS = (
    "<script>alert(1)</script>",
    "'; DROP TABLE jobs; --",
    '=HYPERLINK("x")',
    "+1+cmd",
    "-2",
    "@SUM",
    "\u202e",
    "\u0000",
    "\ud800",
    "\U0001f4fb",
    "e\u0301",
    "\r\n",
    "\t",
    '"',
    "\\",
    "{{7*7}}",
    "%s%n",
    "${jndi}",
    "../../etc",
    "smoke",
    "NaN",
    "1e999",
    "\ufeff",
    "\u2028",
    "a" * 300,
)


def hostile(dice: random.Random) -> str:
    """Some of what nobody types, one after the other."""
    return "".join(dice.choice(BITS) for _ in range(dice.randrange(1, 5)))


def words(count: int) -> Counter[str]:
    """Hostile words through every text field; read back in the page's answers, JSON and CSV."""
    with tempfile.TemporaryDirectory() as folder:
        database = Database(sqlite_url(Path(folder) / "words.sqlite"))
        database.migrate()
        workshop = Workshop(database, DemoClock())
        sheet = import_sheet(workshop, "sheet-00001", tidewater_sheet())
        open_job(workshop, "open-000001", OpenCommand(sheet, "Reading room receiver"))
        client = TestClient(create_app(workshop), base_url="http://127.0.0.1", headers=HOST)
        with client:
            told = _through_every_field(client, count)
        workshop.lines.close()
        return told


def _through_every_field(client: TestClient, count: int) -> Counter[str]:
    dice = random.Random(5)
    told: Counter[str] = Counter()
    kept: list[str] = []
    for n in range(count):
        text = hostile(dice)
        path, body = _entry(n, text)
        if "version" in body:
            body["version"] = client.get("/api/jobs/1").json()["version"]
        content = json.dumps(body).encode("utf-8", "surrogatepass")
        headers = {"content-type": "application/json", "idempotency-key": f"words-{n:06d}"}
        answer = client.post(path, content=content, headers=headers)
        told["kept" if answer.status_code == 201 else f"{answer.status_code}"] += 1
        if answer.status_code >= 500:
            told["ERROR of ours"] += 1
        if answer.status_code == 201 and body.get("text") == text:
            kept.append(text.strip())
    document = client.get("/api/jobs/1/document").json()
    notes = {x["text"] for x in document["notes"]}
    told["lost in JSON"] = sum(text not in notes for text in kept)
    page = client.get("/api/jobs/1/readings.csv")
    rows = list(csv.reader(io.StringIO(page.text)))
    told["live cells in CSV"] = sum(c[:1] in ("=", "+", "@") for row in rows[1:] for c in row)
    log = client.get("/api/jobs/1")
    told["page's answer"] = log.status_code
    return told


ENTRIES: tuple[tuple[str, dict[str, Any]], ...] = (
    ("notes", {"step": "", "text": "*"}),
    ("notes", {"step": "*", "text": "x"}),
    ("temporary-connections", {"what": "*", "place": "x"}),
    ("temporary-connections", {"what": "x", "place": "*"}),
    ("changes", {"what": "supply", "note": "*"}),
    ("changes", {"what": "*", "note": "x"}),
    ("moves", {"adjuster": "*", "turns": "1"}),
    ("moves", {"adjuster": "t1-primary", "turns": "*"}),
    ("registers/parked", {"fields": {"what": "*", "where": "x"}}),
    ("registers/parked", {"fields": {"what": "x", "where": "*"}}),
    ("registers/parked", {"line": "*", "fields": {"what": "x", "where": "x"}}),
    ("registers/modifications", {"fields": {"what": "*", "where": "*", "fate": "*"}}),
    ("registers/questions", {"fields": {"question": "*", "answer": "*"}}),
    ("registers/found-parts", {"fields": {"ref": "*", "marked": "*", "kind": "*", "use": "*"}}),
    ("closures", {"step": "intake.story", "reason": "*", "decided_by": "*"}),
    ("closures", {"step": "*", "reason": "x", "decided_by": "x"}),
    ("acknowledgements", {"step": "*", "danger": "*"}),
    ("answers", {"step": "intake.story", "ask": "story", "fields": {"complaint": "*"}}),
    ("answers", {"step": "intake.story", "ask": "story", "fields": {"*": "*"}}),
    ("answers", {"step": "*", "ask": "*", "line": "*"}),
    ("answers", {"step": "intake.label", "ask": "label", "line": "*"}),
    ("matrix", {"cells": [{"row": "*", "column": "*", "text": "*"}]}),
    ("matrix", {"cells": [{"row": "bc AM", "column": "plays", "text": "*"}]}),
    ("reopenings", {"reason": "*"}),
)
AT_HOME: tuple[tuple[str, dict[str, Any]], ...] = (
    ("/api/jobs", {"sheet_id": 1, "set_name": "*", "serial": "*"}),
    ("/api/stock", {"kind": "*", "value": "*", "rating": "*", "count": 1}),
    ("/api/stock", {"kind": "capacitor", "value": "10n", "rating": "*", "count": 1}),
    ("/api/instruments", {"name": "*", "kind": "generator", "host": "*", "port": 5025}),
    (
        "/api/sheets/from-template",
        {
            "maker": "*",
            "model": "*",
            "intermediate_frequency": "455",
            "line_up": "*",
            "bands": [{"name": "*", "low": "540", "high": "1600"}],
        },
    ),
)


def _entry(n: int, text: str) -> tuple[str, dict[str, Any]]:
    """A path and its body, with the words wherever a star stands."""
    every = len(ENTRIES) + len(AT_HOME)
    place = n % every
    if place < len(ENTRIES):
        name, body = ENTRIES[place]
        return f"/api/jobs/1/{name}", {**_filled(body, text), "version": 0}
    path, body = AT_HOME[place - len(ENTRIES)]
    return path, _filled(body, text)


def _filled(what: Any, text: str) -> Any:
    if isinstance(what, dict):
        return {(text if k == "*" else k): _filled(v, text) for k, v in what.items()}
    if isinstance(what, list):
        return [_filled(v, text) for v in what]
    return text if what == "*" else what


@dataclass(frozen=True)
class Sent:
    """One request that was answered, to be sent again as it was."""

    path: str
    body: dict[str, Any] | bytes
    key: str
    answer: Any


@dataclass
class Writer:
    """Somebody who writes all kinds of entries, and knows what was answered."""

    name: str
    job: int
    answered: list[tuple[str, str]] = field(default_factory=list)
    sent: list[tuple[str, str]] = field(default_factory=list)
    kept: list[Sent] = field(default_factory=list)
    refused: Counter[str] = field(default_factory=Counter)

    def write(self, halt: threading.Event) -> None:
        """On and on until the plug is pulled."""
        n, dice = 0, random.Random(self.name)
        while not halt.is_set():
            n += 1
            kinds = self._kinds(f"{self.name}-{n}")
            # an alarm, once raised, is followed to its end, wherever it falls among the others
            dice.shuffle(kinds)
            kinds.sort(key=lambda k: ENDS.index(k[0]) if k[0] in ENDS else -1)
            for kind, path, body in kinds[-dice.randrange(4, len(kinds)) :]:
                try:
                    self._send(kind, path, body, f"{self.name}-{n:06d}-{kind}")
                except (OSError, http.client.HTTPException):
                    # the plug was pulled in the middle of an answer
                    return

    def _kinds(self, mark: str) -> list[tuple[str, str, dict[str, Any] | bytes]]:
        job = f"/api/jobs/{self.job}"
        label = {"chassis": "mains transformer", "luminous": "no", "label_v": "110"}
        cells = [{"row": "bc AM", "column": "plays", "text": f"w / cell {mark}."}]
        return [
            ("note", f"{job}/notes", {"step": "", "text": f"note {mark}."}),
            (
                "parked",
                f"{job}/registers/parked",
                {"fields": {"what": f"parked {mark}.", "where": "x"}},
            ),
            ("clip", f"{job}/temporary-connections", {"what": f"clip {mark}.", "place": "x"}),
            ("change", f"{job}/changes", {"what": "supply", "note": f"change {mark}."}),
            ("label", f"{job}/answers", {"step": "intake.label", "ask": "label", "fields": label}),
            (
                "closure",
                f"{job}/closures",
                {"step": "intake.label", "reason": f"closure {mark}.", "decided_by": "bench"},
            ),
            ("move", f"{job}/moves", {"adjuster": "t1-primary", "turns": "1/16"}),
            ("cells", f"{job}/matrix", {"cells": cells}),
            ("seen", f"{job}/acknowledgements", {"step": "cold.b-plus", "danger": "mains"}),
            ("alarm", f"{job}/alarms", {"sign": "smoke", "words": f"alarm {mark}."}),
            ("off", f"{job}/alarms/switched-off", {}),
            ("cause", f"{job}/alarms/settlement", {"cause": f"cause {mark}.", "done": "mended"}),
            ("photo", f"{job}/photos?title=photo {mark}.".replace(" ", "%20"), SMALL_PICTURE),
            ("open", "/api/jobs", {"sheet_id": 1, "set_name": f"open {mark}."}),
        ]

    def _send(self, kind: str, path: str, body: dict[str, Any] | bytes, key: str) -> None:
        for _ in range(4):
            asked = path
            if path != "/api/jobs":
                version = call(f"/api/jobs/{self.job}")["version"]
                if isinstance(body, bytes):
                    asked = f"{path}&version={version}"
                else:
                    body = {**body, "version": version}
            self.sent.append((kind, mark_of(kind, path, body)))
            try:
                answer = call(asked, body, key)
            except urllib.error.HTTPError as error:
                if error.code == 409:
                    continue
                ours = "ERROR of ours, " if error.code >= 500 else ""
                self.refused[f"{ours}{kind} {error.code}"] += 1
                return
            self.answered.append((kind, mark_of(kind, path, body)))
            self.kept.append(Sent(asked, body, key, answer))
            return


def _small_picture() -> bytes:
    page = io.BytesIO()
    Image.new("RGB", (32, 24), (90, 80, 70)).save(page, "PNG")
    return page.getvalue()


SMALL_PICTURE = _small_picture()


def mark_of(kind: str, path: str, body: dict[str, Any] | bytes) -> str:
    """The words by which an entry is found again; "" for one that has none."""
    if isinstance(body, bytes):
        return urllib.parse.unquote(path.partition("title=")[2])
    texts = [str(v) for v in (*body.values(), *body.get("fields", {}).values())]
    return next((t for t in texts if t.startswith(f"{kind} ")), "")


def call(path: str, body: dict[str, Any] | bytes | None = None, key: str = "") -> Any:
    """One request; the answer's JSON."""
    data = body if body is None or isinstance(body, bytes) else json.dumps(body).encode()
    kind = "image/png" if isinstance(body, bytes) else "application/json"
    headers = {"content-type": kind, "idempotency-key": key}
    asked = urllib.request.Request(f"http://127.0.0.1:{PORT}{path}", data, headers)
    with urllib.request.urlopen(asked, timeout=20) as answer:
        return json.loads(answer.read())


def started(folder: Path) -> subprocess.Popen[bytes]:
    """The server over a file, when it answers."""
    root = Path(__file__).resolve().parents[1]
    command = [sys.executable, "-m", "glowdial", "run", "--port", str(PORT), "--data", str(folder)]
    command += ["--web", str(root / "web" / "dist")]
    surroundings = {**os.environ, "PYTHONPATH": str(root / "src")}
    process = subprocess.Popen(command, env=surroundings, stdout=subprocess.DEVNULL)
    for _ in range(300):
        try:
            call("/api/health")
            return process
        except OSError:
            time.sleep(0.05)
    raise AssertionError("the server did not answer")


def plugs(count: int) -> Counter[str]:
    """Kill -9 under concurrent writes of every kind: nothing answered lost, nothing doubled."""
    dice = random.Random(3)
    told: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        process = started(folder)
        sheet = urllib.request.Request(
            f"http://127.0.0.1:{PORT}/api/sheets",
            tidewater_sheet().encode(),
            {"content-type": "text/plain", "idempotency-key": "the-sheet-1"},
        )
        urllib.request.urlopen(sheet, timeout=20).close()
        for round_ in range(count):
            jobs = [
                call("/api/jobs", {"sheet_id": 1, "set_name": "a set"}, f"the-set-{round_:04d}-{n}")
                for n in range(2)
            ]
            # two write into one job, and two into one each
            places = [jobs[0]["id"], jobs[0]["id"], jobs[1]["id"]]
            writers = [Writer(f"w{round_}-{n}", job) for n, job in enumerate(places)]
            halt = threading.Event()
            hands = [threading.Thread(target=w.write, args=(halt,)) for w in writers]
            for hand in hands:
                hand.start()
            time.sleep(dice.uniform(0.2, 2.2))
            process.send_signal(signal.SIGKILL)
            halt.set()
            for hand in hands:
                hand.join()
            process.wait()
            process = started(folder)
            told += _found_again(writers)
            told["plugs"] += 1
        process.kill()
        process.wait()
    return told


def _found_again(writers: list[Writer]) -> Counter[str]:
    """What was answered stands once, and what was not stands at most once; sent again as it was,
    it is answered as it was, and writes nothing."""
    told: Counter[str] = Counter()
    opened = [x["set_name"] for x in _shelf()]
    for writer in writers:
        document = call(f"/api/jobs/{writer.job}/document")
        text = json.dumps({k: v for k, v in document.items() if k not in ("log", "told")})
        for kind, mark in dict.fromkeys(writer.sent):
            if not mark:
                continue
            times = opened.count(mark) if kind == "open" else text.count(json.dumps(mark))
            answered = (kind, mark) in writer.answered
            told[f"{kind}, answered" if answered else f"{kind}, not answered"] += 1
            told["LOST"] += answered and times == 0
            told["DOUBLED"] += times > 1
        told += writer.refused
        before = call(f"/api/jobs/{writer.job}")["version"]
        for sent in writer.kept[-SENT_AGAIN:]:
            told["sent again"] += 1
            told["ANSWERED OTHERWISE"] += call(sent.path, sent.body, sent.key) != sent.answer
        told["WRITTEN TWICE"] += call(f"/api/jobs/{writer.job}")["version"] != before
    return told


def _shelf() -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    after = ""
    while True:
        page = call(f"/api/jobs?limit=200{after}")
        found += page["jobs"]
        if page["cursor"] is None:
            return found
        after = f"&cursor={page['cursor']}"


def main() -> int:
    """Every trial once; ends with 1 where one of them found something."""
    photos_, words_, plugs_ = (
        int(a) if a else d
        for a, d in zip([*sys.argv[1:], "", "", ""], (PHOTOS, WORDS, PLUGS), strict=False)
    )
    found = {"photos": photos(photos_), "words": words(words_), "plugs": plugs(plugs_)}
    bad = 0
    for name, told in found.items():
        print(f"{name}: " + ", ".join(f"{k} {v}" for k, v in sorted(told.items())))
        bad += sum(v for k, v in told.items() if k.split()[0].isupper() and v)
        bad += told["lost in JSON"] + told["live cells in CSV"]
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
