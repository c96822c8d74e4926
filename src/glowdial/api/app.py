"""The application: routers, errors, guard, and the built pages."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse
from starlette.exceptions import HTTPException
from starlette.staticfiles import StaticFiles

from glowdial import __version__
from glowdial.api import (
    bench,
    calc,
    calc_bring_up,
    calc_parts,
    calc_supply,
    entries,
    instruments,
    jobs,
    problems,
    registers,
    sets,
    sheets,
    stock,
)
from glowdial.api.host_check import Guard
from glowdial.api.shapes import Health
from glowdial.workshop.workshop import Workshop


def create_app(workshop: Workshop | None, web: Path | None = None) -> FastAPI:
    """The application over a workshop; without one it only describes itself (OpenAPI).

    ``web`` is the folder of the built pages.
    """
    app = FastAPI(
        title="Glow Dial",
        version=__version__,
        summary="A bench companion for restoring vintage radio receivers.",
        responses={
            status: {"model": problems.Problem, "description": text}
            for status, text in (
                (404, "not here"),
                (409, "not now, or changed in another window"),
                (422, "cannot be right"),
            )
        },
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.workshop = workshop
    problems.install(app)
    for room in (jobs, entries, registers, bench, instruments, sets, sheets, stock):
        app.include_router(room.router)
    for sums in (calc, calc_parts, calc_supply, calc_bring_up):
        app.include_router(sums.router)

    @app.get("/api/health", operation_id="getHealth", tags=["health"])
    def health() -> Health:
        """Whether the server is up, and its version."""
        return Health(status="ok", version=__version__)

    app.add_middleware(GZipMiddleware, minimum_size=1000)
    app.add_middleware(Guard)
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
