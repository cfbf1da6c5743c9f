"""Errors as problem+json (RFC 9457): what, where, what next; never a trace."""

from __future__ import annotations

import logging
from http import HTTPStatus

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from fenrain.api.schemas.shared import Problem
from fenrain.core.errors import (
    ConflictError,
    EngineError,
    FenrainError,
    NotAllowedError,
    NotFoundError,
    NotSignedInError,
    PreconditionMissingError,
    StorageError,
    TooLargeError,
    TooManyError,
)

STATUS: tuple[tuple[type[FenrainError], int], ...] = (
    (NotSignedInError, 401),
    (NotAllowedError, 403),
    (NotFoundError, 404),
    (ConflictError, 412),
    (PreconditionMissingError, 428),
    (TooLargeError, 413),
    (TooManyError, 429),
    (EngineError, 503),
    (StorageError, 507),
    (FenrainError, 422),
)
log = logging.getLogger("fenrain.api")


def problem_of(error: FenrainError) -> Problem:
    """An error as a document, for answers that have begun already."""
    status = next(status for kind, status in STATUS if isinstance(error, kind))
    return _problem(status, error.code, error.message, error.place, error.remedy)


def answer_error(error: FenrainError) -> JSONResponse:
    """An error as an answer."""
    found = problem_of(error)
    return answer(found.status, found.code, found.detail, found.place, found.remedy)


def answer(status: int, code: str, detail: str, place: str = "", remedy: str = "") -> JSONResponse:
    return JSONResponse(_problem(status, code, detail, place, remedy).model_dump(), status, media_type="application/problem+json")


def _problem(status: int, code: str, detail: str, place: str, remedy: str) -> Problem:
    return Problem(
        type=f"urn:fenrain:problem:{code}",
        title=HTTPStatus(status).phrase,
        status=status,
        detail=detail,
        code=code,
        place=place,
        remedy=remedy,
    )


def answer_own_error(method: str, path: str, error: Exception) -> JSONResponse:
    """The answer to what nobody foresaw, which the log tells of."""
    log.error("%s %s failed", method, path, exc_info=error)
    remedy = "Try again; if it comes back, look into the server's log."
    return answer(500, "internal", "Something went wrong inside Fenrain.", path[:200], remedy)


def install(app: FastAPI) -> None:
    """Turn every error into a problem document."""

    @app.exception_handler(FenrainError)
    async def answer_refusal(_: Request, error: FenrainError) -> JSONResponse:
        return answer_error(error)

    @app.exception_handler(RequestValidationError)
    async def answer_invalid_request(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        place = "/".join(str(part) for part in first["loc"])
        return answer(422, "invalid-request", f"{place}: {first['msg']}.", place, "Correct the request.")

    @app.exception_handler(HTTPException)
    async def answer_http_error(_: Request, error: HTTPException) -> JSONResponse:
        return answer(error.status_code, "http", str(error.detail))
