"""Long work that somebody asked for: kept part by part, done by one worker at a time, taken up where it stood."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Literal

from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from lowhiss.engine.executor import Executor
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.store.engine import Store
from lowhiss.store.installation_models import JobRow

JobState = Literal["waiting", "running", "done", "cancelled", "failed"]
UNENDED: tuple[JobState, ...] = ("waiting", "running")
ENDED: tuple[JobState, ...] = ("done", "cancelled", "failed")
LEFT_AFTER = dt.timedelta(seconds=10)
"""A job that nobody has worked on for so long was left: whoever finds it takes it up where it stood."""
MAX_JOBS = 20
"""So many ended ones of a kind and a person are kept; their own oldest gives way, nobody else's."""
MAX_UNENDED = 2
"""So many of a kind one person has under way."""
MAX_ALL_UNENDED = 40
_MOST_LISTED = 200
WorkOn = Callable[[Store, str, str, Executor], None]
"""Does a job of its kind from where it stood: the store, the job's id, the worker's, and where the work runs."""


def new_job(
    session: Session,
    kind: str,
    by: Person,
    asked: dict[str, Any],
    total: int,
    summary: dict[str, Any],
    place: str | None = None,
) -> JobRow:
    """A job that waits to be done. place : where its files lie. Raises RefusedError where too many wait already."""
    unended = select(func.count()).select_from(JobRow).where(JobRow.kind == kind, JobRow.state.not_in(ENDED))
    if (session.scalar(unended.where(JobRow.asked_by == by.name)) or 0) >= MAX_UNENDED:
        sentence = f"You already have {MAX_UNENDED} of these in progress. Try again when one has finished."
        raise RefusedError("too_many_jobs", sentence, "")
    if (session.scalar(unended) or 0) >= MAX_ALL_UNENDED:
        raise RefusedError("too_many_jobs", "Too many of these are in progress. Try again in a few minutes.", "")
    row = JobRow(
        id=str(uuid.uuid4()),
        kind=kind,
        state="waiting",
        asked=asked,
        asked_by=by.name,
        asked_at=dt.datetime.now(dt.UTC),
        total=total,
        done=0,
        summary=summary,
        place=place,
    )
    session.add(row)
    _make_room(session, kind, by.name)
    session.flush()
    return row


def _make_room(session: Session, kind: str, name: str) -> None:
    ended = select(JobRow.id).where(JobRow.kind == kind, JobRow.state.in_(ENDED), JobRow.asked_by == name)
    ended = ended.order_by(JobRow.asked_at.desc())
    for job_id in session.scalars(ended.offset(MAX_JOBS - 1)).all():
        session.execute(delete(JobRow).where(JobRow.id == job_id))


def saved_jobs(session: Session, kind: str) -> list[JobRow]:
    """Every job of a kind that is kept, the latest first."""
    query = select(JobRow).where(JobRow.kind == kind).order_by(JobRow.asked_at.desc()).limit(_MOST_LISTED)
    return list(session.scalars(query))


def find_job(session: Session, kind: str, job_id: str, *, lock: bool = False) -> JobRow:
    """One job. Raises NotFoundError."""
    row = session.get(JobRow, job_id, with_for_update=lock)
    if row is None or row.kind != kind:
        raise NotFoundError("job_unknown", "This job doesn't exist.", "job_id")
    return row


def own_job(session: Session, kind: str, job_id: str, by: Person) -> JobRow:
    """A job that somebody may change: their own, or any for a manager. Raises NotFoundError, ForbiddenError."""
    row = find_job(session, kind, job_id, lock=True)
    if row.asked_by != by.name and by.role != "manager":
        raise ForbiddenError("not_your_job", f"This job belongs to {row.asked_by}. Ask them or a manager.", "job_id")
    return row


def cancel_job(session: Session, kind: str, job_id: str, by: Person) -> JobRow:
    """Stop a job; what was found so far stays. Raises NotFoundError, ForbiddenError."""
    row = own_job(session, kind, job_id, by)
    if row.state not in ENDED:
        row.state, row.ended_at = "cancelled", dt.datetime.now(dt.UTC)
    return row


# working on one


def claim(
    store: Store, kinds: tuple[str, ...], worker: str, now: dt.datetime, place: str | None = None
) -> tuple[str, str] | None:
    """The next job that nobody works on, taken by ``worker``: its kind and its id; None where there is none.

    place : the files that the worker sees; a job with files elsewhere is left to others.
    """
    left = or_(JobRow.seen_at < now - LEFT_AFTER, JobRow.worker == worker)
    free = or_(JobRow.state == "waiting", (JobRow.state == "running") & left)
    with store.transaction() as session:
        here = or_(JobRow.place.is_(None), JobRow.place == place)
        waiting = select(JobRow.id, JobRow.asked_by, JobRow.asked_at).where(JobRow.kind.in_(kinds), free, here)
        found = session.execute(waiting.order_by(JobRow.asked_at).limit(MAX_ALL_UNENDED * 3)).all()
        # whoever was served longest ago is served next, so that nobody's many keep anybody's one waiting
        latest = (
            select(JobRow.asked_by, func.max(JobRow.seen_at)).where(JobRow.kind.in_(kinds)).group_by(JobRow.asked_by)
        )
        served = dict(session.execute(latest).all()) if len(found) > 1 else {}
        never = dt.datetime.min.replace(tzinfo=dt.UTC)
        for one in sorted(found, key=lambda one: (served.get(one.asked_by) or never, one.asked_at)):
            query = select(JobRow).where(JobRow.id == one.id, free)
            row = session.scalar(query.with_for_update(skip_locked=True))
            if row is not None:
                break
        else:
            return None
        row.state, row.worker, row.seen_at = "running", worker, now
        return row.kind, row.id


def unended(store: Store, kinds: tuple[str, ...]) -> bool:
    """Whether any job waits or is being done, by whomever."""
    query = select(JobRow.id).where(JobRow.kind.in_(kinds), JobRow.state.in_(UNENDED)).limit(1)
    with store.transaction() as session:
        return session.scalar(query) is not None


@contextmanager
def held(store: Store, job_id: str, worker: str) -> Iterator[tuple[Session, JobRow] | None]:
    """The job in a transaction of its own, to keep a part of it; None where it is no longer this worker's."""
    with store.transaction() as session:
        row = session.get(JobRow, job_id, with_for_update=True)
        if row is None or row.state != "running" or row.worker != worker:
            yield None
            return
        row.seen_at = dt.datetime.now(dt.UTC)
        yield session, row


def still_at(store: Store, job_id: str, worker: str) -> None:
    """It is being worked on, however long a part takes: nobody else takes it up."""
    with held(store, job_id, worker):
        pass


def end_job(store: Store, job_id: str, worker: str) -> None:
    """It is done."""
    with held(store, job_id, worker) as mine:
        if mine:
            _, row = mine
            row.state, row.ended_at = "done", dt.datetime.now(dt.UTC)
            row.total = row.done


def fail_job(store: Store, job_id: str, worker: str, why: str) -> None:
    """A job that cannot be done says why."""
    with held(store, job_id, worker) as mine:
        if mine:
            _, row = mine
            row.state, row.why, row.ended_at = "failed", why[:300], dt.datetime.now(dt.UTC)
