"""Where files of long jobs lie: what is to be read, and what was written to be fetched."""

from __future__ import annotations

import contextlib
import datetime as dt
import shutil
import uuid
from pathlib import Path

_MOST_LEFT = dt.timedelta(days=2)
_PLACE = "place"


class Spool:
    """A directory a job, gone when it is not needed any more. Processes that share one see each other's files."""

    def __init__(self, directory: Path) -> None:
        self.directory = directory

    @property
    def place(self) -> str:
        """A name by which processes know whether they see the same files: made once, and kept with them."""
        path = self.directory / _PLACE
        self.directory.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            # whole at once: of two processes that begin together neither reads half a name
            whole = path.with_name(f"{_PLACE}.{uuid.uuid4().hex}")
            whole.write_text(str(uuid.uuid4()), encoding="ascii")
            with contextlib.suppress(FileExistsError):
                path.hardlink_to(whole)
            whole.unlink()
        return path.read_text(encoding="ascii")

    def of(self, job_id: str) -> Path:
        """The directory of a job."""
        return self.directory / str(uuid.UUID(job_id))

    def gone(self, job_id: str) -> None:
        """It is not needed any more."""
        shutil.rmtree(self.of(job_id), ignore_errors=True)

    def clear_old(self, now: dt.datetime) -> None:
        """What was left by jobs that nobody began."""
        for one in self.directory.iterdir() if self.directory.is_dir() else ():
            with contextlib.suppress(OSError):
                if one.is_dir() and now.timestamp() - one.stat().st_mtime > _MOST_LEFT.total_seconds():
                    shutil.rmtree(one, ignore_errors=True)
