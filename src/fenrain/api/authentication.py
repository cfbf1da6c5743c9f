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
from fenrain.services.people import SESSION_AT_MOST, CredentialKind, Identity, Role, find_identity, record_audit
from fenrain.settings import settings
from fenrain.store.current_person import as_person
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


async def authenticate(
    request: Request,
    _: Annotated[str | None, Depends(_cookie)],
    bearer: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)],
) -> AsyncIterator[Identity]:
    """The person who asks, for as long as the request lasts. Raises NotSignedInError, NotAllowedError, TooManyError."""
    secret, kind = (
        (bearer.credentials, CredentialKind.TOKEN)
        if bearer is not None
        else (request.cookies.get(cookie_name(), ""), CredentialKind.SESSION)
    )
    known = await anyio.to_thread.run_sync(_find_identity, secret, kind) if secret else None
    request.scope["fenrain.tried"] = bool(secret)
    if known is None:
        raise NotSignedInError("You are not signed in.", place="session", remedy="Sign in, or send a token.")
    request.scope["fenrain.person"] = known.name
    needed = role_of(request.method, request.scope["route"].openapi_extra)
    if not known.role.covers(needed):
        raise NotAllowedError(f"This takes a {needed}; you are a {known.role}.", place=known.name, remedy="Ask a supervisor.")
    _count(request, known)
    with as_person(known.name):
        yield known


Asking = Annotated[Identity, Depends(authenticate)]


def role_of(method: str, extra: dict[str, Any] | None) -> Role:
    """The role that an address takes: what it says itself, else readers look and TDs change."""
    return Role((extra or {}).get(ROLE, Role.READER if method in SAFE_METHODS else Role.TD))


def _find_identity(secret: str, kind: CredentialKind) -> Identity | None:
    with session() as database:
        return find_identity(database, secret, kind)


def _count(request: Request, known: Identity) -> None:
    count_against_limit(RateLimitItemPerMinute(settings().requests_a_minute), "requests", str(known.id))
    extra = request.scope["route"].openapi_extra or {}
    if UNNOTED not in extra and request.headers.get("content-type", "").startswith("multipart/"):
        count_against_limit(RateLimitItemPerHour(settings().uploads_an_hour), "uploads", str(known.id))


def count_against_limit(item: RateLimitItemPerMinute | RateLimitItemPerHour, *of: str) -> None:
    """Count one more. Raises TooManyError where that is more than the limit."""
    if not _limiter.hit(item, *of):
        raise TooManyError(f"That is more than {item}.", place=of[0], remedy="Wait a little, then go on.")


def cookie_name() -> str:
    """Behind TLS with the prefix that keeps a cookie to this host alone (RFC 6265bis §4.1.3.2)."""
    return f"__Host-{COOKIE}" if settings().https else COOKIE


def set_session_cookie(response: Response, secret: str) -> None:
    """Have the browser keep the secret of a session, out of reach of scripts and of other sites."""
    response.set_cookie(
        cookie_name(), secret, max_age=int(SESSION_AT_MOST.total_seconds()), httponly=True, samesite="strict", secure=settings().https
    )


def delete_session_cookie(response: Response) -> None:
    response.delete_cookie(cookie_name(), httponly=True, samesite="strict", secure=settings().https)


class AuditMiddleware:
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
            record_audit(database, by, act, place, status)
    except Exception:
        log.exception("%s by %s at %s (%s) did not enter the audit", act, by, place, status)
