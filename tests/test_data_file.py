"""The data file: one server at a time, private, backed up and restored, ended well."""

from __future__ import annotations

import os
import signal
import sqlite3
import stat
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest

from builders import a_workshop
from glowdial.cli.data_file import FileTrouble, alone, back_up, opened, restore
from glowdial.demo.fill import START, tidewater_sheet
from glowdial.workshop.base.jobs import OpenCommand, open_job
from glowdial.workshop.base.sheets import import_sheet

ROOT = Path(__file__).resolve().parents[1]
SURROUNDINGS = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "PYTHONUNBUFFERED": "1"}
PORT = 15650


def glowdial(*words: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "glowdial", *words]
    return subprocess.run(command, env=SURROUNDINGS, capture_output=True, text=True, timeout=60)


@pytest.fixture
def file(tmp_path: Path) -> Path:
    """A data file with one job."""
    made = a_workshop(tmp_path)
    sheet = import_sheet(made, "the-first-sheet", tidewater_sheet())
    open_job(made, "the-first-job", OpenCommand(sheet, "Reading room receiver"))
    made.database.close()
    place = tmp_path / "glowdial.sqlite"
    (tmp_path / "test.sqlite").rename(place)
    return place


@pytest.fixture
def server(file: Path) -> Iterator[subprocess.Popen[str]]:
    command = [sys.executable, "-m", "glowdial", "run", "--port", str(PORT), "--data"]
    with subprocess.Popen(
        [*command, str(file.parent)], env=SURROUNDINGS, stdout=subprocess.PIPE, text=True
    ) as started:
        ends = time.monotonic() + 60.0
        while time.monotonic() < ends:
            try:
                with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/health", timeout=2):
                    break
            except OSError:
                time.sleep(0.1)
        yield started
        started.kill()


def names(file: Path) -> list[str]:
    with sqlite3.connect(file) as connection:
        return [row[0] for row in connection.execute("SELECT name FROM sets ORDER BY id")]


def test_backup_and_restore_while_it_runs(
    file: Path, server: subprocess.Popen[str], tmp_path: Path
) -> None:
    copy = tmp_path / "copy.sqlite"
    assert glowdial("backup", str(copy), "--data", str(file.parent)).returncode == 0
    assert names(copy) == ["Reading room receiver"]
    with sqlite3.connect(file) as connection:
        connection.execute("UPDATE sets SET name = 'changed since'")
    assert _shelf_names() == ["changed since"]
    done = glowdial("restore", str(copy), "--data", str(file.parent))
    assert done.returncode == 0 and "what was there is in" in done.stdout
    assert _shelf_names() == ["Reading room receiver"]
    kept = next(file.parent.glob("glowdial-before-*.sqlite"))
    assert names(kept) == ["changed since"]


def _shelf_names() -> list[str]:
    import json

    with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/jobs", timeout=5) as answer:
        return [job["set_name"] for job in json.load(answer)["jobs"]]


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGINT])
def test_it_ends_in_time_with_a_page_open_and_leaves_one_file(
    file: Path, server: subprocess.Popen[str], how: signal.Signals
) -> None:
    live = urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/jobs/1/known", timeout=5)
    begun = time.monotonic()
    server.send_signal(how)
    # a page that is left open would keep it for ever
    server.wait(timeout=30)
    assert time.monotonic() - begun < 10.0
    live.close()
    wal = Path(f"{file}-wal")
    assert not wal.exists() or wal.stat().st_size == 0


def test_a_second_server_on_the_same_folder_is_refused_and_takes_nothing(
    file: Path, server: subprocess.Popen[str]
) -> None:
    refused = glowdial("run", "--port", str(PORT + 1), "--data", str(file.parent))
    assert refused.returncode == 2 and "is served already" in refused.stderr
    assert refused.stderr.count("\n") == 1
    assert _shelf_names() == ["Reading room receiver"]


def test_a_second_demo_does_not_delete_the_first_ones_file(file: Path, tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    folder.mkdir()
    taken = folder / "demo.sqlite"
    taken.write_bytes(file.read_bytes())
    with alone(taken):
        words = ("demo", "--prepared", str(file), "--port", str(PORT + 2), "--data", str(folder))
        refused = glowdial(*words)
    assert refused.returncode == 2 and "is served already" in refused.stderr
    assert names(taken) == ["Reading room receiver"]


def test_the_file_is_its_users_alone(tmp_path: Path) -> None:
    before = os.umask(0)
    try:
        database = opened(tmp_path / "private.sqlite")
        for made in tmp_path.glob("private.sqlite*"):
            assert stat.S_IMODE(made.stat().st_mode) & 0o077 == 0, made
        database.close()
    finally:
        os.umask(before)


def _garbage(file: Path) -> None:
    file.write_bytes(b"this is no data file at all" * 100)


def _cut(file: Path) -> None:
    whole = file.read_bytes()
    file.write_bytes(whole[:4096] + b"\xff" * (len(whole) - 4096))


def _newer(file: Path) -> None:
    with sqlite3.connect(file) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")


@pytest.mark.parametrize(
    ("spoil", "words"),
    [(_garbage, "is damaged"), (_cut, "is damaged"), (_newer, "newer version")],
)
def test_what_is_wrong_with_a_file_is_said_in_one_sentence(
    file: Path, spoil: object, words: str, tmp_path: Path
) -> None:
    spoil(file)  # type: ignore[operator]
    refused = glowdial("run", "--port", str(PORT + 3), "--data", str(file.parent))
    assert refused.returncode == 2 and words in refused.stderr, refused.stderr
    assert refused.stderr.count("\n") == 1
    with pytest.raises(FileTrouble, match=words):
        restore(file, tmp_path / "elsewhere.sqlite", START)


def test_a_locked_file_is_said_to_be(file: Path) -> None:
    with sqlite3.connect(file, isolation_level=None) as other:
        other.execute("UPDATE alembic_version SET version_num = '0005'")
        other.execute("DROP TABLE alarms")
        other.execute("BEGIN IMMEDIATE")
        with pytest.raises(FileTrouble, match="is locked by another program"):
            opened(file)
        other.execute("ROLLBACK")


def test_a_backup_overwrites_nothing_and_restores_nothing_that_is_none(
    file: Path, tmp_path: Path
) -> None:
    there = tmp_path / "there"
    there.write_text("precious", "utf-8")
    with pytest.raises(FileTrouble, match="is there already"):
        back_up(file, there)
    assert there.read_text("utf-8") == "precious"
    with pytest.raises(FileTrouble, match="is damaged"):
        restore(there, file, START)
    with pytest.raises(FileTrouble, match="is not there"):
        restore(tmp_path / "nowhere", file, START)
    assert names(file) == ["Reading room receiver"]
