"""What every request passes: whom it asks for and where it comes from; and what browsers are told about every answer.

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

from fenrain.api.problems import answer, answer_own_error
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
    """ASGI middleware: refuses what comes from elsewhere, and tells browsers the same about every answer, of an own error too."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        sending = _Sending(scope["path"], send)
        refusal = _refusal(scope["method"], Headers(scope=scope))
        if refusal is not None:
            await refusal(scope, receive, sending)
            return
        try:
            await self._app(scope, receive, sending)
        except Exception as error:
            if sending.has_begun:
                raise
            await answer_own_error(scope["method"], scope["path"], error)(scope, receive, sending)


def _refusal(method: str, headers: Headers) -> Response | None:
    host = headers.get("host", "")
    if _name_of(f"//{host}") not in settings().hosts:
        remedy = "Open it by its own address, or name it in FENRAIN_HOSTS."
        return answer(421, "foreign-host", f"This server is not “{host[:100]}”.", "Host", remedy)
    origin, site = headers.get("origin"), headers.get("sec-fetch-site", "same-origin")
    if method in SAFE_METHODS:
        return None
    if site not in OWN_SITES or (origin is not None and _place_of(origin) != host):
        return answer(
            403, "foreign-origin", "A page from elsewhere may not change anything here.", "Origin", "Use this server's own pages."
        )
    return None


OWN_SITES = ("same-origin", "none")
"""Values of Sec-Fetch-Site (W3C Fetch Metadata) of this server's own pages, and of what a person typed."""


def _name_of(address: str) -> str:
    """The host that an address names, "" where it names none."""
    try:
        return urlsplit(address).hostname or ""
    except ValueError:
        return ""


def _place_of(origin: str) -> str:
    """Host and port of an origin, "" where it is none."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return ""


class _Sending:
    """Sends with what is told about every answer. Data is kept nowhere on the way, but for what an answer itself says of that; behind TLS,
    browsers come back by nothing else."""

    def __init__(self, path: str, send: Send) -> None:
        self._send, self.has_begun = send, False
        self._told = TOLD | (STRICT if settings().https else {}) | (UNKEPT if path.startswith(API) else {})

    async def __call__(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self.has_begun = True
            headers = MutableHeaders(scope=message)
            for name, value in self._told.items():
                headers.setdefault(name, value)
        await self._send(message)


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
