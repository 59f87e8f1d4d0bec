"""What worker processes run: a service's function with a store of its own, so that nothing long shares a process with
marks. Errors that have a sentence come back as they are."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing import parent_process
from typing import Any

from lowhiss.core.errors import CoreError
from lowhiss.service.errors import ServiceError
from lowhiss.store.engine import Store, make_engine

_GIVES_WAY = 5
_store: Store | None = None


@dataclass(frozen=True, slots=True)
class Raised:
    """An error of ours, as it crosses from one process to another."""

    kind: type[ServiceError]
    code: str
    sentence: str
    field: str

    def again(self) -> ServiceError:
        """The error as it was raised in the other process."""
        return self.kind(self.code, self.sentence, self.field)


def begin(url: str) -> None:
    """Begun in each process: its own store; it gives way to marks, and ends with whoever began it."""
    global _store
    os.nice(_GIVES_WAY)
    _store = Store(make_engine(url))
    parent = parent_process()

    def wait() -> None:
        if parent is not None:
            parent.join()
            os._exit(1)

    threading.Thread(target=wait, daemon=True).start()


def call(work: Callable[..., Any], given: tuple[Any, ...]) -> Any:
    """Do the work with this process's store; an error of ours comes back as Raised."""
    assert _store is not None, "begin() comes first"
    try:
        return work(_store, *given)
    except ServiceError as error:
        return Raised(type(error), error.code, error.sentence, error.field)
    except CoreError as error:
        return Raised(ServiceError, "not_understood", str(error), error.field)
