"""Work that takes longer than a mark may wait: done by processes beside this one, for each person a few at once."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import get_context
from typing import Any, TypeVar, cast
from weakref import WeakValueDictionary

from fastapi import Depends, HTTPException, Request
from starlette.concurrency import run_in_threadpool

from lowhiss.service import process_pool
from lowhiss.service.people.signin import Person
from lowhiss.service.runs.log import judge_one, length_of, long_open_runs
from lowhiss.service.runs.run_marks import MAX_JUDGED_HERE
from lowhiss.store.engine import Store

Result = TypeVar("Result")
LONG_RUN_MARKS = MAX_JUDGED_HERE
"""A run of more marks is judged beside this process: judging it would hold other people's marks up."""
PER_PERSON = 2
"""So much is done for one person at once; what else they ask for waits."""
_WIDTH = 2
LIMIT_S = 60.0
"""Longer than any of it takes: then its process is ended, and whoever asked is told."""
_KEPT = 64
_SAVED_S = 20.0


class TookTooLongError(HTTPException):
    """It was ended because it took too long."""

    code = "took_too_long"

    def __init__(self) -> None:
        super().__init__(503, "This took too long and was stopped. Ask for less, or for a shorter test")


class Workers:
    """The processes of one store; begun when the first long work comes."""

    def __init__(self, store: Store | None) -> None:
        self._store = store
        self._pool: ProcessPoolExecutor | None = None
        self._turns: WeakValueDictionary[str, asyncio.Semaphore] = WeakValueDictionary()
        self._all: asyncio.Semaphore | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._known: OrderedDict[tuple[Any, ...], tuple[float, asyncio.Future[Any]]] = OrderedDict()

    async def run(
        self,
        person: str,
        work: Callable[..., Result],
        *given: Any,
        seen: object = None,
        turns: int = PER_PERSON,
        limit_s: float = LIMIT_S,
    ) -> Result:
        """Do the work, as ``work(store, *given)``, in another process.

        person : whose turn it is; ``turns`` of theirs are done at once.  seen : what the result depends on beside its
        arguments; asked again with the same within some seconds, the same result is given.  limit_s : then it is ended.
        Raises TookTooLongError and what the work raises.
        """
        loop = asyncio.get_running_loop()
        if self._loop is not loop:
            self._loop, self._all = loop, asyncio.Semaphore(_WIDTH)
            self._turns.clear()
            self._known.clear()
        key = (work.__module__, work.__qualname__, repr(given), repr(seen))
        known = self._known.get(key)
        if seen is not None and known is not None and time.monotonic() - known[0] < _SAVED_S:
            return cast(Result, _opened(await asyncio.shield(known[1])))
        future: asyncio.Future[Any] = loop.create_future()
        if seen is not None:
            self._known[key] = (time.monotonic(), future)
            while len(self._known) > _KEPT:
                self._known.popitem(last=False)
        turn = self._turns.get(person)
        if turn is None:
            turn = self._turns[person] = asyncio.Semaphore(turns)
        assert self._all is not None
        try:
            async with turn, self._all:
                result = await self._done(loop, work, given, limit_s)
            future.set_result(result)
        except BaseException as error:
            self._known.pop(key, None)
            if not future.done():
                future.set_exception(error if isinstance(error, Exception) else TookTooLongError())
                future.exception()  # nobody may be waiting for it
            raise
        return cast(Result, _opened(result))

    async def _done(
        self, loop: asyncio.AbstractEventLoop, work: Callable[..., Any], given: tuple[Any, ...], limit_s: float
    ) -> Any:
        for left in (1, 0):
            pool = self._begun()
            try:
                async with asyncio.timeout(limit_s):
                    return await loop.run_in_executor(pool, process_pool.call, work, given)
            except TimeoutError:
                self.close()
                raise TookTooLongError() from None
            except BrokenProcessPool:
                # another one's work took the processes along: once more
                self.close()
                if not left:
                    raise TookTooLongError() from None
        raise AssertionError  # pragma: no cover

    def _begun(self) -> ProcessPoolExecutor:
        if self._pool is None:
            assert self._store is not None
            url = self._store.engine.url.render_as_string(hide_password=False)
            self._pool = ProcessPoolExecutor(_WIDTH, get_context("spawn"), process_pool.begin, (url,))
        return self._pool

    def close(self) -> None:
        """End the processes at once, whatever they do."""
        pool, self._pool = self._pool, None
        if pool is None:
            return
        for process in list((pool._processes or {}).values()):
            with contextlib.suppress(ValueError):
                process.kill()
        pool.shutdown(wait=False, cancel_futures=True)


def _opened(result: Any) -> Any:
    if isinstance(result, process_pool.Raised):
        raise result.again()
    return result


def workers_of(request: Request) -> Workers:
    """The workers of the app."""
    return cast(Workers, request.app.state.workers)


def person_of(request: Request) -> str:
    """Whose turn a request takes: a person's, or an address's for who is not signed in."""
    person = cast("Person | None", getattr(request.state, "person", None))
    if person is not None:
        return person.id
    return request.client.host if request.client else "unknown"


async def by_length(request: Request, run_id: str, work: Callable[..., Result], *given: Any) -> Result:
    """Do something with one run: here where it is short, in another process where it is long."""
    store = cast(Store, request.app.state.store)
    length = await run_in_threadpool(length_of, store, run_id)
    if length[0] <= LONG_RUN_MARKS:
        return await run_in_threadpool(work, store, run_id, *given)
    return await workers_of(request).run(person_of(request), work, run_id, *given, seen=length)


async def judged_first(request: Request) -> None:
    """Judge long open runs in other processes, so that whoever asks how things stand finds them judged."""
    store = cast(Store, request.app.state.store)
    waiting = await run_in_threadpool(long_open_runs, store, LONG_RUN_MARKS)
    workers = workers_of(request)
    await asyncio.gather(*(workers.run("judging", judge_one, run_id, seen=seq) for run_id, seq in waiting))


JUDGED_FIRST = [Depends(judged_first)]
"""The dependencies of an operation that tells how things stand."""
