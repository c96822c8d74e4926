"""Request bodies looked at before anything is made of them: JSON that can be kept, or refused."""

from __future__ import annotations

import json

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from glowdial.api.problems import refusal
from glowdial.core.language.documents import check_plain
from glowdial.core.language.errors import BadInput

MOST_NESTED = 200
JSON_LIKE = ("application/json", "text/plain")


class PlainBodies:
    """ASGI middleware: reads a JSON body once, refuses what no answer could tell again, and hands
    it on as it came."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Look at the body of a write."""
        kind = Headers(scope=scope).get("content-type", "") if scope["type"] == "http" else ""
        if not kind.startswith(JSON_LIKE):
            await self._app(scope, receive, send)
            return
        body = bytearray()
        more = True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            body += message.get("body", b"")
            more = message.get("more_body", False)
        fault = fault_of(bytes(body), strict=kind.startswith("application/json"))
        if fault is not None:
            await refusal(fault)(scope, receive, send)
            return
        sent = False

        async def again() -> Message:
            nonlocal sent
            if sent:
                return await receive()
            sent = True
            return {"type": "http.request", "body": bytes(body), "more_body": False}

        await self._app(scope, again, send)


def fault_of(body: bytes, *, strict: bool) -> BadInput | None:
    """What is wrong with a body as JSON; a text that is none is another reader's business."""
    try:
        text = body.decode("utf-8")
    except UnicodeDecodeError as error:
        return BadInput("request", f"byte {error.start}", "is not UTF-8", "JSON in UTF-8")
    if text.count("[") + text.count("{") > MOST_NESTED and _depth(text) > MOST_NESTED:
        return BadInput("request", "lists in lists", "is nested too deep", "a flat one")
    try:
        document = json.loads(text, parse_constant=_no_number)
        check_plain(document)
    except BadInput as fault:
        return fault
    except json.JSONDecodeError:
        return None
    except ValueError:
        # a whole number of thousands of figures
        return BadInput("request", "a number", "has too many figures", "42") if strict else None
    return None


def _no_number(name: str) -> float:
    raise BadInput("request", name, "must be a finite number", "231.5")


def _depth(text: str) -> int:
    """How deep brackets are nested, those in texts counted too."""
    deepest = depth = 0
    for letter in text:
        if letter in "[{":
            depth += 1
            deepest = max(deepest, depth)
        elif letter in "]}":
            depth -= 1
    return deepest
