"""What processes of one yard tell each other through Redis, where `LOWHISS_REDIS_URL` names one: nudges and feeds.

A process hears only of what somebody looks at on it: what a word costs does not grow with the number of processes.
Nothing that must survive goes this way: whoever misses a word finds the same in the database a moment later. A Redis
that is away, slow or started anew costs nothing but that.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import threading
import uuid
from collections.abc import Callable
from typing import Any

from redis import asyncio as redis
from redis.exceptions import RedisError

log = logging.getLogger(__name__)
_PREFIX = "lowhiss"
_OWN = f"{_PREFIX}:nothing:"
"""Every process hears of this and nobody tells it: without one channel there would be nothing to listen to."""
_HEARS_S = 1.0
"""How long a word waits at most until what was to be heard before it is heard."""
_AGAIN_S = 1.0
_CONNECT_S = 2.0
_WAITING = 2_000
"""So much is not yet sent at most; what is older is of no use to anybody."""

Heard = Callable[[str, dict[str, Any]], None]
"""What a word of another process is about, and the word; called in the bus's own thread."""


class Bus:
    """One process's end of it. Without an address it tells nobody and hears nothing."""

    def __init__(self, url: str | None) -> None:
        self._url = url
        self._id = uuid.uuid4().hex
        self._heard: dict[str, Heard] = {}
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._waiting: asyncio.Queue[_Word | None] | None = None
        self._wanted: set[str] = set()
        self._changes, self._followed_changes = 1, 0
        self._following: set[str] = set()
        self._followed = asyncio.Event()
        self.up = False
        """Whether words go through just now."""
        self.apart = False
        """Whether other processes are to be heard of, and cannot be."""
        self._on_apart: list[Callable[[bool], None]] = []

    def on(self, kind: str, heard: Heard) -> None:
        """Who takes words of a kind from other processes."""
        self._heard[kind] = heard

    def on_apart(self, changed: Callable[[bool], None]) -> None:
        """Who is told, in the bus's own thread, when `apart` changes."""
        self._on_apart.append(changed)

    def _set_apart(self, apart: bool) -> None:
        if apart != self.apart:
            self.apart = apart
            for changed in self._on_apart:
                changed(apart)

    def hear(self, kind: str, about: str) -> None:
        """Hear from other processes what is told of this, until `leave`."""
        with self._lock:
            self._wanted.add(_channel(kind, about))
            self._changes += 1
        self.start()
        self._post(None)

    def leave(self, kind: str, about: str) -> None:
        """Hear of it no more."""
        with self._lock:
            self._wanted.discard(_channel(kind, about))
            self._changes += 1
        self._post(None)

    def start(self) -> None:
        """Begin to listen; again is nothing."""
        if self._url is None:
            return
        with self._lock:
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="bus", daemon=True)
                self._thread.start()

    def publish(self, kind: str, about: str, word: dict[str, Any]) -> None:
        """Tell every other process; from any thread, and never waited for."""
        if self._url is None:
            return
        self.start()
        text = json.dumps({"from": self._id, "word": word}, separators=(",", ":"))
        self._post((_channel(kind, about), text))

    def _post(self, word: _Word | None) -> None:
        """Hand a word to the bus's own thread; None: what is to be heard has changed."""
        loop, waiting = self._loop, self._waiting
        if loop is not None and waiting is not None and not loop.is_closed():
            with contextlib.suppress(RuntimeError):  # the process is ending
                loop.call_soon_threadsafe(_put, waiting, word)

    def _run(self) -> None:
        asyncio.run(self._serve())

    async def _serve(self) -> None:
        self._waiting = asyncio.Queue(_WAITING)
        self._loop = asyncio.get_running_loop()
        while True:
            try:
                async with redis.from_url(str(self._url), socket_connect_timeout=_CONNECT_S) as client:
                    await self._talk(client)
            except (RedisError, OSError) as error:
                if self.up:
                    log.warning("the message bus can't be reached: %s", type(error).__name__)
            self.up = False
            self._set_apart(True)
            await asyncio.sleep(_AGAIN_S)

    async def _talk(self, client: Any) -> None:
        async with client.pubsub() as words:
            self._following.clear()
            self._followed_changes = 0
            await words.subscribe(_OWN)
            self.up = True
            self._set_apart(False)
            sending = asyncio.create_task(self._send(client, words))
            try:
                async for message in words.listen():
                    if sending.done():
                        sending.result()
                    if message["type"] == "message":
                        self._hear(message["channel"].decode(), message["data"])
                    elif message["type"] == "subscribe":
                        self._following.add(message["channel"].decode())
                        self._followed.set()
            finally:
                sending.cancel()

    async def _send(self, client: Any, words: Any) -> None:
        assert self._waiting is not None
        asked: set[str] = set()
        while True:
            asked = await self._follow(words, asked)
            told = [await self._waiting.get()]
            while not self._waiting.empty():
                told.append(self._waiting.get_nowait())
            asked = await self._follow(words, asked)
            async with client.pipeline(transaction=False) as line:
                for word in told:
                    if word is not None:
                        line.publish(*word)
                await line.execute()

    async def _follow(self, words: Any, asked: set[str]) -> set[str]:
        """Hear of what is wanted now and of nothing else, before anything is told that may be answered."""
        with self._lock:
            wanted = asked if self._changes == self._followed_changes else set(self._wanted)
            self._followed_changes = self._changes
        new, old = wanted - asked, asked - wanted
        if old:
            await words.unsubscribe(*old)
            self._following -= old
        if new:
            await words.subscribe(*new)
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_HEARS_S):
                    while not new <= self._following:
                        self._followed.clear()
                        await self._followed.wait()
        return wanted

    def _hear(self, channel: str, data: bytes) -> None:
        with contextlib.suppress(ValueError, KeyError, TypeError):  # a word of something else is none of ours
            _, kind, about = channel.split(":", 2)
            told = json.loads(data)
            if told["from"] != self._id and kind in self._heard:
                self._heard[kind](about, dict(told["word"]))


_Word = tuple[str, str]
"""A channel, and what is told on it."""


def _channel(kind: str, about: str) -> str:
    return f"{_PREFIX}:{kind}:{about}"


def _put(waiting: asyncio.Queue[_Word | None], word: _Word | None) -> None:
    if waiting.full():
        waiting.get_nowait()
    waiting.put_nowait(word)
