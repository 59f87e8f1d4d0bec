"""What every WebSocket of a screen asks first: from here, signed in, and with the right."""

from __future__ import annotations

from typing import cast
from urllib.parse import urlsplit

from sqlalchemy.exc import SQLAlchemyError
from starlette.concurrency import run_in_threadpool
from starlette.websockets import WebSocket, WebSocketDisconnect

from lowhiss.api.auth import SESSION_COOKIE
from lowhiss.service.people import rights, signin
from lowhiss.store.engine import Store

BAD, SIGNED_OUT, FOREIGN, UNKNOWN, REPLACED, CROWDED, LATER = 4400, 4401, 4403, 4404, 4409, 4429, 1013
"""Why a connection is closed. Clients come back after a sign-in, later, or not at all."""


def store_of(socket: WebSocket) -> Store:
    """The store of the app that serves this connection."""
    return cast(Store, socket.app.state.store)


async def admitted(socket: WebSocket, operation: str) -> bool:
    """Accept the connection, and close it again with the reason where its person may not have it."""
    await socket.accept()
    if not same_origin(socket):
        await socket.close(FOREIGN)
        return False
    try:
        allowed = await _allowed(socket, operation)
    except SQLAlchemyError:
        await socket.close(LATER)  # the database is starting again
        return False
    if not allowed:
        await socket.close(SIGNED_OUT)
    return allowed


async def still_admitted(socket: WebSocket, operation: str) -> bool:
    """Whether its person still is who they were; a database that does not answer is asked again later."""
    try:
        return await _allowed(socket, operation)
    except SQLAlchemyError:
        return True


async def _allowed(socket: WebSocket, operation: str) -> bool:
    person = await run_in_threadpool(signin.who, store_of(socket), socket.cookies.get(SESSION_COOKIE))
    return person is not None and rights.may(person.role, operation)


async def until_gone(socket: WebSocket) -> None:
    """Whatever a screen says is not listened to; its going is."""
    while (await socket.receive())["type"] != "websocket.disconnect":
        pass


async def text_of(socket: WebSocket) -> str:
    """The next message as text; one of bytes ends the connection. Raises WebSocketDisconnect."""
    message = await socket.receive()
    if message["type"] == "websocket.disconnect":
        raise WebSocketDisconnect(message.get("code", 1005))
    text = message.get("text")
    if not isinstance(text, str):
        await socket.close(BAD)
        raise WebSocketDisconnect(BAD)
    return text


def same_origin(socket: WebSocket) -> bool:
    """Whether no page of another site opened it."""
    origin = socket.headers.get("origin")
    return origin is None or urlsplit(origin).netloc == socket.headers.get("host")
