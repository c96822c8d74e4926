"""Errors as problem details (RFC 9457): a sentence, the field, the value, and an example."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from glowdial.core.language.errors import (
    BadInput,
    Conflict,
    Doubted,
    GlowDialError,
    LinkTrouble,
    NotFound,
)

MEDIA_TYPE = "application/problem+json"


class Problem(BaseModel):
    """What every error of this interface looks like."""

    type: str
    title: str
    status: int
    detail: str
    field: str | None = None
    value: str | None = None
    expected: str | None = None
    example: str | None = None
    yours: int | None = None
    current: int | None = None


def _respond(problem: Problem) -> JSONResponse:
    body = problem.model_dump(exclude_none=True)
    return JSONResponse(body, status_code=problem.status, media_type=MEDIA_TYPE)


def _from_error(error: GlowDialError) -> Problem:
    detail = str(error)
    if isinstance(error, BadInput):
        return Problem(
            type="bad-input",
            title="This cannot be right",
            status=422,
            detail=detail,
            field=error.field,
            value=error.value,
            expected=error.expected,
            example=error.example,
        )
    if isinstance(error, NotFound):
        return Problem(
            type="not-found",
            title="Not here",
            status=404,
            detail=detail,
            field=error.what,
            value=error.key,
        )
    if isinstance(error, Doubted):
        return Problem(type="doubted", title="Is this right?", status=409, detail=detail)
    if isinstance(error, Conflict):
        changed = error.current is not None
        return Problem(
            type="changed-elsewhere" if changed else "not-now",
            title="Changed in another window" if changed else "Not now",
            status=409,
            detail=detail,
            yours=error.yours,
            current=error.current,
        )
    if isinstance(error, LinkTrouble):
        return Problem(type="link-trouble", title="No reading", status=502, detail=detail)
    return Problem(type="error", title="Error", status=400, detail=detail)


def _from_validation(errors: list[Any]) -> Problem:
    fault = errors[0]
    place = [str(p) for p in fault["loc"] if p not in ("body", "query", "path")]
    field = ".".join(place) or "request"
    given = fault.get("input")
    shown = "this" if isinstance(given, (dict, list)) else str(given)[:60]
    message, _, example = str(fault["msg"]).partition(". Example: ")
    expected = message[0].lower() + message[1:]
    detail = f"{field}: {shown!r}: {expected}"
    if fault["type"] == "json_invalid":
        detail = f"The request is not JSON: {fault.get('ctx', {}).get('error', message)}"
    return Problem(
        type="bad-input",
        title="This cannot be right",
        status=422,
        detail=detail,
        field=field,
        value=shown,
        expected=expected,
        example=example or None,
    )


def install(app: FastAPI) -> None:
    """Register the one table of error handlers."""

    @app.exception_handler(GlowDialError)
    async def own(_: Request, error: GlowDialError) -> JSONResponse:
        return _respond(_from_error(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return _respond(_from_validation(list(error.errors())))

    @app.exception_handler(HTTPException)
    async def http(_: Request, error: HTTPException) -> JSONResponse:
        title = {404: "Not here", 405: "Not allowed"}.get(error.status_code, "Error")
        return _respond(
            Problem(type="http", title=title, status=error.status_code, detail=f"{error.detail}.")
        )

    @app.exception_handler(OperationalError)
    async def busy(_: Request, __: OperationalError) -> JSONResponse:
        return _respond(
            Problem(
                type="data-busy",
                title="The data file is busy",
                status=503,
                detail="The data file could not be written just now; nothing was kept. Try again.",
            )
        )
