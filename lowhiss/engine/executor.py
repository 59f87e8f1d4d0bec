"""Where long work runs: in processes here, or on the Dask scheduler that an address names. The work itself is pure."""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import cpu_count, get_context, parent_process
from typing import Any, Protocol, TypeVar

Part = TypeVar("Part")
Result = TypeVar("Result")
SCHEDULER = "LOWHISS_DASK_SCHEDULER"
"""The environment variable that names a Dask scheduler, as ``tcp://host:port``."""
_GIVES_WAY = 10
"""By so much nicer than whoever keeps marks."""
_AGAIN = 5
"""So often a part is tried on another worker where the one that had it is gone."""


class _Pending(Protocol):
    def result(self) -> Any: ...


class Executor(Protocol):
    """Does parts of work elsewhere."""

    @property
    def width(self) -> int:
        """How many parts are worked on at once."""
        ...

    def submit(self, work: Callable[[Part], Result], part: Part) -> _Pending: ...


def in_order(
    executor: Executor, work: Callable[[Part], Result], parts: Iterable[Part], ahead: int = 2
) -> Iterator[Result]:
    """What came of each part, in the order given; no more than ``ahead`` times the width is under way at any time.

    Raises whatever the work raised.
    """
    waiting: deque[_Pending] = deque()
    for part in parts:
        waiting.append(executor.submit(work, part))
        if len(waiting) >= ahead * executor.width:
            yield waiting.popleft().result()
    while waiting:
        yield waiting.popleft().result()


class _Processes:
    def __init__(self, pool: ProcessPoolExecutor, width: int) -> None:
        self._pool = pool
        self.width = width

    def submit(self, work: Callable[[Part], Result], part: Part) -> _Pending:
        return self._pool.submit(work, part)


class _Dask:
    def __init__(self, client: Any) -> None:
        self._client = client

    @property
    def width(self) -> int:
        return max(1, len(self._client.scheduler_info()["workers"]))

    def submit(self, work: Callable[[Part], Result], part: Part) -> _Pending:
        # each part is its own: two that are alike are two all the same
        pending: _Pending = self._client.submit(work, part, pure=False, retries=_AGAIN)
        return pending


def _is_a_helper() -> None:
    """Begun in each process: it gives way to who serves, and ends with them, however they end."""
    os.nice(_GIVES_WAY)
    parent = parent_process()

    def wait() -> None:
        if parent is not None:
            parent.join()
            os._exit(1)

    threading.Thread(target=wait, daemon=True).start()


@contextmanager
def executor(address: str | None = None, width: int | None = None) -> Iterator[Executor]:
    """An executor for as long as it is needed: the Dask scheduler at ``address`` (``tcp://host:port``), else processes.

    Raises OSError where the scheduler cannot be reached.
    """
    if address:
        from distributed import Client

        with Client(address, timeout="10s", set_as_default=False) as client:  # type: ignore[no-untyped-call]
            yield _Dask(client)
        return
    workers = width or cpu_count()
    # a fresh process each: what serves has threads and connections that no child may inherit
    with ProcessPoolExecutor(workers, get_context("spawn"), _is_a_helper) as pool:
        yield _Processes(pool, workers)
