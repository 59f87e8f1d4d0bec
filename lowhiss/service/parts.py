"""Who takes which part in a run: who leads may strike everything, a watcher only what never commands a driver."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.service import brakes, secrets
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.signin import ForbiddenError, Person
from lowhiss.store.engine import Store
from lowhiss.store.models import EventRow, JoinCodeRow, MemberRow, RunRow

Part = Literal["lead", "watch"]
CODE_LASTS = dt.timedelta(minutes=10)

_LEADS = ("trainer", "manager")
_WATCHER_STRIKES = frozenset({"said", "note", "settled", "reading", "warning"})


def part_of(session: Session, run: RunRow, by: Person, device: str | None) -> Part | None:
    """The part this person takes in the run, None when none.

    Who began a run leads it, and anybody on its own device: a shared tablet sends on what was struck before its
    person changed. Who joined takes the part they joined in. Trainers and managers lead where they did not join.
    """
    if run.person_id == by.id or (device is not None and run.device_hash == secrets.token_hash(device)):
        return "lead"
    member = session.get(MemberRow, (run.id, by.id))
    if member is not None:
        return "lead" if member.part == "lead" else "watch"
    return "lead" if by.role in _LEADS else None


def watcher_may(body: Mapping[str, Any], target: EventRow | None, by: Person, valued: set[str]) -> bool:
    """Whether a watcher may strike this.

    target : the mark that a ``valued`` or ``withdrawn`` refers to.  valued : ids of marks that have their numbers.
    """
    kind = body.get("type")
    if kind in _WATCHER_STRIKES:
        return True
    if kind == "knob":
        return body.get("cause") == "popped"
    own = target is not None and target.sent_by == by.id
    if kind == "valued":
        return own or (target is not None and target.id not in valued and target.primary_psi is None)
    return kind == "withdrawn" and own


def make_join_code(store: Store, run_id: str, by: Person, device: str | None) -> tuple[str, dt.datetime]:
    """A code by which somebody else may watch the run, and until when; the one before it is void.

    Raises NotFoundError, ForbiddenError.
    """
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None:
            raise NotFoundError("run_unknown", "There is no such run.", "run_id")
        if part_of(session, run, by, device) != "lead":
            raise ForbiddenError("not_your_run", "Only who leads this run may let somebody join it.", "run_id")
        code = secrets.new_short_code()
        session.merge(JoinCodeRow(run_id=run_id, code_hash=secrets.code_hash(code), made_at=moment))
    return code, moment + CODE_LASTS


def join(store: Store, code: str, by: Person) -> str:
    """Join the run of a code as a watcher; the run's id. Joining twice is joining once.

    Raises SlowDownError, RefusedError.
    """
    trying = f"join {by.id}"
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        brakes.check(session, trying, None)
        kept = session.scalar(select(JoinCodeRow).where(JoinCodeRow.code_hash == secrets.code_hash(code)))
        if kept is not None and moment - kept.made_at <= CODE_LASTS:
            run = session.get_one(RunRow, kept.run_id)
            if run.person_id != by.id and session.get(MemberRow, (run.id, by.id)) is None:
                session.merge(MemberRow(run_id=run.id, person_id=by.id, part="watch", joined_at=moment))
            brakes.forget(session, trying)
            return run.id
    brakes.failed(store, trying, None)
    raise RefusedError("join_code_unknown", "This code is not known or has expired: ask for a new one.", "code")


def take_lead(store: Store, run_id: str, by: Person, device: str | None) -> None:
    """Lead a run that one had joined as a watcher, as when the driver's device has died.

    Raises NotFoundError, ForbiddenError.
    """
    with store.transaction() as session:
        run = session.get(RunRow, run_id)
        if run is None:
            raise NotFoundError("run_unknown", "There is no such run.", "run_id")
        member = session.get(MemberRow, (run_id, by.id), with_for_update=True)
        if member is not None and by.role in _LEADS:
            member.part = "lead"
        elif part_of(session, run, by, device) != "lead":
            raise ForbiddenError("not_your_run", "Only who began this run, or a trainer, may lead it.", "run_id")
