"""Tell screens that a log has grown. A nudge says how far; what came is fetched from the log, by any process.

One WebSocket per screen and log: ``{"last_seq": 12, "at_s": 103.4}`` at once, then whenever the log has grown.
``at_s`` is the log's time at the server, so that a screen can set other devices' marks on its own clock.
"""

from __future__ import annotations

import asyncio
import datetime as dt
import logging
from functools import partial
from typing import Any, cast

from sqlalchemy.exc import SQLAlchemyError
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import HTTPConnection
from starlette.routing import WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from lowhiss.api.bus import Bus
from lowhiss.api.sockets import (
    CROWDED,
    LATER,
    SIGNED_OUT,
    UNKNOWN,
    admitted,
    still_admitted,
    store_of,
    until_gone,
)
from lowhiss.service.errors import NotFoundError
from lowhiss.service.marks.kinds import KINDS
from lowhiss.service.marks.log import LogName, how_far, last_seqs
from lowhiss.store.engine import Store

log = logging.getLogger(__name__)

LOOK_EVERY_S = 0.1
"""How often the logs are asked for what other processes have added."""
_LOOK_AWAY_S = 1.0
"""So long the database is left alone when it does not answer."""
LOOK_WITH_BUS_S = 1.0
"""The same where other processes tell what they added: only for what was missed."""
_KNOWN_AGAIN_S = 60.0
"""How often an open connection is asked again whether its person is still signed in."""
MAX_ON_LOG = 20
OPERATIONS = {kind: f"watch{kind.title()}" for kind in KINDS}
"""The right that watching a log of each kind needs."""


class Nudges:
    """Who is watching which log in this process, and how far each log has come."""

    def __init__(self, store: Store, bus: Bus) -> None:
        self._store = store
        self._bus = bus
        for kind in KINDS:
            bus.on(kind, partial(self._on_other_process, kind))
        self._watching: dict[LogName, set[asyncio.Event]] = {}
        self._seq: dict[LogName, int] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._looking: asyncio.Task[None] | None = None

    def grown(self, kind: str, log_id: str, last_seq: int) -> None:
        """This process has added to a log; may be called from any thread."""
        self._bus.publish(kind, log_id, {"last_seq": last_seq})
        self._on_mark((kind, log_id), last_seq)

    def _on_other_process(self, kind: str, log_id: str, word: dict[str, Any]) -> None:
        self._on_mark((kind, log_id), int(word["last_seq"]))

    def _on_mark(self, log: LogName, last_seq: int) -> None:
        loop = self._loop
        if loop is not None and log in self._watching:
            loop.call_soon_threadsafe(self._notify, log, last_seq)

    def watch(self, log: LogName, last_seq: int) -> asyncio.Event | None:
        """An event that is set whenever the log has grown; None when too many watch it already."""
        watchers = self._watching.setdefault(log, set())
        if len(watchers) >= MAX_ON_LOG:
            return None
        grown = asyncio.Event()
        watchers.add(grown)
        self._bus.hear(*log)
        self._seq[log] = max(last_seq, self._seq.get(log, 0))
        self._loop = asyncio.get_running_loop()
        if self._looking is None or self._looking.done():
            self._looking = self._loop.create_task(self._look())
        return grown

    def leave(self, log: LogName, grown: asyncio.Event) -> None:
        watchers = self._watching.get(log, set())
        watchers.discard(grown)
        if not watchers:
            self._bus.leave(*log)
            self._watching.pop(log, None)
            self._seq.pop(log, None)

    def last_seq(self, log: LogName) -> int:
        """How far a watched log has come."""
        return self._seq.get(log, 0)

    def _notify(self, log: LogName, last_seq: int) -> None:
        if last_seq > self._seq.get(log, 0) and log in self._watching:
            self._seq[log] = last_seq
            for grown in self._watching[log]:
                grown.set()

    async def _look(self) -> None:
        """Ask how far the logs have come, one question a kind, as long as anything is watched."""
        while self._watching:
            try:
                found = await run_in_threadpool(last_seqs, self._store, tuple(self._watching))
            except SQLAlchemyError:
                await asyncio.sleep(_LOOK_AWAY_S)
                continue
            for log, last_seq in found.items():
                self._notify(log, last_seq)
            await asyncio.sleep(LOOK_WITH_BUS_S if self._bus.up else LOOK_EVERY_S)


def nudges_of(connection: HTTPConnection) -> Nudges:
    """The nudges of the app that serves this connection."""
    return cast(Nudges, connection.app.state.nudges)


def install(app: Starlette, store: Store | None) -> None:
    """Add the live connection of each kind of log; an app without a store only describes itself."""
    app.state.nudges = Nudges(store, cast(Bus, app.state.bus)) if store is not None else None
    for kind, operation in OPERATIONS.items():
        app.router.routes.append(
            WebSocketRoute(f"/api/{kind}s/{{log_id}}/live", partial(watch, kind=kind), name=operation)
        )


async def watch(socket: WebSocket, kind: str) -> None:
    """Nudge one screen until it goes, its person is signed out, or the log turns out not to exist."""
    nudges, log, operation = nudges_of(socket), (kind, socket.path_params["log_id"]), OPERATIONS[kind]
    if not await admitted(socket, operation):
        return
    try:
        last_seq, started_at = await run_in_threadpool(how_far, store_of(socket), log)
    except NotFoundError:
        await socket.close(UNKNOWN)
        return
    except SQLAlchemyError:
        await socket.close(LATER)
        return
    grown = nudges.watch(log, last_seq)
    if grown is None:
        await socket.close(CROWDED)
        return
    gone = asyncio.create_task(until_gone(socket))
    known_until = _now_s() + _KNOWN_AGAIN_S
    try:
        while not gone.done():
            grown.clear()
            at_s = (dt.datetime.now(dt.UTC) - started_at).total_seconds()
            await socket.send_json({"last_seq": nudges.last_seq(log), "at_s": round(at_s, 3)})
            while not grown.is_set() and not gone.done():
                await _either(grown, gone, known_until - _now_s())
                if _now_s() >= known_until:
                    known_until = _now_s() + _KNOWN_AGAIN_S
                    if not await still_admitted(socket, operation):
                        await socket.close(SIGNED_OUT)
                        return
    except WebSocketDisconnect:
        pass
    finally:
        gone.cancel()
        nudges.leave(log, grown)


def _now_s() -> float:
    return asyncio.get_running_loop().time()


async def _either(grown: asyncio.Event, gone: asyncio.Task[None], longest_s: float) -> None:
    """Wait until the log has grown or the screen has gone, but not for ever."""
    growing = asyncio.create_task(grown.wait())
    await asyncio.wait({growing, gone}, timeout=max(0.0, longest_s), return_when=asyncio.FIRST_COMPLETED)
    growing.cancel()
