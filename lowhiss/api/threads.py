"""Lanes: what is slow on purpose or heavy has a few threads of its own, so that it never holds up a mark."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

from anyio import CapacityLimiter, to_thread
from anyio.lowlevel import RunVar

Result = TypeVar("Result")


class Lane:
    """So many at a time; whoever comes then waits its turn without taking anybody else's thread."""

    def __init__(self, name: str, width: int) -> None:
        self._width = width
        self._limiter: RunVar[CapacityLimiter] = RunVar(f"lane {name}")  # a limiter belongs to one event loop

    async def run(self, work: Callable[..., Result], *given: Any, **named: Any) -> Result:
        """Do the work in a thread of this lane."""
        try:
            limiter = self._limiter.get()
        except LookupError:
            limiter = CapacityLimiter(self._width)
            self._limiter.set(limiter)
        return await to_thread.run_sync(partial(work, *given, **named), limiter=limiter)


QUICK = Lane("quick", 8)
"""What takes no longer than a mark."""
PASSWORDS = Lane("passwords", 1)
"""Argon2: tens of milliseconds of a core, and 64 MB, each."""
LISTS = Lane("lists", 2)
"""Pages of the log: a dozen asked for at once would share the one interpreter with everybody's marks."""
HEAVY = Lane("heavy", 1)
"""Traces of feeds and what is laid over them."""
SEALS = Lane("seals", 1)
RECORDINGS = Lane("recordings", 2)
"""Files of recordings: read in the sandbox, judged here."""
PICTURES = Lane("pictures", 1)
FILES = Lane("files", 1)
"""Papers, tables and records that are taken over: seconds each, which nobody's report or trace waits for."""
