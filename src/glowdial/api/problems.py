"""Errors as problem details (RFC 9457): a sentence, the field, the value, and an example."""

from __future__ import annotations

from typing import Any, get_args

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


def refusal(error: GlowDialError) -> JSONResponse:
    """An error of ours as its answer."""
    return _respond(_from_error(error))


def _respond(problem: Problem) -> JSONResponse:
    body = problem.model_dump(exclude_none=True)
    return JSONResponse(body, status_code=problem.status, media_type=MEDIA_TYPE)


WORDS = {
    400: "not a request to this server",
    403: "from another site's page",
    404: "not here",
    405: "no such way to call it",
    409: "not now, or changed in another window",
    411: "without its length",
    413: "too large",
    422: "cannot be right",
    502: "an instrument did not answer",
    503: "the data file cannot be used just now",
}
DOCUMENTED: dict[int | str, dict[str, Any]] = {
    status: {
        "description": text,
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for status, text in WORDS.items()
}


def _problem_schema() -> dict[str, Any]:
    schema = Problem.model_json_schema()
    for part in schema["properties"].values():
        # what is not known is left out of an answer
        part.pop("default", None)
    return schema


def describe(app: FastAPI) -> None:
    """Let the interface's description hold the shape of its errors."""
    described = app.openapi

    def openapi() -> dict[str, Any]:
        document = described()
        schemas = document.setdefault("components", {}).setdefault("schemas", {})
        schemas.setdefault("Problem", _problem_schema())
        for name in ("HTTPValidationError", "ValidationError"):
            schemas.pop(name, None)
        for path in document["paths"].values():
            for call in path.values():
                refused = call["responses"].get("422", {}).get("content", {})
                refused.pop("application/json", None)
        return document

    app.openapi = openapi  # type: ignore[method-assign]


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


def _shown(given: Any) -> str:
    """What was given, in a word where it is no single value."""
    if isinstance(given, dict):
        return "an object"
    if isinstance(given, list):
        return f"a list of {len(given)}"
    return str(given)[:60]


def _example(request: Request, place: list[Any]) -> str | None:
    """The example that the interface gives for the field at a place of the body."""
    field = getattr(request.scope.get("route"), "body_field", None)
    model = getattr(getattr(field, "field_info", None), "annotation", None)
    for name in place:
        fields = getattr(model, "model_fields", None)
        if fields is None or name not in fields:
            return None
        info = fields[name]
        if info.examples and name == place[-1]:
            return str(info.examples[0])
        inner = [a for a in (info.annotation, *get_args(info.annotation)) if isinstance(a, type)]
        model = next((a for a in inner if hasattr(a, "model_fields")), None)
    return None


def _from_validation(request: Request, errors: list[Any]) -> Problem:
    fault = errors[0]
    place = [str(p) for p in fault["loc"] if p not in ("body", "query", "path")]
    field = ".".join(place) or "request"
    given = fault.get("input")
    shown = _shown(given)
    message, _, example = str(fault["msg"]).partition(". Example: ")
    example = example or _example(request, [p for p in fault["loc"] if p != "body"]) or ""
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


# what the data file's driver says, and what that means for a person
FILE_TROUBLES = (
    ("full", "The disk is full: nothing was kept. Make room on it and send it again."),
    ("readonly", "The data file may not be written: nothing was kept. See who owns it."),
    ("malformed", "The data file is damaged: nothing was kept. Restore a backup of it."),
    ("not a database", "The data file is damaged: nothing was kept. Restore a backup of it."),
    ("disk I/O", "The disk cannot be read or written: nothing was kept."),
)


def file_trouble(said: str) -> str:
    """A sentence for a trouble with the data file."""
    found = next((words for sign, words in FILE_TROUBLES if sign in said), None)
    return found or "The data file is busy: nothing was kept. Try again."


def install(app: FastAPI) -> None:
    """Register the one table of error handlers."""

    @app.exception_handler(GlowDialError)
    async def own(_: Request, error: GlowDialError) -> JSONResponse:
        return _respond(_from_error(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        return _respond(_from_validation(request, list(error.errors())))

    @app.exception_handler(HTTPException)
    async def http(_: Request, error: HTTPException) -> JSONResponse:
        title = {404: "Not here", 405: "Not allowed"}.get(error.status_code, "Error")
        return _respond(
            Problem(type="http", title=title, status=error.status_code, detail=f"{error.detail}.")
        )

    @app.exception_handler(OperationalError)
    async def busy(_: Request, error: OperationalError) -> JSONResponse:
        return _respond(
            Problem(
                type="data-busy",
                title="The data file cannot be used just now",
                status=503,
                detail=file_trouble(str(error.orig)),
            )
        )
