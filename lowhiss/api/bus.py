"""What processes of one yard tell each other through Redis, where `LOWHISS_REDIS_URL` names one: nudges and feeds.

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
URL = "LOWHISS_REDIS_URL"
_PREFIX = "lowhiss"
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
        self._waiting: asyncio.Queue[tuple[str, str]] | None = None
        self.up = False
        """Whether words go through just now."""

    def on(self, kind: str, heard: Heard) -> None:
        """Hear words of a kind from other processes."""
        self._heard[kind] = heard

    def start(self) -> None:
        """Begin to listen; again is nothing."""
        if self._url is None:
            return
        with self._lock:
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="bus", daemon=True)
                self._thread.start()

    def tell(self, kind: str, about: str, word: dict[str, Any]) -> None:
        """Tell every other process; from any thread, and never waited for."""
        if self._url is None:
            return
        self.start()
        loop, waiting = self._loop, self._waiting
        if loop is None or waiting is None or loop.is_closed():
            return
        text = json.dumps({"from": self._id, "word": word}, separators=(",", ":"))
        with contextlib.suppress(RuntimeError):  # the process is ending
            loop.call_soon_threadsafe(_put, waiting, (f"{_PREFIX}:{kind}:{about}", text))

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
                    log.warning("the bus is away: %s", type(error).__name__)
            self.up = False
            await asyncio.sleep(_AGAIN_S)

    async def _talk(self, client: Any) -> None:
        async with client.pubsub() as words:
            await words.psubscribe(f"{_PREFIX}:*")
            self.up = True
            sending = asyncio.create_task(self._send(client))
            try:
                async for message in words.listen():
                    if sending.done():
                        sending.result()
                    if message["type"] == "pmessage":
                        self._hear(message["channel"].decode(), message["data"])
            finally:
                sending.cancel()

    async def _send(self, client: Any) -> None:
        assert self._waiting is not None
        while True:
            channel, text = await self._waiting.get()
            await client.publish(channel, text)

    def _hear(self, channel: str, data: bytes) -> None:
        with contextlib.suppress(ValueError, KeyError, TypeError):  # a word of something else is none of ours
            _, kind, about = channel.split(":", 2)
            told = json.loads(data)
            if told["from"] != self._id and kind in self._heard:
                self._heard[kind](about, dict(told["word"]))


def _put(waiting: asyncio.Queue[tuple[str, str]], word: tuple[str, str]) -> None:
    if waiting.full():
        waiting.get_nowait()
    waiting.put_nowait(word)
