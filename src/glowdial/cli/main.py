"""Commands: serve one's own data or the demo, fill the demo, publish schema and interface."""

from __future__ import annotations

import json
import os
import shutil
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Annotated

import platformdirs
import typer
import uvicorn

from glowdial.api.app import create_app
from glowdial.cli.data_file import (
    RESTORED,
    TAILS,
    FileTrouble,
    alone,
    back_up,
    opened,
    restore,
)
from glowdial.core.language.errors import GlowDialError
from glowdial.demo.fill import DEMO_NOW, DEMO_SEED, fill_demo, tidewater_sheet
from glowdial.demo.shifted import shift_times
from glowdial.sheets.receiver import ReceiverSheet
from glowdial.store.database import Database, sqlite_url
from glowdial.workshop.base.derived import Derivations
from glowdial.workshop.base.inference import Beside
from glowdial.workshop.base.sheets import read_sheet
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.upgrade import bring_up_to_date

# the simulated multimeter settles as a needle does
NEEDLE_S = 0.2
app = typer.Typer(add_completion=False, no_args_is_help=True)
DEFAULT_PORT = 8650

PortOption = Annotated[int, typer.Option(help="Port on 127.0.0.1.", min=1, max=65535)]
DataOption = Annotated[
    Path | None, typer.Option(envvar="GLOWDIAL_DATA", help="Folder of the data file.")
]
WebOption = Annotated[Path | None, typer.Option(help="Folder of the built pages.")]
AtOption = Annotated[
    str | None, typer.Option(help="Stop the clock here (ISO), for repeatable pictures.")
]


def _refuse(sentence: str) -> typer.Exit:
    typer.echo(f"glow: {sentence}", err=True)
    return typer.Exit(2)


def _check_port(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            raise _refuse(
                f"port {port} is in use; stop what is using it or give another with --port."
            ) from None


def _folder(path: Path) -> Path:
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise _refuse(f"the data folder {path} cannot be made: {error.strerror}.") from error
    return path


def _serve(file: Path, port: int, web: Path | None, at: str | None, name: str) -> None:
    try:
        database = opened(file)
    except FileTrouble as trouble:
        raise _refuse(f"{trouble}") from trouble
    moment = datetime.fromisoformat(at) if at else None
    memory = Beside()
    workshop = Workshop(
        database,
        (lambda: moment) if moment else datetime.now,
        derivations=Derivations(restored=Path(f"{file}{RESTORED}")),
        memory=memory,
    )
    brought_up = bring_up_to_date(workshop)
    if brought_up:
        typer.echo(f"  {brought_up} jobs of an older version were brought up to date.")
    typer.echo(f"Glow Dial, {name}: http://127.0.0.1:{port}/  (data in {file}; Ctrl-C stops it)")
    try:
        uvicorn.run(
            create_app(workshop, web),
            host="127.0.0.1",
            port=port,
            log_level="warning",
            server_header=False,
            # live streams of open pages do not keep it up
            timeout_graceful_shutdown=1,
        )
    finally:
        memory.close()
        workshop.lines.close()
        database.close()


@app.command()
def run(
    port: PortOption = DEFAULT_PORT,
    data: DataOption = None,
    web: WebOption = None,
    at: AtOption = None,
) -> None:
    """Serve your own data, empty at first."""
    _check_port(port)
    file = _data_file(data)
    with _alone(file):
        _serve(file, port, web, at, "your bench")


def _data_file(data: Path | None) -> Path:
    folder = data or Path(platformdirs.user_data_dir("glowdial", appauthor=False))
    return _folder(folder) / "glowdial.sqlite"


@contextmanager
def _alone(file: Path) -> Iterator[None]:
    try:
        with alone(file):
            yield
    except FileTrouble as trouble:
        raise _refuse(f"{trouble}") from trouble


@app.command()
def backup(
    copy: Annotated[Path, typer.Argument(help="The file to write.")], data: DataOption = None
) -> None:
    """Copy your data file, while it may be in use."""
    try:
        back_up(_data_file(data), copy)
    except FileTrouble as trouble:
        raise _refuse(f"{trouble}") from trouble
    typer.echo(f"  copied to {copy}")


@app.command("restore")
def restore_file(
    copy: Annotated[Path, typer.Argument(help="A backup.")], data: DataOption = None
) -> None:
    """Put a backup in the place of your data file, while it may be in use."""
    file = _data_file(data)
    try:
        kept = restore(copy, file, datetime.now())
    except FileTrouble as trouble:
        raise _refuse(f"{trouble}") from trouble
    typer.echo(f"  restored from {copy}" + (f"; what was there is in {kept}" if kept else ""))


@app.command()
def demo(
    prepared: Annotated[Path, typer.Option(help="The prepared demo file to copy.")],
    port: PortOption = DEFAULT_PORT,
    data: DataOption = None,
    web: WebOption = None,
    at: AtOption = None,
) -> None:
    """Serve a fresh copy of the demo, its times moved up to the present moment."""
    _check_port(port)
    now = datetime.fromisoformat(at) if at else datetime.now().replace(microsecond=0)
    folder = _folder(data or prepared.parent / "demo")
    file = folder / "demo.sqlite"
    with _alone(file):
        for tail in TAILS:
            Path(f"{file}{tail}").unlink(missing_ok=True)
        shutil.copyfile(prepared, file)
        if now != DEMO_NOW:
            shift_times(file, now - DEMO_NOW)
        _serve(file, port, web, at, "demo")


@app.command()
def bench(
    sheet: Annotated[Path | None, typer.Option(help="A sheet as JSON; else the demo's.")] = None,
    seed: Annotated[int, typer.Option(help="Which neglected set.", min=0)] = DEMO_SEED,
    port: Annotated[int, typer.Option(help="First port on 127.0.0.1.", min=1, max=65520)] = 5025,
    condition: Annotated[
        Path | None, typer.Option(help="The set's condition as JSON, instead of a seed.")
    ] = None,
    at_rest: Annotated[
        bool, typer.Option(help="No warming up and no lag: everything stands at rest at once.")
    ] = False,
) -> None:
    """Start the simulated instruments alone, for any SCPI client, until Ctrl-C.

    Time passes as on the wall: a set that is switched on warms up.
    """
    # imported here: no other command needs it, and every start would wait for it
    from glowdial.sheets.facts import receiver_facts
    from glowdial.sim.condition import neglected, read_condition
    from glowdial.sim.instruments import instruments
    from glowdial.sim.receiver import SimulatedReceiver
    from glowdial.sim.room import SimulatedRoom
    from glowdial.sim.servers import serve, stop

    try:
        given = sheet.read_text("utf-8") if sheet else tidewater_sheet()
        facts = receiver_facts(read_sheet(given))
        hidden = neglected(facts, seed)
        if condition is not None:
            hidden = read_condition(condition.read_text("utf-8"), facts)
    except (OSError, GlowDialError) as error:
        raise _refuse(f"{error}") from error
    clock = None if at_rest else time.monotonic
    room = SimulatedRoom(SimulatedReceiver(facts, hidden), clock=clock, needle_s=NEEDLE_S)
    try:
        servers = serve(instruments(room), port)
    except OSError as error:
        raise _refuse(f"a port from {port} up is in use; give another with --port.") from error
    typer.echo(f"{facts.title}, set {hidden.seed}, with its instruments (Ctrl-C stops them):")
    for name, server in servers.items():
        typer.echo(f"  {name:<12} TCPIP::127.0.0.1::{server.port}::SOCKET")
    try:
        threading.Event().wait()
    except KeyboardInterrupt:
        stop(servers)


@app.command("fill-demo")
def fill(
    file: Path,
    seed: int = DEMO_SEED,
    now: Annotated[datetime, typer.Option(help="What its jobs lead up to.")] = DEMO_NOW,
) -> None:
    """Make the demo's data file."""
    fresh = Path(f"{file}.new")
    fresh.unlink(missing_ok=True)
    database = Database(sqlite_url(fresh))
    database.migrate()
    fill_demo(database, seed, now)
    database.close()
    os.replace(fresh, file)


@app.command()
def publish(folder: Path) -> None:
    """Write the interface description and the sheet's schema into a folder."""
    from glowdial.sim.condition import condition_schema

    documents = {
        "openapi.json": create_app(None).openapi(),
        "condition.schema.json": condition_schema(),
        "sheet.schema.json": ReceiverSheet.model_json_schema(),
    }
    for name, document in documents.items():
        text = json.dumps(document, indent=1, sort_keys=True, ensure_ascii=False)
        (folder / name).write_text(text + "\n", "utf-8")
