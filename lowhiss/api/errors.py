"""Every answer that is not a success: a status, a stable code and one sentence. Translated here, once."""

from __future__ import annotations

import errno
import logging
import os
from collections.abc import Awaitable, Callable

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DBAPIError, OperationalError
from starlette.exceptions import HTTPException

from lowhiss.api.json_requests import number_of
from lowhiss.core.errors import CoreError
from lowhiss.sandbox import SandboxMissingError
from lowhiss.service.errors import ConflictError, NotFoundError, ServiceError
from lowhiss.service.people.guess_limits import SlowDownError
from lowhiss.service.people.signin import ForbiddenError, SignedOutError

log = logging.getLogger(__name__)

_STATUS_OF: dict[type[ServiceError], int] = {
    SignedOutError: 401,
    ForbiddenError: 403,
    NotFoundError: 404,
    ConflictError: 409,
    SlowDownError: 429,
}
_AWAY = frozenset({2006, 2013, 2002, 2003, 1053, 1927, 1152, 1040})
"""Connection lost or refused, server shutting down or crowded: the same request may succeed soon."""
_BUSY = frozenset({1205, 1213, 1020})
"""Lock wait, deadlock, row changed meanwhile; it was tried several times already."""
_TOO_LONG = 1969
_FULL = frozenset({1021, 1114})
"""The database's disk, or a table's file, is full."""
_NO_SPACE = os.strerror(errno.ENOSPC)
"""What the database adds to any other error of writing that comes of a full disk."""
_NO_ROOM = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EFBIG})


def answer(status: int, code: str, message: str, field: str = "", **headers: str) -> JSONResponse:
    body = {"error": {"code": code, "message": message, "field": field}}
    return JSONResponse(body, status_code=status, headers=headers)


async def _service(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, ServiceError)
    wait = {"Retry-After": str(error.retry_s)} if isinstance(error, SlowDownError) else {}
    return answer(_STATUS_OF.get(type(error), 422), error.code, error.sentence, error.field, **wait)


async def _core(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, CoreError)
    return answer(422, "not_understood", str(error), error.field)


async def _no_sandbox(_: Request, error: Exception) -> JSONResponse:
    log.error("%s", error)
    return answer(503, "no_sandbox", f"{str(error).rstrip('.')}.")


async def _validation(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    place, *names = [str(part) for part in first["loc"]]
    field = ".".join(names)
    if first["type"] == "json_invalid":
        return answer(422, "json_invalid", "The body isn't valid JSON.", "body")
    problem = "doesn't have the expected form" if first["type"] == "string_pattern_mismatch" else first["msg"]
    return answer(422, "input_invalid", f"{field or place}: {problem}.", field or place)


async def _http(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    return answer(
        error.status_code,
        getattr(error, "code", f"http_{error.status_code}"),
        f"{error.detail}.",
        **(error.headers or {}),
    )


async def _database(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, DBAPIError)
    number = number_of(error)
    if number in _FULL or _NO_SPACE in str(error.orig):
        return _disk_full()
    if number == _TOO_LONG:
        sentence = "This took too long and was stopped. Ask for less, for example a narrower search."
        return answer(503, "took_too_long", sentence)
    if number in _BUSY:
        sentence = "Others are saving the same data right now. Your marks are saved on this device and will be sent."
        return answer(503, "database_busy", sentence, **{"Retry-After": "1"})
    if number == 1062:
        return answer(409, "already_there", "Somebody else has just saved this. Review it before you save.")
    if number in _AWAY or error.connection_invalidated or isinstance(error, OperationalError):
        sentence = "The database is restarting. Your marks are saved on this device and will be sent."
        return answer(503, "database_away", sentence, **{"Retry-After": "1"})
    return await _unexpected(_, error)


async def _no_room(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, OSError)
    return _disk_full() if error.errno in _NO_ROOM else await _unexpected(request, error)


def _disk_full() -> JSONResponse:
    log.error("the disk is full")
    sentence = "The server's disk is full. Free some space. Your marks are saved on this device and will be sent."
    return answer(507, "no_room", sentence, **{"Retry-After": "30"})


async def _unexpected(request: Request, error: Exception) -> JSONResponse:
    log.error("%s %s", request.method, request.url.path, exc_info=error)
    return answer(
        500, "unexpected", "Something went wrong on the server. Its log has the details. Nothing was saved halfway."
    )


def install(app: FastAPI) -> None:
    """Answer every error in the one form."""
    handlers: dict[type[Exception], Callable[[Request, Exception], Awaitable[JSONResponse]]] = {
        ServiceError: _service,
        CoreError: _core,
        SandboxMissingError: _no_sandbox,
        RequestValidationError: _validation,
        HTTPException: _http,
        DBAPIError: _database,
        OSError: _no_room,
        Exception: _unexpected,
    }
    for kind, handler in handlers.items():
        app.add_exception_handler(kind, handler)
