"""The audit: what changed something, was taken away or was refused is noted with who asked, from where, and how it ended.

Reference: OWASP ASVS 5.0, chapter V16 (security logging).
"""

from __future__ import annotations

import logging

import anyio.to_thread
from limits import RateLimitItemPerMinute
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fenrain.api.authentication import NOTED, UNNOTED, may_count
from fenrain.api.guards import SAFE_METHODS
from fenrain.services.people import Act, record_audit
from fenrain.store.database import session

REFUSED_A_MINUTE = RateLimitItemPerMinute(1)
"""Refusals that are noted of whoever is not known, from each place: a flood of them writes no rows."""
log = logging.getLogger("fenrain.api")


class AuditMiddleware:
    """ASGI middleware: notes an act once it is answered."""

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
            if scope["type"] == "http" and "route" in scope and _is_noted(scope, status):
                await anyio.to_thread.run_sync(_note, _act_of(scope, status))


def _is_noted(scope: Scope, status: int) -> bool:
    extra = getattr(scope["route"], "openapi_extra", None) or {}
    changes = scope["method"] not in SAFE_METHODS and UNNOTED not in extra
    if scope.get("fenrain.person"):
        return changes or NOTED in extra or status == 403
    is_try = changes or bool(scope.get("fenrain.tried"))
    return is_try and may_count(REFUSED_A_MINUTE, "refusals", _source_of(scope), str(scope.get("fenrain.tried_as", "")))


def _act_of(scope: Scope, status: int) -> Act:
    by, tried = scope.get("fenrain.person", ""), scope.get("fenrain.tried_as", "")
    return Act(by, scope["route"].name, scope["path"], status, _source_of(scope), "" if by else tried)


def _source_of(scope: Scope) -> str:
    return str((scope.get("client") or ("",))[0])


def _note(act: Act) -> None:
    try:
        with session() as database:
            record_audit(database, act)
    except Exception:
        log.exception("%s did not enter the audit", act)
