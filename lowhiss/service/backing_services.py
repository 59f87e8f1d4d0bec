"""The services that an installation may lean on beside its database: a replica, Redis and a Dask scheduler."""

from __future__ import annotations

import os
import socket
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal
from urllib.parse import urlsplit

from redis import Redis
from redis.exceptions import RedisError
from sqlalchemy import text

from lowhiss.engine.executor import SCHEDULER
from lowhiss.store.engine import Store

REDIS_URL = "LOWHISS_REDIS_URL"
State = Literal["ok", "away", "unused"]
_ANSWERS_WITHIN_S = 0.5
_LOOK_EVERY_S = 5.0
WAITS_FROM_MS = 30_000
"""From here on a timeout of the replica means that marks wait for it; below they go on without a second copy."""


@dataclass(frozen=True, slots=True)
class BackingService:
    """One of them. advice : what to do where it is away; empty where nothing is wrong."""

    name: Literal["replica", "redis", "dask"]
    state: State
    text: str
    advice: str = ""


def look_at_all(store: Store) -> Iterator[BackingService]:
    """Each of them as it answers now."""
    yield look_at_replica(store)
    yield look_at_redis()
    yield look_at_dask()


def look_at_replica(store: Store) -> BackingService:
    """Whether a semi-synchronous replica acknowledges what is committed. Raises SQLAlchemyError.

    Source: MariaDB's documentation, *Semisynchronous Replication* (from memory).
    """
    with store.engine.connect() as connection:
        rows = connection.execute(text("SHOW STATUS LIKE 'Rpl_semi_sync_master_%'")).all()
        timeout = connection.execute(text("SELECT @@rpl_semi_sync_master_timeout")).scalar_one()
        enabled = connection.execute(text("SELECT @@rpl_semi_sync_master_enabled")).scalar_one()
    status = {str(name).lower(): str(value) for name, value in rows}
    if not enabled:
        return BackingService("replica", "unused", "no replica is set up")
    waits = int(timeout) >= WAITS_FROM_MS
    choice = "without it, marks wait on the devices" if waits else "without it, marks are saved on the primary only"
    followed = int(status.get("rpl_semi_sync_master_clients", "0")) > 0
    if status.get("rpl_semi_sync_master_status") == "ON" and followed:
        return BackingService("replica", "ok", f"the replica has all acknowledged marks; {choice}")
    return BackingService("replica", "away", f"no replica responds; {choice}", "Start the replica (docs/replica.md).")


def look_at_redis(url: str | None = None) -> BackingService:
    """Whether Redis answers, where an address is set."""
    address = url if url is not None else os.environ.get(REDIS_URL, "")
    if not address:
        return BackingService("redis", "unused", "Redis isn't set up; processes poll the database for updates")
    try:
        timeouts = {"socket_connect_timeout": _ANSWERS_WITHIN_S, "socket_timeout": _ANSWERS_WITHIN_S}
        with Redis.from_url(address, **timeouts) as client:
            client.ping()
    except (RedisError, OSError, ValueError):
        away = "Redis doesn't answer; marks are safe, but live gauges from other processes aren't shown"
        return BackingService("redis", "away", away, f"Start Redis or correct {REDIS_URL}.")
    return BackingService("redis", "ok", "Redis answers")


def look_at_dask(address: str | None = None) -> BackingService:
    """Whether the Dask scheduler takes connections, where an address is set."""
    named = address if address is not None else os.environ.get(SCHEDULER, "")
    if not named:
        return BackingService("dask", "unused", "no Dask scheduler is set up; jobs run in local processes")
    try:
        parts = urlsplit(named)
        with socket.create_connection((parts.hostname or "", parts.port or 0), _ANSWERS_WITHIN_S):
            return BackingService("dask", "ok", "the Dask scheduler responds")
    except (OSError, ValueError):
        away = "the Dask scheduler doesn't respond; what-if runs, batches and exports wait"
        return BackingService("dask", "away", away, f"Start it, or correct {SCHEDULER}.")


class Watch:
    """The state of each, looked at no more often than every few seconds: whoever asks is answered at once."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._seen: dict[str, State] = {}
        self._looked_at = -_LOOK_EVERY_S

    def states(self) -> dict[str, State]:
        """What each was like when it was looked at last."""
        if not self._seen or time.monotonic() - self._looked_at >= _LOOK_EVERY_S:
            # whoever asks meanwhile, or after a look that failed, never finds half of it
            self._seen = {one.name: one.state for one in look_at_all(self._store)}
            self._looked_at = time.monotonic()
        return self._seen
