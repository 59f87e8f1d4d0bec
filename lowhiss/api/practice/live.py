"""A practice live: who drives sends what the dash shows and what is true, a trainer who joined sets the vehicle.

One WebSocket each on ``/api/practices/{id}/live``. The driver sends ``{"frame": …, "truth": …}`` some times a second;
a trainer gets them as they come and sends ``{"do": {"name": …, "value": …}}``, which the driver gets with ``by``. What
came of it is told by the driver as ``{"done": …}``. A process passes on what was sent to it, and keeps none of it.
"""

from __future__ import annotations

import asyncio
import json
import time
from typing import Any, cast

from sqlalchemy.exc import SQLAlchemyError
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.routing import WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from lowhiss.api.auth import SESSION_COOKIE
from lowhiss.api.sockets import BAD, CROWDED, LATER, REPLACED, SIGNED_OUT, UNKNOWN, admitted, store_of, text_of
from lowhiss.core.airsystem import FROM_OUTSIDE
from lowhiss.service.errors import NotFoundError
from lowhiss.service.people import signin
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.practice import practices

MAX_TRAINERS = 6
_MAX_MESSAGE = 32_768
_MAX_A_SECOND = 30
_WAITING = 20


class Room:
    """One practice in this process: its driver, and the trainers who look."""

    def __init__(self) -> None:
        self.driver: WebSocket | None = None
        self.trainers: dict[WebSocket, asyncio.Queue[dict[str, Any]]] = {}

    def tell(self, message: dict[str, Any]) -> None:
        """Pass a message on to every trainer."""
        for waiting in self.trainers.values():
            _put(waiting, message)


def install(app: Starlette) -> None:
    app.state.practice_rooms = {}
    app.router.routes.append(WebSocketRoute("/api/practices/{practice_id}/live", watch_practice, name="watchPractice"))


async def watch_practice(socket: WebSocket) -> None:
    """Join the driver or a trainer to a practice for as long as the connection holds."""
    if not await admitted(socket, "watchPractice"):
        return
    practice_id = socket.path_params["practice_id"]
    store = store_of(socket)
    try:
        person = await run_in_threadpool(signin.who, store, socket.cookies.get(SESSION_COOKIE))
        if person is None:
            await socket.close(SIGNED_OUT)
            return
        part = await run_in_threadpool(practices.part_in, store, practice_id, person)
    except (NotFoundError, ForbiddenError):
        await socket.close(UNKNOWN)
        return
    except SQLAlchemyError:
        await socket.close(LATER)
        return
    rooms = cast(dict[str, Room], socket.app.state.practice_rooms)
    room = rooms.setdefault(practice_id, Room())
    try:
        await (_drive(socket, room) if part == "drive" else _train(socket, room, person))
    except WebSocketDisconnect:
        pass
    finally:
        if room.driver is None and not room.trainers:
            rooms.pop(practice_id, None)


async def _drive(socket: WebSocket, room: Room) -> None:
    before, room.driver = room.driver, socket
    if before is not None:
        await before.close(REPLACED)
    await socket.send_json({"trainers": len(room.trainers)})
    pace = Pace()
    try:
        while True:
            message = await _read(socket)
            if message is None or not pace.holds():
                await socket.close(BAD if message is None else CROWDED)
                return
            room.tell({key: message[key] for key in ("frame", "truth", "done", "marks") if key in message})
    finally:
        if room.driver is socket:
            room.driver = None
            room.tell({"gone": True})


async def _train(socket: WebSocket, room: Room, person: Person) -> None:
    if len(room.trainers) >= MAX_TRAINERS:
        await socket.close(CROWDED)
        return
    waiting: asyncio.Queue[dict[str, Any]] = asyncio.Queue(_WAITING)
    room.trainers[socket] = waiting
    await _to_driver(room, {"trainers": len(room.trainers)})
    await socket.send_json({"gone": True} if room.driver is None else {"here": True})
    sending = asyncio.create_task(_send(socket, waiting))
    pace = Pace()
    try:
        while True:
            message = await _read(socket)
            if message is None or not pace.holds():
                await socket.close(BAD if message is None else CROWDED)
                return
            asked = message.get("do")
            known = isinstance(asked, dict) and asked.get("name") in FROM_OUTSIDE
            if not known or not await _to_driver(room, {"do": asked, "by": person.name}):
                _put(waiting, {"done": {"refused": "driver_gone" if known else "not_for_a_trainer"}})
    finally:
        sending.cancel()
        room.trainers.pop(socket, None)
        await _to_driver(room, {"trainers": len(room.trainers)})


def _put(waiting: asyncio.Queue[dict[str, Any]], message: dict[str, Any]) -> None:
    """One that does not keep up misses the oldest."""
    if waiting.full():
        waiting.get_nowait()
    waiting.put_nowait(message)


async def _send(socket: WebSocket, waiting: asyncio.Queue[dict[str, Any]]) -> None:
    while True:
        await socket.send_json(await waiting.get())


async def _to_driver(room: Room, message: dict[str, Any]) -> bool:
    """Whether the driver is there to get it."""
    if room.driver is None:
        return False
    try:
        await room.driver.send_json(message)
    except (RuntimeError, WebSocketDisconnect):
        return False
    return True


async def _read(socket: WebSocket) -> dict[str, Any] | None:
    """The next message; nothing where it is none."""
    text = await text_of(socket)
    if len(text) > _MAX_MESSAGE:
        return None
    try:
        message = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return message if isinstance(message, dict) else None


class Pace:
    """No more messages a second than anybody needs."""

    def __init__(self) -> None:
        self._began, self._count = time.monotonic(), 0

    def holds(self) -> bool:
        """Count one more; whether it still may be."""
        now = time.monotonic()
        if now - self._began >= 1:
            self._began, self._count = now, 0
        self._count += 1
        return self._count <= _MAX_A_SECOND
