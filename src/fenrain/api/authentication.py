"""What an address says of who may ask, who that is, limits on how often, and sessions in cookies.

References: OWASP ASVS 5.0, chapters V6 to V8 (authentication, sessions, authorization).
"""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request, Response
from fastapi.security import APIKeyCookie, HTTPAuthorizationCredentials, HTTPBearer
from limits import RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from fenrain.api.guards import SAFE_METHODS
from fenrain.core.errors import TooManyError
from fenrain.services.people import SESSION_AT_MOST, CredentialKind, Identity, Role, find_identity
from fenrain.settings import settings
from fenrain.store.database import session

COOKIE = "fenrain_session"
ROLE, NOTED, UNNOTED, IN_PERSON = "x-role", "x-noted", "x-unnoted", "x-in-person"
_cookie = APIKeyCookie(name=COOKIE, auto_error=False)
_bearer = HTTPBearer(auto_error=False)
_limiter = MovingWindowRateLimiter(MemoryStorage())

LOOKS_ONLY: dict[str, Any] = {ROLE: Role.READER, UNNOTED: True}
"""For `openapi_extra`: it asks by POST and changes nothing, so that readers may."""
TAKES_AWAY: dict[str, Any] = {NOTED: True}
"""For `openapi_extra`: it hands out what leaves the house, which is noted."""
SUPERVISES: dict[str, Any] = {ROLE: Role.SUPERVISOR}
"""For `openapi_extra`: only supervisors may."""
OWN: dict[str, Any] = {ROLE: Role.READER}
"""For `openapi_extra`: it changes what belongs to whoever asks."""
OF_PEOPLE: dict[str, Any] = {IN_PERSON: True}
"""For `openapi_extra`, beside another: no token may, since a script that leaks must not let anybody in."""


async def authenticate(
    request: Request,
    _: Annotated[str | None, Depends(_cookie)],
    __: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)],
) -> Identity:
    """The person who asks, as `access` has let them in."""
    known: Identity = request.scope["fenrain.identity"]
    return known


Asking = Annotated[Identity, Depends(authenticate)]


def role_of(method: str, extra: dict[str, Any] | None) -> Role:
    """The role that an address takes: what it says itself, else readers look and TDs change."""
    return Role((extra or {}).get(ROLE, Role.READER if method in SAFE_METHODS else Role.TD))


def find_asking(secret: str, kind: CredentialKind) -> Identity | None:
    """Who is let in by a secret, None for nobody."""
    with session() as database:
        return find_identity(database, secret, kind)


def count_against_limit(item: RateLimitItemPerMinute | RateLimitItemPerHour, *of: str) -> None:
    """Count one more. Raises TooManyError where that is more than the limit."""
    if not may_count(item, *of):
        raise TooManyError(f"That is more than {item}.", place=of[0], remedy="Wait a little, then go on.")


def may_count(item: RateLimitItemPerMinute | RateLimitItemPerHour, *of: str) -> bool:
    """Count one more, and say whether that is still within the limit."""
    return bool(_limiter.hit(item, *of))


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
