"""Practices that are over are driven again beside this process: at once, and at the latest when somebody asks."""

from __future__ import annotations

import asyncio
from typing import cast

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool

from lowhiss.api.workers import TookTooLongError, person_of, workers_of
from lowhiss.service.learning import replay
from lowhiss.store.engine import Store

_LIMIT_S = 300.0
"""Ten times what the longest that counts takes on a quiet machine."""
_WAITED_S = 20.0
"""So long a page waits for practices that are driven again."""
_driving: set[asyncio.Task[None]] = set()


def soon(request: Request, practice_id: str, person_id: str) -> asyncio.Task[None]:
    """Drive a practice again without letting anybody wait for it. What is cut off is driven when it is asked for."""
    task = asyncio.get_running_loop().create_task(_drive(request, practice_id, person_id))
    _driving.add(task)
    task.add_done_callback(_driving.discard)
    return task


async def driven_first(request: Request) -> None:
    """Drive again what waits of whoever asks, and of the person or class that is asked for.

    After some seconds the answer goes without the rest: it counts as soon as it has been driven.
    """
    store = cast(Store, request.app.state.store)
    asked = request.path_params.get("person_id")
    people = [person_of(request), *([asked] if asked else [])]
    found = await run_in_threadpool(replay.waiting, store, people, request.path_params.get("class_id"))
    tasks = [soon(request, practice_id, person_id) for practice_id, person_id in found]
    if tasks:
        await asyncio.wait(tasks, timeout=_WAITED_S)


async def _drive(request: Request, practice_id: str, person_id: str) -> None:
    whose = f"practice {person_id}"  # one at a time each: the other processes stay free for reports
    work = replay.drive_again
    try:
        await workers_of(request).run(whose, work, practice_id, seen="once", turns=1, limit_s=_LIMIT_S)
    except TookTooLongError:
        await run_in_threadpool(replay.settle, cast(Store, request.app.state.store), practice_id, None)


DRIVEN_FIRST = [Depends(driven_first)]
"""The dependencies of an operation that tells how far somebody has come."""
