"""The application: routers, errors, guard, and the built pages."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles

from glowdial import __version__
from glowdial.api import (
    bench,
    entries,
    instruments,
    jobs,
    options,
    problems,
    recordings,
    registers,
    sets,
    sheets,
    sums,
    traces,
)
from glowdial.api.calc import audio, bring_up, general, parts, supply
from glowdial.api.host_check import HostCheck
from glowdial.api.plain_bodies import PlainBodies
from glowdial.api.stages import handover, intake, proof, stock
from glowdial.api.stages import parts as job_parts
from glowdial.workshop.base.workshop import Workshop
from glowdial.workshop.instruments import stop_when_halted


class Health(BaseModel):
    """Whether the server is up."""

    status: str
    version: str


def create_app(workshop: Workshop | None, web: Path | None = None) -> FastAPI:
    """The application over a workshop; without one it only describes itself (OpenAPI).

    ``web`` is the folder of the built pages.
    """
    app = FastAPI(
        title="Glow Dial",
        version=__version__,
        summary="A bench companion for restoring vintage radio receivers.",
        responses=problems.DOCUMENTED,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.workshop = workshop
    problems.describe(app)
    if workshop is not None:
        stop_when_halted(workshop)
    problems.install(app)
    for room in (jobs, entries, traces, registers, bench, instruments, sets, sheets, options):
        app.include_router(room.router)
    for stage in (intake, job_parts, stock, proof, handover):
        app.include_router(stage.router)
    for calls in (general, parts, supply, bring_up, audio):
        app.include_router(calls.router)
    app.include_router(sums.router)
    app.include_router(recordings.router)

    @app.get("/api/health", operation_id="getHealth", tags=["health"])
    def health() -> Health:
        """Whether the server is up, and its version."""
        return Health(status="ok", version=__version__)

    # the quickest level: on the same table there is nothing to save by more
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=1)
    app.add_middleware(PlainBodies)
    app.add_middleware(HostCheck)
    if web is not None:
        _serve_pages(app, web)
    return app


def _serve_pages(app: FastAPI, web: Path) -> None:
    app.mount("/assets", StaticFiles(directory=web / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        """The one page for every route of the web application; never a path into the disk."""
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such call")
        if path == "favicon.svg":
            return FileResponse(web / "favicon.svg")
        return FileResponse(web / "index.html", headers={"cache-control": "no-cache"})
