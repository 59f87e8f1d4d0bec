"""Who answers long questions: one thread of this process, which takes up what another left and gives up nothing."""

from __future__ import annotations

import contextlib
import datetime as dt
import logging
import os
import threading
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

from sqlalchemy.exc import DBAPIError

from lowhiss.engine.executor import SCHEDULER, executor
from lowhiss.service.jobs import LEFT_AFTER, WorkOn, claim, fail_job, still_at, unended
from lowhiss.service.spool import Spool
from lowhiss.store.engine import Store

log = logging.getLogger(__name__)
_LOOK_AGAIN_S = 2.0
"""How long until it is looked again, while another process is at it or the database is away."""
SAY_EVERY_S = LEFT_AFTER.total_seconds() / 4
_MOST_TRIES = 3
"""So often a question is begun again where it stood after its processes died under it."""


class Worker:
    """Answers questions for as long as there are any; woken by whoever asks one.

    kinds : how each kind is worked on.  spool : the files that are seen from here.
    """

    def __init__(self, store: Store, kinds: Mapping[str, WorkOn], spool: Spool | None = None) -> None:
        self.store, self._spool = store, spool
        self._kinds = kinds
        self.id = str(uuid.uuid4())
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._over = threading.Event()
        self._asked = threading.Event()

    def wake(self) -> None:
        """There may be something to do."""
        self._asked.set()
        with self._lock:
            if self._thread is None or not self._thread.is_alive():
                self._thread = threading.Thread(target=self._work, name="long questions", daemon=True)
                self._thread.start()

    def stop(self) -> None:
        """Give up what is being done; it is taken up again where it stood."""
        self._over.set()

    def _work(self) -> None:
        tries: dict[str, int] = {}
        while not self._over.is_set():
            self._asked.clear()
            try:
                place = self._spool.place if self._spool is not None else None
                found = claim(self.store, tuple(self._kinds), self.id, dt.datetime.now(dt.UTC), place)
                if found is not None:
                    kind, job_id = found
                    tries[job_id] = tries.get(job_id, 0) + 1
                    self._answer(self._kinds[kind], job_id, tries[job_id])
                elif not unended(self.store, tuple(self._kinds)):
                    with self._lock:
                        if not self._asked.is_set():
                            self._thread = None
                            return
                else:
                    self._over.wait(_LOOK_AGAIN_S)
            except (DBAPIError, OSError):
                # the database or the disk: it comes again, and what was kept stands
                self._over.wait(_LOOK_AGAIN_S)

    @contextmanager
    def _marked_as_at_work(self, job_id: str) -> Iterator[None]:
        """Meanwhile it is kept that somebody works on it: one part, such as a long paper, may take longer than that
        after which a job counts as left."""
        over = threading.Event()

        def say() -> None:
            while not over.wait(SAY_EVERY_S):
                with contextlib.suppress(DBAPIError):  # the database comes again; what works on it hears of it too
                    still_at(self.store, job_id, self.id)

        saying = threading.Thread(target=say, name="at a long question", daemon=True)
        saying.start()
        try:
            yield
        finally:
            over.set()
            saying.join()

    def _answer(self, work_on: WorkOn, job_id: str, tried: int) -> None:
        try:
            with self._marked_as_at_work(job_id), executor(os.environ.get(SCHEDULER)) as elsewhere:
                work_on(self.store, job_id, self.id, elsewhere)
        except DBAPIError:
            raise
        except OSError as error:
            log.warning("no worker for the job: %s", error)
            fail_job(self.store, job_id, self.id, "The job scheduler can't be reached.")
        except Exception as error:
            # a process that died takes the others of its pool along: begun again where it stood
            log.warning("the job was interrupted: %r", error)
            if tried >= _MOST_TRIES:
                fail_job(self.store, job_id, self.id, "The job was interrupted every time. See the server's log.")
