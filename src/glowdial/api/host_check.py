"""Safe by default: Host and Origin checked, a strict content policy, bodies limited in size."""

from __future__ import annotations

import re

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

HOST = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?")
LARGEST_BODY_BYTES = 2_000_000
LARGEST_PHOTO_BYTES = 12_000_000
# an hour of two channels of 24 bits at 96 kHz; it is read as it comes, and not kept
LARGEST_RECORDING_BYTES = 2_200_000_000
RECORDINGS = "/api/recordings"
RECORDED_TONE = f"{RECORDINGS}/tone"
POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
}


class HostCheck:
    """ASGI middleware around the whole application."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Refuse what does not come from this machine's own pages; add the headers."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def send_with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers[name] = value
            await send(message)

        refusal = _refusal(scope, Headers(scope=scope))
        if refusal is not None:
            await refusal(scope, receive, send_with_headers)
            return
        await self._app(scope, receive, send_with_headers)


def _refusal(scope: Scope, headers: Headers) -> JSONResponse | None:
    method, path = scope["method"], scope["path"]
    hosts = headers.getlist("host")
    if len(hosts) != 1 or not HOST.fullmatch(hosts[0]):
        return _problem(400, "This server answers only to 127.0.0.1 and localhost.")
    if path.startswith("/api/") and _foreign(scope, headers, hosts[0]):
        return _problem(403, "Calls from another site's page are refused.")
    if method in ("GET", "HEAD", "OPTIONS"):
        return None
    length = headers.get("content-length")
    if length is not None and headers.get("transfer-encoding"):
        return _problem(400, "A length and chunks are not sent together.")
    if length is None and headers.get("transfer-encoding"):
        return _problem(411, "Say the length of what you send.")
    most = _largest(path)
    if length is not None and (not length.isdigit() or int(length) > most):
        return _problem(413, f"What you send is over {most // 1_000_000} MB.")
    return None


def _largest(path: str) -> int:
    """How many bytes a body may have, by where it is sent."""
    if path in (RECORDINGS, RECORDED_TONE):
        return LARGEST_RECORDING_BYTES
    return LARGEST_PHOTO_BYTES if path.endswith("/photos") else LARGEST_BODY_BYTES


def _foreign(scope: Scope, headers: Headers, host: str) -> bool:
    """Whether another site's page asks, to write or to read."""
    origin = headers.get("origin")
    if origin is not None and origin != f"{scope.get('scheme', 'http')}://{host}":
        return True
    return headers.get("sec-fetch-site", "same-origin") in ("cross-site", "same-site")


def _problem(status: int, detail: str) -> JSONResponse:
    body = {"type": "refused", "title": "Refused", "status": status, "detail": detail}
    return JSONResponse(body, status_code=status, media_type="application/problem+json")
