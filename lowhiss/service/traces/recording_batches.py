"""Many recordings at once, or a very large one: files are gathered, then read beside everything else, one by one."""

from __future__ import annotations

import contextlib
import datetime as dt
import json
import os
import shutil
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.vehicle import unit_table
from lowhiss.engine.executor import Executor, in_order
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.units import unit_of
from lowhiss.service.jobs import (
    JobState,
    cancel_job,
    end_job,
    fail_job,
    find_job,
    held,
    new_job,
    own_job,
    saved_jobs,
)
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.saved_rules import save_rules, saved_rules
from lowhiss.service.spool import Spool
from lowhiss.service.traces.editor import JudgeRequest, save_row, tested_as
from lowhiss.service.traces.file_reader import (
    READING,
    STOP,
    FileFound,
    FilePart,
    StoppedError,
    description_in,
    files_in,
    read_part,
)
from lowhiss.store.engine import Store
from lowhiss.store.installation_models import JobLineRow, JobRow

KIND = "recordings"
BatchState = Literal["gathering"] | JobState
"""``gathering``: files may still be put to it."""
LINES_PAGE = 200
_MOST_FILES = 5_000
_LEAST_FREE_BYTES = 512 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Batch:
    """Files that were dropped together and how far they are. ``reading``: bytes of the current one, ``size``: its all.

    outcomes : how many sessions came out each way.
    """

    id: str
    state: BatchState
    asked_by: str
    asked_at: dt.datetime
    ended_at: dt.datetime | None
    total: int
    done: int
    failed: int
    sessions: int
    outcomes: dict[str, int]
    reading: int
    size: int
    why: str


def begin(store: Store, spool: Spool, by: Person, asked: JudgeRequest) -> Batch:
    """A job to put files to. Raises RefusedError, NotFoundError."""
    spool.clear_old(dt.datetime.now(dt.UTC))
    with store.transaction() as session:
        unit, rules, named, orders = tested_as(session, asked)
        save_rules(session, rules)
        chosen = {
            "unit": unit_table(unit),
            "rules": rules.content_hash,
            "orders": [one.as_dict() for one in ([named] if named else orders)],
            "by": by.id,
            "files": {},
        }
        row = new_job(session, KIND, by, chosen, 0, {"failed": 0, "sessions": 0, "outcomes": {}}, spool.place)
        row.state = "gathering"
        spool.of(row.id).mkdir(parents=True, exist_ok=True)
        return _batch(row, spool)


class Taking:
    """A file that comes in piece by piece; nothing of it stays where it does not come whole."""

    def __init__(self, store: Store, spool: Spool, job_id: str, name: str, by: Person) -> None:
        with store.transaction() as session:
            row = _gathering(session, job_id, by)
            if len(row.asked["files"]) >= _MOST_FILES:
                raise RefusedError("too_many_files", f"file: you can upload up to {_MOST_FILES} files at once.", "file")
        self._store, self._job_id, self._name, self._by = store, job_id, name, by
        # readers go by what a name ends in; nothing else of it is let onto the disk
        ending = PurePath(name).suffix.lower()
        self._stored = uuid.uuid4().hex + (ending if ending[1:].isalnum() and ending.isascii() else "")
        self._path = spool.of(job_id) / self._stored
        self._file = self._path.open("wb")

    def take(self, piece: bytes) -> None:
        """A piece more. Raises RefusedError where the disk is full."""
        try:
            if len(piece) and shutil.disk_usage(self._path.parent).free < _LEAST_FREE_BYTES:
                raise OSError
            self._file.write(piece)
        except OSError:
            self.give_up()
            raise RefusedError(
                "disk_full", "file: the server's disk is full. Free some space, or cut the file.", "file"
            ) from None

    def done(self) -> None:
        self._file.close()
        with self._store.transaction() as session:
            row = _gathering(session, self._job_id, self._by)
            row.asked = {**row.asked, "files": {**row.asked["files"], self._stored: self._name}}

    def give_up(self) -> None:
        self._file.close()
        self._path.unlink(missing_ok=True)


def _gathering(session: Session, job_id: str, by: Person) -> JobRow:
    row = own_job(session, KIND, job_id, by)
    if row.state != "gathering":
        raise RefusedError("job_begun", "job_id: this job has already started. Upload the file again.", "job_id")
    return row


def start(store: Store, spool: Spool, job_id: str, by: Person) -> Batch:
    """Every file has come: they may be read. Raises RefusedError where there is none."""
    with store.transaction() as session:
        row = _gathering(session, job_id, by)
        total = sum(1 for _ in files_in(spool.of(job_id), row.asked["files"]))
        if not total:
            raise RefusedError("no_files", "file: none of these files is a recording.", "file")
        row.state, row.total = "waiting", total
        return _batch(row, spool)


def batches(store: Store, spool: Spool) -> list[Batch]:
    """Every job that is kept, the latest first."""
    with store.transaction() as session:
        return [_batch(row, spool) for row in saved_jobs(session, KIND)]


def batch(store: Store, spool: Spool, job_id: str) -> Batch:
    """One job. Raises NotFoundError."""
    with store.transaction() as session:
        return _batch(find_job(session, KIND, job_id), spool)


def cancel(store: Store, spool: Spool, job_id: str, by: Person) -> Batch:
    """Stop; what was read so far stays, of the current file nothing. Raises NotFoundError."""
    with store.transaction() as session:
        row = cancel_job(session, KIND, job_id, by)
        told = _batch(row, spool)
    with contextlib.suppress(OSError):
        (spool.of(job_id) / STOP).touch()
    if row.worker is None:
        spool.gone(job_id)
    return told


def lines(store: Store, job_id: str, after: int = 0) -> list[dict[str, Any]]:
    """What was found, a page of files from place ``after``. Raises NotFoundError."""
    with store.transaction() as session:
        find_job(session, KIND, job_id)
        query = select(JobLineRow.body).where(JobLineRow.job_id == job_id, JobLineRow.place >= after)
        return list(session.scalars(query.order_by(JobLineRow.place).limit(LINES_PAGE)))


def _batch(row: JobRow, spool: Spool) -> Batch:
    reading = 0
    if row.state == "running":
        with contextlib.suppress(OSError, ValueError):
            reading = int((spool.of(row.id) / READING).read_text())
    return Batch(
        id=row.id,
        state=row.state,  # type: ignore[arg-type]
        asked_by=row.asked_by,
        asked_at=row.asked_at,
        ended_at=row.ended_at,
        total=row.total,
        done=row.done,
        failed=row.summary["failed"],
        sessions=row.summary["sessions"],
        outcomes=row.summary["outcomes"],
        reading=reading,
        size=_size_of(spool.of(row.id)) if row.state == "running" else 0,
        why=row.why,
    )


def _size_of(directory: Path) -> int:
    """How large the only file is, where there is only one: then how far it was read says something."""
    with contextlib.suppress(OSError):
        files = [one for one in directory.iterdir() if one.name not in (READING, STOP)]
        return files[0].stat().st_size if len(files) == 1 else 0
    return 0


def work_on(spool: Spool, store: Store, job_id: str, worker: str, executor: Executor) -> None:
    """Read the files of a job from where it stood, one by one; ends where somebody stopped it."""
    with store.transaction() as session:
        row = session.get_one(JobRow, job_id)
        asked, done = row.asked, row.done
        rules = json.dumps(saved_rules(session, asked["rules"]).as_dict())
    directory = spool.of(job_id)
    if not directory.is_dir():
        fail_job(store, job_id, worker, "The files are no longer on this machine. Upload them again.")
        return
    try:
        for found in in_order(executor, read_part, _parts(directory, asked, rules, done)):
            if not _save(store, job_id, worker, asked["by"], found):
                break
    except StoppedError:
        pass
    except RefusedError as error:
        fail_job(store, job_id, worker, error.sentence)
    else:
        end_job(store, job_id, worker)
    spool.gone(job_id)


def _parts(directory: Path, asked: dict[str, Any], rules: str, done: int) -> Iterator[FilePart]:
    described = description_in(directory, asked["files"])
    orders, unit = json.dumps(asked["orders"]), unit_of(asked["unit"])
    for place, (path, name, member) in enumerate(files_in(directory, asked["files"])):
        if place >= done:
            yield FilePart(os.fspath(path), name, member, unit, rules, orders, described)


def _save(store: Store, job_id: str, worker: str, by_id: str, found: FileFound) -> bool:
    """Keep what came of a file with how far the job is, in one transaction; False where it is no longer ours."""
    with held(store, job_id, worker) as mine:
        if mine is None:
            return False
        session, row = mine
        line = found.line
        if found.samples:
            kept = save_row(session, by_id, line["name"], line["format"], line["id"], line["columns"], found.samples)
            kept.began_at, kept.sessions = found.began_at, len(line["sessions"])
        session.add(JobLineRow(job_id=job_id, place=row.done, body=line))
        outcomes = dict(row.summary["outcomes"])
        for one in line.get("sessions", ()):
            outcomes[one["overall"] or "unread"] = outcomes.get(one["overall"] or "unread", 0) + 1
        row.summary = {
            "failed": row.summary["failed"] + (line["error"] is not None),
            "sessions": row.summary["sessions"] + len(line.get("sessions", ())),
            "outcomes": outcomes,
        }
        row.done += 1
        return True
