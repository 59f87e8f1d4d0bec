"""Live pressure feeds: one sender for a unit, any number of its screens. The protocol stands in docs/feed.md.

A process passes what was sent to it on to its own screens, and by the bus to those of other processes.
"""

from __future__ import annotations

import asyncio
import contextlib
import datetime as dt
import json
import logging
import time
from contextlib import suppress
from dataclasses import asdict
from typing import Any, cast

from sqlalchemy.exc import SQLAlchemyError
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.routing import WebSocketRoute
from starlette.websockets import WebSocket, WebSocketDisconnect

from lowhiss.api.bus import Bus
from lowhiss.api.json_requests import half_character
from lowhiss.api.sockets import (
    BAD,
    CROWDED,
    FOREIGN,
    LATER,
    REPLACED,
    SIGNED_OUT,
    UNKNOWN,
    admitted,
    same_origin,
    still_admitted,
    store_of,
    text_of,
    until_gone,
)
from lowhiss.core.errors import CoreError
from lowhiss.core.feed import FeedWatch, Frame, read_frame
from lowhiss.core.vehicle import Unit
from lowhiss.service.people import guess_limits
from lowhiss.service.runs import run_feeds
from lowhiss.store.engine import Store

log = logging.getLogger(__name__)

MAX_FRAMES_PER_S = 200
MAX_FRAMES_AT_ONCE = 600
"""What may lie in the way when this process was busy for some seconds; then the rate above holds."""
MAX_BAD_FRAMES = 20
_MAX_LINE = 4096
_SAVED_AT_ONCE = 100
_MAX_WAITING = 40
_KNOWN_AGAIN_S = 60.0
TOKEN_AGAIN_S = 5.0
"""How often a sender's token is looked at again: one that was voided ends its sender."""
MAX_SCREENS = 40
"""Screens that look at one unit's feed."""


class Feed:
    """One unit's feed: who sends it to this process, who looks here, and what is still to be kept."""

    def __init__(self, unit_id: str, bus: Bus) -> None:
        self.unit_id, self._bus = unit_id, bus
        self.sender: WebSocket | None = None
        self.screens: set[asyncio.Queue[dict[str, Any]]] = set()
        self.since = 0.0
        """When the sender came, by the wall: of two in two processes the newer stays."""
        self.elsewhere_s: float | None = None
        """When another process, which has the sender, was heard last."""

    @property
    def live(self) -> bool:
        """Whether anybody sends, here or elsewhere."""
        return self.sender is not None or self.elsewhere_s is not None

    def tell(self, message: dict[str, Any]) -> None:
        """Pass a message of this process's sender on to every screen, wherever it is."""
        self._bus.publish("feed", self.unit_id, {"message": message, "since": self.since})
        self.show(message)

    def show(self, message: dict[str, Any]) -> None:
        """Pass a message on to the screens here; one that does not keep up misses the oldest."""
        for screen in self.screens:
            if screen.full():
                screen.get_nowait()
            screen.put_nowait(message)


class Feeds:
    """Every feed that this process sends or shows, by unit."""

    def __init__(self, bus: Bus) -> None:
        self._bus = bus
        self._by_unit: dict[str, Feed] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._missing: asyncio.Task[None] | None = None
        self._closing: asyncio.Task[None] | None = None
        bus.on("feed", self._on_message)
        bus.on_apart(lambda _: self._warn_of_two_senders())

    def state(self, feed: Feed) -> dict[str, Any]:
        """Whether anybody sends; ``apart``: another process may, and cannot be heard just now."""
        apart = {"apart": True} if self._bus.apart and feed.sender is None else {}
        return {"state": "live" if feed.live else "stopped", **apart}

    def _warn_of_two_senders(self) -> None:
        loop = self._loop
        if loop is not None and not loop.is_closed():
            loop.call_soon_threadsafe(self._show_states)

    def _show_states(self) -> None:
        for feed in self._by_unit.values():
            if feed.sender is None:
                feed.show(self.state(feed))
                self.ask(feed)

    def of(self, unit_id: str) -> Feed:
        self._loop = asyncio.get_running_loop()
        feed = self._by_unit.get(unit_id)
        if feed is None:
            feed = self._by_unit[unit_id] = Feed(unit_id, self._bus)
            self._bus.hear("feed", unit_id)
        return feed

    def leave(self, unit_id: str) -> None:
        """Forget a feed that nobody sends or looks at."""
        feed = self._by_unit.get(unit_id)
        if feed is not None and feed.sender is None and not feed.screens:
            del self._by_unit[unit_id]
            self._bus.leave("feed", unit_id)

    def took(self, feed: Feed) -> None:
        """A sender came to this process: one that another has gives way as soon as it hears of this one."""
        feed.elsewhere_s, feed.since = None, time.time()

    def ask(self, feed: Feed) -> None:
        """Ask other processes whether one of them has the sender."""
        if not feed.live:
            self._bus.publish("feed", feed.unit_id, {"ask": True})

    def _on_message(self, unit_id: str, message: dict[str, Any]) -> None:
        loop = self._loop
        if loop is not None and not loop.is_closed():
            loop.call_soon_threadsafe(self._take, unit_id, message)

    def _take(self, unit_id: str, message: dict[str, Any]) -> None:
        feed = self._by_unit.get(unit_id)
        if feed is None:
            return
        if "ask" in message:
            if feed.sender is not None:
                self._bus.publish("feed", unit_id, {"message": {"state": "live"}, "since": feed.since})
            return
        since, message = float(message["since"]), dict(message["message"])
        stopped = message.get("state") == "stopped"
        if feed.sender is not None:
            if since <= feed.since or stopped:
                return
            self._replaced(feed)
        feed.elsewhere_s = None if stopped else _now_s()
        feed.show(message)
        if not stopped and (self._missing is None or self._missing.done()):
            self._missing = asyncio.get_running_loop().create_task(self._miss())

    def _replaced(self, feed: Feed) -> None:
        """A newer sender of this unit went to another process: the one here gives way."""
        before, feed.sender = feed.sender, None
        if before is not None:
            self._closing = asyncio.get_running_loop().create_task(_close(before))  # held until it is done

    async def _miss(self) -> None:
        """A process that died says nothing: what it sent has stopped."""
        while elsewhere := [one for one in self._by_unit.values() if one.elsewhere_s is not None]:
            await asyncio.sleep(1.0)
            for feed in elsewhere:
                if feed.elsewhere_s is not None and _now_s() - feed.elsewhere_s > _GONE_S:
                    feed.elsewhere_s = None
                    feed.show({"state": "stopped"})


_GONE_S = 5.0
"""A sender sends several frames a second: after so long without one its process is gone."""


async def _close(sender: WebSocket) -> None:
    with suppress(RuntimeError, WebSocketDisconnect):  # it may be gone already
        await sender.close(REPLACED)


def install(app: Starlette) -> None:
    """Add both sides of a feed."""
    app.state.feeds = Feeds(cast(Bus, app.state.bus))
    app.router.routes.append(WebSocketRoute("/api/feed", send_feed, name="sendFeed"))
    app.router.routes.append(WebSocketRoute("/api/units/{unit_id}/feed", watch_feed, name="watchFeed"))


async def send_feed(socket: WebSocket) -> None:
    """Take frames from whoever holds a unit's token; a newer sender of the same unit takes the older one's place."""
    await socket.accept()
    if not same_origin(socket):
        await socket.close(FOREIGN)
        return
    scheme, _, token = socket.headers.get("authorization", "").partition(" ")
    address = socket.client.host if socket.client else "unknown"
    try:
        fed = await run_in_threadpool(_fed, store_of(socket), token, address) if scheme == "Bearer" else None
    except SQLAlchemyError:
        await socket.close(LATER)
        return
    if fed is None:
        await socket.close(SIGNED_OUT)
        return
    unit_id, unit = fed
    feeds = cast(Feeds, socket.app.state.feeds)
    feed = feeds.of(unit_id)
    before, feed.sender = feed.sender, socket
    if before is not None:
        await _close(before)
    feeds.took(feed)
    taking = _Taking(store_of(socket), unit_id, unit, feed)
    feed.tell({"state": "live"})
    hold_until = _now_s() + TOKEN_AGAIN_S
    try:
        while True:
            text = await _within(socket, hold_until - _now_s())
            if _now_s() >= hold_until:
                hold_until = _now_s() + TOKEN_AGAIN_S
                if not await _still_holds(store_of(socket), unit_id, token):
                    await socket.close(SIGNED_OUT)
                    return
            for answer in taking.take(text):
                await socket.send_json(answer)
            if taking.why_closed is not None:
                await socket.close(taking.why_closed)
                return
            await taking.keep(all_of_it=False)
    except (WebSocketDisconnect, RuntimeError):  # gone, or replaced by another
        pass
    finally:
        if feed.sender is socket:
            feed.sender = None
            feed.tell({"state": "stopped"})
            feeds.leave(unit_id)
        await taking.keep(all_of_it=True)


def _fed(store: Store, token: str, address: str) -> tuple[str, Unit] | None:
    """The unit that a token feeds; wrong ones are counted by where they come from, and stop no right one."""
    fed = run_feeds.fed_unit(store, token)
    if fed is None:
        with contextlib.suppress(guess_limits.SlowDownError):
            with store.transaction() as session:
                guess_limits.check(session, None, address)
            guess_limits.failed(store, None, address)
    return fed


async def _within(socket: WebSocket, longest_s: float) -> str:
    """What the sender says next; nothing when it says nothing for so long."""
    try:
        async with asyncio.timeout(max(0.0, longest_s)):
            return await text_of(socket)
    except TimeoutError:
        return ""


async def _still_holds(store: Store, unit_id: str, token: str) -> bool:
    try:
        return await run_in_threadpool(run_feeds.token_holds, store, unit_id, token)
    except SQLAlchemyError:
        return True  # the database is away: asked again soon


class _Taking:
    """What one sender says, line by line."""

    def __init__(self, store: Store, unit_id: str, unit: Unit, feed: Feed) -> None:
        self._store, self._unit_id, self._unit, self._feed = store, unit_id, unit, feed
        self._watch = FeedWatch()
        self._bad = 0
        self._taken_at: float | None = None
        self._allowed: float = MAX_FRAMES_AT_ONCE
        self._frames: list[dict[str, Any]] = []
        self._zero: dt.datetime | None = None  # where the sender's clock stood at 0, by its first frame
        self.why_closed: int | None = None

    def take(self, text: str) -> list[dict[str, Any]]:
        """Take a message of one or more JSON lines; returns what is to be answered."""
        answers: list[dict[str, Any]] = []
        self._refill()
        for line in text.splitlines():
            if not line.strip():
                continue
            self._allowed -= 1
            if self._allowed < 0:
                self.why_closed = CROWDED
                return [{"error": f"at most {MAX_FRAMES_PER_S} frames a second are accepted", "field": ""}]
            try:
                frame = read_frame(_parsed(line), self._unit)
            except CoreError as error:
                answers.append({"error": error.problem, "field": error.field})
                self._bad += 1
            else:
                answers += self._pass_on(frame)
            if self._bad > MAX_BAD_FRAMES:
                self.why_closed = BAD
                break
        return answers

    def _refill(self) -> None:
        """What a sender may send grows with the time since the last message, though this process was busy meanwhile."""
        now = asyncio.get_running_loop().time()
        since_s = now - self._taken_at if self._taken_at is not None else 0.0
        self._taken_at = now
        self._allowed = min(MAX_FRAMES_AT_ONCE, self._allowed + since_s * MAX_FRAMES_PER_S)

    def _pass_on(self, frame: Frame) -> list[dict[str, Any]]:
        trouble, proposals = self._watch.take(frame)
        shown = {key: value for key, value in asdict(frame).items() if value is not None}
        if trouble in ("duplicate", "backwards"):
            self._bad += trouble == "backwards"
            return [{"trouble": trouble, "seq": frame.seq}]
        if self._zero is None:
            self._zero = dt.datetime.now(dt.UTC) - dt.timedelta(seconds=frame.t_s)
        self._frames.append(shown)
        message: dict[str, Any] = {"frame": shown}
        if trouble is not None:
            message["trouble"] = trouble
        if proposals:
            message["proposals"] = [
                {
                    "moment": one.moment,
                    "ago_s": round(frame.t_s - one.frame.t_s, 3),
                    "primary_psi": one.frame.primary_psi,
                    "secondary_psi": one.frame.secondary_psi,
                }
                for one in proposals
            ]
        self._feed.tell(message)
        return [] if trouble is None else [{"trouble": trouble, "seq": frame.seq}]

    async def keep(self, *, all_of_it: bool) -> None:
        """Keep the frames with the run that is under way, some at a time."""
        if self._zero is None or not self._frames or not (all_of_it or len(self._frames) >= _SAVED_AT_ONCE):
            return
        frames, self._frames = self._frames, []
        began_at = self._zero + dt.timedelta(seconds=frames[0]["t_s"])
        try:
            await run_in_threadpool(run_feeds.save_frames, self._store, self._unit_id, began_at, frames)
        except SQLAlchemyError:
            log.warning("some seconds of a feed couldn't be saved: the database can't be reached")


def _parsed(line: str) -> object:
    if len(line) > _MAX_LINE:
        raise CoreError("", f"is {len(line)} characters long; a frame has at most {_MAX_LINE}")
    try:
        frame = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise CoreError("", "isn't valid JSON") from error
    if "\\u" in line and half_character(frame):
        raise CoreError("", "contains a broken character")
    return frame


async def watch_feed(socket: WebSocket) -> None:
    """Show one screen what comes, until it goes or its person is signed out."""
    if not await admitted(socket, "watchFeed"):
        return
    feeds, unit_id = cast(Feeds, socket.app.state.feeds), socket.path_params["unit_id"]
    try:
        known = await run_in_threadpool(run_feeds.unit_exists, store_of(socket), unit_id)
    except SQLAlchemyError:
        await socket.close(LATER)
        return
    if not known:
        await socket.close(UNKNOWN)
        return
    feed = feeds.of(unit_id)
    if len(feed.screens) >= MAX_SCREENS:
        await socket.close(CROWDED)
        return
    waiting: asyncio.Queue[dict[str, Any]] = asyncio.Queue(_MAX_WAITING)
    feed.screens.add(waiting)
    waiting.put_nowait(feeds.state(feed))
    feeds.ask(feed)
    gone = asyncio.create_task(until_gone(socket))
    known_until = _now_s() + _KNOWN_AGAIN_S
    try:
        while not gone.done():
            coming = asyncio.create_task(waiting.get())
            await asyncio.wait({coming, gone}, timeout=_KNOWN_AGAIN_S, return_when=asyncio.FIRST_COMPLETED)
            if coming.done():
                await socket.send_json(coming.result())
            else:
                coming.cancel()
            if _now_s() >= known_until:
                known_until = _now_s() + _KNOWN_AGAIN_S
                if not await still_admitted(socket, "watchFeed"):
                    await socket.close(SIGNED_OUT)
                    return
    except (WebSocketDisconnect, RuntimeError):
        pass
    finally:
        gone.cancel()
        feed.screens.discard(waiting)
        feeds.leave(unit_id)


def _now_s() -> float:
    return asyncio.get_running_loop().time()
