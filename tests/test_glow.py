"""The one command: what it says when something that it needs is not there."""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
import sqlite3
import subprocess
import sys
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from glowdial.demo.fill import DEMO_NOW, fill_demo, kitchen_condition
from glowdial.demo.shifted import shift_times
from glowdial.store.database import Database, sqlite_url

ROOT = Path(__file__).resolve().parents[1]
TOOLS = [
    "bash",
    "env",
    "dirname",
    "mkdir",
    "find",
    "sort",
    "xargs",
    "sha256sum",
    "cut",
    "cat",
    "head",
    "tr",
    "rm",
    "id",
    "sleep",
]


@pytest.fixture
def checkout(tmp_path: Path) -> Path:
    """As much of a fresh clone as the set-up looks at, with only the plainest tools on the path."""
    clone = tmp_path / "clone"
    shutil.copytree(ROOT / "web", clone / "web", ignore=shutil.ignore_patterns("node_*", "dist"))
    for name in ("glow", "requirements.txt", "requirements-dev.txt"):
        shutil.copy(ROOT / name, clone / name)
    tools = tmp_path / "tools"
    tools.mkdir()
    for tool in TOOLS:
        place = shutil.which(tool)
        assert place
        (tools / tool).symlink_to(place)
    return clone


def glow(checkout: Path, *words: str, **surroundings: str) -> subprocess.CompletedProcess[str]:
    """Run the command with nothing but the plain tools."""
    return subprocess.run(
        ["./glow", *words],
        cwd=checkout,
        env={"PATH": str(checkout.parent / "tools"), **surroundings},
        capture_output=True,
        text=True,
        timeout=120,
    )


def tool(checkout: Path, name: str, script: str) -> None:
    place = checkout.parent / "tools" / name
    place.write_text(f"#!{shutil.which('bash')}\n{script}\n")
    place.chmod(0o755)


def test_no_python_or_an_old_one(checkout: Path) -> None:
    for python in (None, "exit 1"):
        if python:
            tool(checkout, "python3", python)
        done = glow(checkout, "demo")
        assert done.returncode == 2
        assert done.stderr.strip() == (
            "glow: Python 3.11, 3.12 or 3.13 is needed and none was found; "
            "install one and try again."
        )


def test_no_network_at_the_first_set_up(checkout: Path) -> None:
    tool(checkout, "python3", f'exec {sys.executable} "$@"')
    done = glow(checkout, "run", PIP_NO_INDEX="1", PIP_FIND_LINKS="")
    assert done.returncode == 2
    assert "the first set-up needs the network" in done.stderr
    assert done.stderr.count("\n") == 1


@pytest.mark.parametrize(
    ("node", "words"),
    [
        ("", "Node.js 20.19 or newer with npm is needed and was not found"),
        ('[ "$1" = --version ] && echo v18.0.0 && exit 0; exit 1', "this one is v18.0.0"),
    ],
)
def test_no_node_or_an_old_one(checkout: Path, node: str, words: str) -> None:
    # the Python side is ready: only its stamp is looked at
    (checkout / ".glow").mkdir()
    lists = ("requirements.txt", "requirements-dev.txt")
    script = f"find {' '.join(lists)} -type f -print0 | LC_ALL=C sort -z | xargs -0 sha256sum"
    sums = subprocess.run(
        ["bash", "-c", f"{script} | sha256sum | cut -d' ' -f1"],
        cwd=checkout,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    (checkout / ".glow" / "python.stamp").write_text(f"{sums}-requirements.txt\n")
    if node:
        tool(checkout, "node", node)
        tool(checkout, "npm", "exit 1")
    done = glow(checkout, "demo")
    assert done.returncode == 2 and words in done.stderr
    assert done.stderr.count("\n") == 1


def test_an_unknown_command_shows_the_known_ones(checkout: Path) -> None:
    done = glow(checkout, "shine")
    assert done.returncode == 2 and "no command 'shine'" in done.stderr
    assert "demo" in done.stdout


def test_a_port_in_use() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = subprocess.run(
            [sys.executable, "-m", "glowdial", "run", "--port", str(port)],
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            capture_output=True,
            text=True,
            timeout=60,
        )
    assert done.returncode == 2
    assert f"port {port} is in use" in done.stderr and "--port" in done.stderr


def test_the_bench_alone_answers_any_scpi_client() -> None:
    command = [sys.executable, "-m", "glowdial", "bench", "--port", "15025"]
    surroundings = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "PYTHONUNBUFFERED": "1"}
    with subprocess.Popen(command, env=surroundings, stdout=subprocess.PIPE, text=True) as bench:
        assert bench.stdout is not None
        lines = [bench.stdout.readline() for _ in range(5)]
        assert "TCPIP::127.0.0.1::15026::SOCKET" in lines[2]
        taken = subprocess.run(command, env=surroundings, capture_output=True, text=True)
        assert taken.returncode == 2 and "is in use" in taken.stderr
        with socket.create_connection(("127.0.0.1", 15026), timeout=5) as client:
            client.sendall(b"*IDN?\n")
            assert b"MULTIMETER" in client.recv(100)
        bench.terminate()


def dumped(file: Path) -> str:
    with contextlib.closing(sqlite3.connect(file)) as connection:
        # in whatever order its guards were made
        return "\n".join(sorted(connection.iterdump()))


def filled(file: Path, now: datetime) -> Path:
    database = Database(sqlite_url(file))
    database.migrate()
    fill_demo(database, now=now)
    database.close()
    return file


def prepared_demo() -> Path | None:
    """The demo that was filled for the browser tests, where it is of the code as it stands."""
    file, stamp = ROOT / ".glow" / "demo.sqlite", ROOT / ".glow" / "demo.stamp"
    summed = (
        "find src/glowdial -type f -not -name '*.pyc' -print0 | LC_ALL=C sort -z | "
        "xargs -0 sha256sum | sha256sum"
    )
    now = subprocess.run(["bash", "-c", summed], cwd=ROOT, capture_output=True, text=True).stdout
    current = stamp.exists() and stamp.read_text("utf-8").startswith(now.split()[0])
    return file if current and file.exists() else None


def test_the_demo_moved_to_a_day_is_the_demo_filled_for_it(tmp_path: Path) -> None:
    """Filled for another moment by this process, it is to the last byte the one that another
    process filled, moved there: a function of its seed and its moment."""
    there = DEMO_NOW + timedelta(days=52, hours=6, minutes=20, seconds=30)
    moved = tmp_path / "moved.sqlite"
    shutil.copy(prepared_demo() or filled(tmp_path / "demo.sqlite", DEMO_NOW), moved)
    shift_times(moved, there - DEMO_NOW)
    assert dumped(moved) == dumped(filled(tmp_path / "there.sqlite", there))
    # what may not be changed may not be changed afterwards either
    with (
        contextlib.closing(sqlite3.connect(moved)) as connection,
        pytest.raises(sqlite3.IntegrityError),
    ):
        connection.execute("UPDATE answers SET line = 'another'")
    assert kitchen_condition(5) != kitchen_condition(6)
