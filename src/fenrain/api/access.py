"""Who asks, whether they may, and how much they send: settled before anything of a request's body is read.

References: OWASP ASVS 5.0, chapters V6 to V8 (authentication, sessions, authorization), 4.3.1 and 5.2.1 (sizes that are taken).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import anyio.to_thread
from annotated_types import MaxLen
from fastapi import APIRouter, Request, params
from fastapi.routing import APIRoute
from limits import RateLimitItemPerHour, RateLimitItemPerMinute
from starlette.datastructures import Headers
from starlette.routing import compile_path
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fenrain.api.authentication import IN_PERSON, UNNOTED, cookie_name, count_against_limit, find_asking, role_of
from fenrain.api.problems import answer_error
from fenrain.core.errors import FenrainError, NotAllowedError, NotSignedInError, TooLargeError
from fenrain.services.people import CredentialKind, Identity
from fenrain.settings import settings
from fenrain.store.current_person import as_person

LARGEST_DOCUMENT, LARGEST_OF_STRANGERS = 8 * 1024**2, 64 * 1024
"""Bytes of a body that is no upload, and of one of whoever is not signed in yet."""
AROUND_A_FILE = 64 * 1024
"""Bytes of a form beside the file that it holds."""


@dataclass(frozen=True)
class Address:
    """A route with where it is. is_open: whether whoever asks is let in; most: bytes of a body, None for as large an upload as is taken."""

    pattern: re.Pattern[str]
    route: APIRoute
    is_open: bool
    most: int | None

    def takes(self, scope: Scope) -> bool:
        return scope["method"] in (self.route.methods or ()) and self.pattern.match(scope["path"]) is not None


def addresses_of(routers: Iterable[APIRouter], prefix: str, *, is_open: bool) -> list[Address]:
    """Every address of these routers."""
    routes = [route for router in routers for route in router.routes if isinstance(route, APIRoute)]
    return [Address(compile_path(prefix + route.path)[0], route, is_open, _most_of(route, is_open)) for route in routes]


def _most_of(route: APIRoute, is_open: bool) -> int | None:
    files = [found.field_info for found in route.dependant.body_params if isinstance(found.field_info, params.File)]
    if not files:
        return LARGEST_OF_STRANGERS if is_open else LARGEST_DOCUMENT
    sizes = [rule.max_length for file in files for rule in file.metadata if isinstance(rule, MaxLen)]
    return sum(sizes) + AROUND_A_FILE if len(sizes) == len(files) else None


class Access:
    """ASGI middleware: lets a request through to its address with the person who asks, or refuses it unread."""

    def __init__(self, app: ASGIApp, addresses: Iterable[Address]) -> None:
        self._app, self._addresses = app, tuple(addresses)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        address = next((one for one in self._addresses if one.takes(scope)), None)
        most = LARGEST_OF_STRANGERS if address is None else settings().largest_upload if address.most is None else address.most
        body = _Body(scope, receive, send, most)
        try:
            known = None if address is None or address.is_open else await _let_in(scope, address.route)
            body.require_stated_size()
        except FenrainError as refusal:
            await answer_error(refusal)(scope, receive, send)
            return
        if known is None:
            await self._app(scope, body.receive, body.send)
            return
        scope["fenrain.identity"] = known
        with as_person(known.name):
            await self._app(scope, body.receive, body.send)


async def _let_in(scope: Scope, route: APIRoute) -> Identity:
    """The person who asks. Raises NotSignedInError, NotAllowedError, TooManyError."""
    scope["route"] = route
    request = Request(scope)
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    is_token = scheme.lower() == "bearer"
    secret = token.strip() if is_token else request.cookies.get(cookie_name(), "")
    scope["fenrain.tried"] = bool(secret)
    kind = CredentialKind.TOKEN if is_token else CredentialKind.SESSION
    known = await anyio.to_thread.run_sync(find_asking, secret, kind) if secret else None
    if known is None:
        raise NotSignedInError("You are not signed in.", place="session", remedy="Sign in, or send a token.")
    scope["fenrain.person"] = known.name
    extra = route.openapi_extra or {}
    needed = role_of(scope["method"], extra)
    if not known.role.covers(needed):
        raise NotAllowedError(f"This takes a {needed}; you are a {known.role}.", place=known.name, remedy="Ask a supervisor.")
    if known.kind is CredentialKind.TOKEN and IN_PERSON in extra:
        raise NotAllowedError("A token may not do this.", place=known.name, remedy="Sign in with a browser.")
    _count(request, known, extra)
    return known


def _count(request: Request, known: Identity, extra: dict[str, Any]) -> None:
    count_against_limit(RateLimitItemPerMinute(settings().requests_a_minute), "requests", str(known.id))
    if UNNOTED not in extra and request.headers.get("content-type", "").startswith("multipart/"):
        count_against_limit(RateLimitItemPerHour(settings().uploads_an_hour), "uploads", str(known.id))


class _Body:
    """A body that is counted as it comes in: one without a stated length ends where it is too large."""

    def __init__(self, scope: Scope, receive: Receive, send: Send, most: int) -> None:
        self._scope, self._receive, self._send, self._most = scope, receive, send, most
        self._size, self._refused = 0, False

    def require_stated_size(self) -> None:
        """Raises TooLargeError where more is announced than is taken."""
        length = Headers(scope=self._scope).get("content-length", "0")
        if not length.isdecimal() or int(length) > self._most:
            raise self._too_large()

    async def receive(self) -> Message:
        message = await self._receive()
        self._size += len(message.get("body", b""))
        if self._size > self._most and not self._refused:
            self._refused = True
            await answer_error(self._too_large())(self._scope, self._receive, self._send)
        return {"type": "http.disconnect"} if self._refused else message

    async def send(self, message: Message) -> None:
        if not self._refused:
            await self._send(message)

    def _too_large(self) -> TooLargeError:
        size = f"{self._most / 1024**3:.3g} GiB" if self._most >= 1024**3 else f"{self._most / 1024**2:.3g} MiB"
        return TooLargeError(f"What is sent is larger than {size}.", place="body", remedy="Send less at once.")
