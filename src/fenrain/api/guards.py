"""What every request passes: whom it asks for, where it comes from, how large it is; and what browsers are told about every answer.

References: OWASP ASVS 5.0, chapters V3 (web frontend security) and V4 (API); a foreign Host is how DNS rebinding reaches a server on
loopback, a foreign Origin how another site's page does.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import urlsplit

from fastapi import Request
from fastapi.routing import APIRoute
from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fenrain.api.problems import answer
from fenrain.services.uploads import MOST_FILES
from fenrain.settings import settings

SAFE_METHODS = ("GET", "HEAD", "OPTIONS")
TOLD = {
    "Content-Security-Policy": (
        "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
        "connect-src 'self' data: blob:; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
        "frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


STRICT = {"Strict-Transport-Security": "max-age=31536000; includeSubDomains"}
UNKEPT = {"Cache-Control": "no-store"}
API = "/api/"


class Guard:
    """ASGI middleware; refuses before anything of a request is read or kept."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        refusal = _refusal(scope["method"], Headers(scope=scope))
        if refusal is not None:
            await refusal(scope, receive, _telling(scope["path"], send))
            return
        await _CountedRequest(scope, receive, _telling(scope["path"], send)).run(self._app)


def _refusal(method: str, headers: Headers) -> Response | None:
    host = headers.get("host", "")
    name = urlsplit(f"//{host}").hostname or ""
    if name not in settings().hosts:
        remedy = "Open it by its own address, or name it in FENRAIN_HOSTS."
        return answer(421, "foreign-host", f"This server is not “{name}”.", "Host", remedy)
    origin = headers.get("origin")
    if origin is not None and method not in SAFE_METHODS and urlsplit(origin).netloc != host:
        return answer(403, "foreign-origin", f"A page of {origin} may not change anything here.", "Origin", "Use this server's own pages.")
    length = headers.get("content-length", "0")
    return _too_large() if not length.isdecimal() or int(length) > settings().largest_upload else None


def _too_large() -> Response:
    most = settings().largest_upload
    return answer(413, "too-large", f"The upload is larger than {most / 1024**3:.3g} GiB.", "body", "Upload fewer files at once.")


class _CountedRequest:
    """A request whose body is counted as it comes in: one without a stated length ends where it is too large."""

    def __init__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self._scope, self._receive, self._send = scope, receive, send
        self._size, self._refused = 0, False

    async def run(self, app: ASGIApp) -> None:
        await app(self._scope, self._receive_within_limit, self._send_unless_refused)

    async def _receive_within_limit(self) -> Message:
        message = await self._receive()
        self._size += len(message.get("body", b""))
        if self._size > settings().largest_upload and not self._refused:
            self._refused = True
            await _too_large()(self._scope, self._receive, self._send)
        return {"type": "http.disconnect"} if self._refused else message

    async def _send_unless_refused(self, message: Message) -> None:
        if not self._refused:
            await self._send(message)


def _telling(path: str, send: Send) -> Send:
    """Data is kept nowhere on the way, but for what an answer itself says of that; behind TLS, browsers come back by nothing else."""
    told = TOLD | (STRICT if settings().https else {}) | (UNKEPT if path.startswith(API) else {})

    async def send_with_headers(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            for name, value in told.items():
                headers.setdefault(name, value)
        await send(message)

    return send_with_headers


class _Request(Request):
    def form(self, *, max_files: int | float = MOST_FILES, max_fields: int | float = MOST_FILES, **limits: Any) -> Any:
        return super().form(max_files=max_files, max_fields=max_fields, **limits)


class ManyFiles(APIRoute):
    """A route that takes as many files at once as are promised, where the framework would stop at a thousand."""

    def get_route_handler(self) -> Callable[[Request], Any]:
        handle = super().get_route_handler()

        async def handle_many_files(request: Request) -> Response:
            found: Response = await handle(_Request(request.scope, request.receive))
            return found

        return handle_many_files
