"""How requests are read and tried: JSON that no table could keep is refused, a deadlock is tried again."""

from __future__ import annotations

import asyncio
import json
import random
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import HTTPException, Request, Response
from fastapi.routing import APIRoute
from sqlalchemy.exc import DBAPIError

_TRIES = 4
_AGAIN = frozenset({1213, 1205, 1020, 1062})
"""Deadlock, lock wait, row changed meanwhile, two with one key at once: the second try finds what is there."""
_MAX_DIGITS = 20
_BATCHES = ("/events", "/acts", "/marks")


class UnreadableError(HTTPException):
    """A body that cannot be taken, with the code that says why."""

    def __init__(self, status: int, code: str, detail: str) -> None:
        super().__init__(status, detail)
        self.code = code


class CarefulRequest(Request):
    """A request whose JSON holds nothing that no table could keep."""

    async def json(self) -> Any:
        """The body's JSON. Raises UnreadableError, JSONDecodeError."""
        if not hasattr(self, "_json"):
            body = await self.body()
            try:
                self._json = json.loads(body, parse_int=_number)
            except RecursionError:
                raise UnreadableError(422, "json_invalid", "The body is nested too deeply to be read") from None
            except UnicodeDecodeError:
                raise UnreadableError(422, "json_invalid", "The body is not UTF-8 text") from None
            # a batch of marks or acts says of each by itself what is wrong with it
            if b"\\u" in body and not self.url.path.endswith(_BATCHES) and _half_character(self._json):
                raise UnreadableError(422, "input_invalid", "The body holds half a character, which cannot be kept")
        return self._json


def _number(text: str) -> int | float:
    """Whole numbers as they are; one that no table holds becomes infinite and is refused where it is looked at."""
    return int(text) if len(text) <= _MAX_DIGITS else float(text)


def _half_character(value: Any) -> bool:
    if isinstance(value, str):
        return any("\ud800" <= c <= "\udfff" for c in value)
    if isinstance(value, dict):
        return any(_half_character(part) for pair in value.items() for part in pair)
    return isinstance(value, list) and any(_half_character(part) for part in value)


class CarefulRoute(APIRoute):
    """An operation that is tried again when the database only asks for that: each is one transaction."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """FastAPI's own handler, called again where that may help."""
        handle = super().get_route_handler()

        async def careful(request: Request) -> Response:
            request = CarefulRequest(request.scope, request.receive)
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
