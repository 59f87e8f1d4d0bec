"""How requests are read and tried: JSON that no table could keep is refused, a deadlock is tried again."""

from __future__ import annotations

import asyncio
import json
import random
from collections.abc import Callable, Coroutine
from typing import Any

from anyio import to_thread
from fastapi import HTTPException, Request, Response
from fastapi.routing import APIRoute
from sqlalchemy.exc import DBAPIError

from lowhiss.api.auth import authorize, open_to_all
from lowhiss.api.deps import get_store

_TRIES = 4
_AGAIN = frozenset({1213, 1205, 1020, 1062})
"""Deadlock, lock wait, row changed meanwhile, two with one key at once: the second try finds what is there."""
_MAX_DIGITS = 20
_BATCHES = ("/events", "/acts", "/marks")
MAX_OPEN_BODY_BYTES = 8 * 1024
"""What somebody may send who is not signed in."""
_MAX_DEPTH = 40
_MAX_PARTS = 60_000
"""Lists and objects in one body."""
_MAX_ITEMS = 400_000
"""Values in one body."""
_MAX_KEYS = 1_000
"""Keys of one object."""
_PARSED_HERE_BYTES = 64 * 1024
"""A larger body is parsed in a thread: everybody else's requests go on meanwhile."""


class UnreadableError(HTTPException):
    """A body that cannot be taken, with the code that says why."""

    def __init__(self, status: int, code: str, detail: str) -> None:
        super().__init__(status, detail)
        self.code = code


class CarefulRequest(Request):
    """A request whose body is bounded before it is parsed, and whose JSON holds nothing that no table could keep.

    most_bytes : how large the body may be; None where the guard's limit is enough.
    """

    most_bytes: int | None = None

    async def body(self) -> bytes:
        """The body. Raises UnreadableError."""
        if not hasattr(self, "_body"):
            pieces: list[bytes] = []
            taken = 0
            async for piece in self.stream():
                taken += len(piece)
                if self.most_bytes is not None and taken > self.most_bytes:
                    raise UnreadableError(413, "too_large", f"At most {self.most_bytes // 1024} kB are accepted here")
                pieces.append(piece)
            self._body = b"".join(pieces)
        return self._body

    async def json(self) -> Any:
        """The body's JSON. Raises UnreadableError, JSONDecodeError."""
        if not hasattr(self, "_json"):
            body = await self.body()
            whole = not self.url.path.endswith(_BATCHES)
            if len(body) <= _PARSED_HERE_BYTES:
                self._json = parsed_json(body, whole=whole)
            else:
                self._json = await to_thread.run_sync(lambda: parsed_json(body, whole=whole))
        return self._json


def parsed_json(body: bytes, *, whole: bool = True) -> Any:
    """The JSON of a body, its size bounded in every direction before and while it is parsed.

    whole : half a character refuses the body; a batch of marks or acts says of each by itself what is wrong with it.
    Raises UnreadableError, JSONDecodeError.
    """
    if body.count(b"[") + body.count(b"{") > _MAX_PARTS or body.count(b",") > _MAX_ITEMS:
        raise UnreadableError(413, "too_large", "The body has too many values")
    try:
        value = json.loads(body, parse_int=_number, object_pairs_hook=_object)
    except RecursionError:
        raise _too_deep() from None
    except UnicodeDecodeError:
        raise UnreadableError(422, "json_invalid", "The body isn't UTF-8 text") from None
    _check_depth(value)
    if whole and b"\\u" in body and half_character(value):
        raise UnreadableError(422, "input_invalid", "The body contains a broken character")
    return value


def _too_deep() -> UnreadableError:
    return UnreadableError(422, "json_invalid", "The body is nested too deeply")


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if len(pairs) > _MAX_KEYS:
        raise UnreadableError(413, "too_large", f"The body has an object with more than {_MAX_KEYS} fields")
    return dict(pairs)


def _check_depth(value: Any) -> None:
    """Raises UnreadableError for what is nested deeper than anything here needs."""
    level = [value] if isinstance(value, dict | list) else []
    for _ in range(_MAX_DEPTH):
        if not level:
            return
        level = [
            part
            for one in level
            for part in (one.values() if isinstance(one, dict) else one)
            if isinstance(part, dict | list)
        ]
    if level:
        raise _too_deep()


def _number(text: str) -> int | float:
    """Whole numbers as they are; one that no table holds becomes infinite and is refused where it is looked at."""
    return int(text) if len(text) <= _MAX_DIGITS else float(text)


def half_character(value: Any) -> bool:
    """Whether a value read of JSON holds half a character anywhere: no table, file or answer could carry it."""
    if isinstance(value, str):
        return any("\ud800" <= c <= "\udfff" for c in value)
    if isinstance(value, dict):
        return any(half_character(part) for pair in value.items() for part in pair)
    return isinstance(value, list) and any(half_character(part) for part in value)


class CarefulRoute(APIRoute):
    """An operation that asks who may before it reads what was sent, and is tried again where the database asks so."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """FastAPI's own handler, called again where that may help."""
        handle = super().get_route_handler()

        async def careful(request: Request) -> Response:
            request = CarefulRequest(request.scope, request.receive)
            # who may is asked before anything of what was sent is read
            await authorize(request, await get_store(request))
            if open_to_all(request):
                request.most_bytes = MAX_OPEN_BODY_BYTES
            for left in reversed(range(_TRIES)):
                try:
                    return await handle(request)
                except DBAPIError as error:
                    if not left or number_of(error) not in _AGAIN:
                        raise
                    await asyncio.sleep(random.uniform(0.005, 0.05))
            raise AssertionError  # pragma: no cover

        return careful


def number_of(error: DBAPIError) -> int | None:
    """MariaDB's number of an error."""
    number = error.orig.args[0] if error.orig is not None and error.orig.args else None
    return number if isinstance(number, int) else None
