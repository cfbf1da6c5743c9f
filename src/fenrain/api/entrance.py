"""Who is let in: every address asks for a person, and says what role it takes; what changes something is noted with how it ended.

References: OWASP ASVS 5.0, chapters V6 to V8 and V16 (authentication, sessions, authorization, logging).
"""

from __future__ import annotations

import logging
from collections.abc import AsyncIterator
from typing import Annotated, Any

import anyio.to_thread
from fastapi import Depends, Request, Response
from fastapi.security import APIKeyCookie, HTTPAuthorizationCredentials, HTTPBearer
from limits import RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fenrain.api.guards import SAFE_METHODS
from fenrain.core.errors import NotAllowedError, NotSignedInError, TooManyError
from fenrain.services.people import SESSION_AT_MOST, Kind, Known, Role, note, whose
from fenrain.settings import settings
from fenrain.store.acting import acting_as
from fenrain.store.database import session

COOKIE = "fenrain_session"
ROLE, UNNOTED = "x-role", "x-unnoted"
_cookie = APIKeyCookie(name=COOKIE, auto_error=False)
_bearer = HTTPBearer(auto_error=False)
_limiter = MovingWindowRateLimiter(MemoryStorage())
log = logging.getLogger("fenrain.api")

LOOKS_ONLY: dict[str, Any] = {ROLE: Role.READER, UNNOTED: True}
"""For `openapi_extra`: it asks by POST and changes nothing, so that readers may."""
SUPERVISES: dict[str, Any] = {ROLE: Role.SUPERVISOR}
"""For `openapi_extra`: only supervisors may."""
OWN: dict[str, Any] = {ROLE: Role.READER}
"""For `openapi_extra`: it changes what belongs to whoever asks."""


async def let_in(
    request: Request,
    _: Annotated[str | None, Depends(_cookie)],
    bearer: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)],
) -> AsyncIterator[Known]:
    """The person who asks, for as long as the request lasts. Raises NotSignedInError, NotAllowedError, TooManyError."""
    secret, kind = (bearer.credentials, Kind.TOKEN) if bearer is not None else (request.cookies.get(cookie_name(), ""), Kind.SESSION)
    known = await anyio.to_thread.run_sync(_known, secret, kind) if secret else None
    request.scope["fenrain.tried"] = bool(secret)
    if known is None:
        raise NotSignedInError("You are not signed in.", place="session", remedy="Sign in, or send a token.")
    request.scope["fenrain.person"] = known.name
    needed = role_of(request.method, request.scope["route"].openapi_extra)
    if not known.role.covers(needed):
        raise NotAllowedError(f"This takes a {needed}; you are a {known.role}.", place=known.name, remedy="Ask a supervisor.")
    _count(request, known)
    with acting_as(known.name):
        yield known


Asking = Annotated[Known, Depends(let_in)]


def role_of(method: str, extra: dict[str, Any] | None) -> Role:
    """The role that an address takes: what it says itself, else readers look and TDs change."""
    return Role((extra or {}).get(ROLE, Role.READER if method in SAFE_METHODS else Role.TD))


def _known(secret: str, kind: Kind) -> Known | None:
    with session() as database:
        return whose(database, secret, kind)


def _count(request: Request, known: Known) -> None:
    limit(RateLimitItemPerMinute(settings().requests_a_minute), "requests", str(known.id))
    extra = request.scope["route"].openapi_extra or {}
    if UNNOTED not in extra and request.headers.get("content-type", "").startswith("multipart/"):
        limit(RateLimitItemPerHour(settings().uploads_an_hour), "uploads", str(known.id))


def limit(item: RateLimitItemPerMinute | RateLimitItemPerHour, *of: str) -> None:
    """Count one more. Raises TooManyError where that is more than the limit."""
    if not _limiter.hit(item, *of):
        raise TooManyError(f"That is more than {item}.", place=of[0], remedy="Wait a little, then go on.")


def cookie_name() -> str:
    """Behind TLS with the prefix that keeps a cookie to this host alone (RFC 6265bis §4.1.3.2)."""
    return f"__Host-{COOKIE}" if settings().https else COOKIE


def keep_session(response: Response, secret: str) -> None:
    """Have the browser keep the secret of a session, out of reach of scripts and of other sites."""
    response.set_cookie(
        cookie_name(), secret, max_age=int(SESSION_AT_MOST.total_seconds()), httponly=True, samesite="strict", secure=settings().https
    )


def forget_session(response: Response) -> None:
    response.delete_cookie(cookie_name(), httponly=True, samesite="strict", secure=settings().https)


class Noted:
    """ASGI middleware: what changed something, or was refused, enters the audit once it is answered."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        status = 500

        async def sent(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        try:
            await self._app(scope, receive, sent)
        finally:
            route = scope.get("route") if scope["type"] == "http" else None
            extra = getattr(route, "openapi_extra", None) or {}
            changes = route is not None and scope["method"] not in SAFE_METHODS and UNNOTED not in extra
            refused = status in (401, 403) and scope.get("fenrain.tried", False)
            if route is not None and (changes or refused):
                await anyio.to_thread.run_sync(_note, scope.get("fenrain.person", ""), route.name, scope["path"], status)


def _note(by: str, act: str, place: str, status: int) -> None:
    try:
        with session() as database:
            note(database, by, act, place, status)
    except Exception:
        log.exception("%s by %s at %s (%s) did not enter the audit", act, by, place, status)
