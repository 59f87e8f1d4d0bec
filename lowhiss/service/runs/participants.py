"""Who takes which part in a run: who leads may mark everything, a watcher only what never commands a driver."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from lowhiss.core.names import name_key
from lowhiss.core.record import types_that
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.store.engine import Store
from lowhiss.store.finding_models import RunPersonRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.run_models import EventRow, JoinCodeRow, MemberRow, RunRow

Part = Literal["lead", "watch", "oversee", "send"]
"""``lead``: begun or taken over. ``watch``: joined by a code. ``oversee``: a trainer or manager who did not join; may
note and confirm late marks. ``send``: somebody else on the device that began it; may only send on what waits there."""
CODE_LASTS = dt.timedelta(minutes=10)

OVERSEERS = ("trainer", "manager")
_WATCHED = types_that("watched")


def part_of(session: Session, run: RunRow, person_id: str, role: str, device: str | None) -> Part | None:
    """The part this person takes in the run, None when none."""
    if run.person_id == person_id:
        return "lead"
    member = session.get(MemberRow, (run.id, person_id))
    if member is not None:
        # the lead was taken over as a trainer or manager: it goes with that role
        return "lead" if member.part == "lead" and role in OVERSEERS else "watch"
    if role in OVERSEERS:
        return "oversee"
    return "send" if device is not None and run.device_hash == secrets.token_hash(device) else None


def is_grant(body: Mapping[str, Any]) -> bool:
    """Whether this lets a candidate do a part over: an examiner's word, never who leads' own."""
    return body.get("type") == "said" and str(body.get("what", "")).startswith("grant:")


def overseer_may(body: Mapping[str, Any], target: EventRow | None) -> bool:
    """Whether a trainer or manager who did not join may mark this: a note, or a confirmation of what came late."""
    kind = body.get("type")
    confirms = target is not None and target.type == "late_confirmed"
    return kind in ("note", "late_confirmed") or (kind == "withdrawn" and confirms)


def watcher_may(body: Mapping[str, Any], target: EventRow | None, person_id: str, valued: set[str]) -> bool:
    """Whether a watcher may mark this.

    target : the mark that a ``valued`` or ``withdrawn`` refers to.  valued : ids of marks that have their numbers.
    """
    kind = body.get("type")
    if kind in _WATCHED:
        return True
    if kind == "knob":
        return body.get("cause") == "popped"
    own = target is not None and person_id in (target.author_id, target.sent_by)
    if kind == "valued":
        return own or (target is not None and target.id not in valued and target.primary_psi is None)
    return kind == "withdrawn" and own


def note_people(session: Session, run: RunRow, *names: str) -> None:
    """Keep who had a part in a run, to find it by: whoever drove, watched, began, joined or signed."""
    keys = sorted({name_key(name) for name in names} - {""})
    if keys:
        rows = [{"run_id": run.id, "name_key": key, "started_at": run.started_at} for key in keys]
        session.execute(insert(RunPersonRow).prefix_with("IGNORE").values(rows))


def make_join_code(store: Store, run_id: str, by: Person, device: str | None) -> tuple[str, dt.datetime]:
    """A code by which somebody else may watch the run, and until when; the one before it is void.

    Raises NotFoundError, ForbiddenError.
    """
    moment = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        if part_of(session, run, by.id, by.role, device) != "lead":
            raise ForbiddenError("not_your_run", "Only the person leading this test may let somebody join.", "run_id")
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
        guess_limits.check(session, trying, None)
        kept = session.scalar(select(JoinCodeRow).where(JoinCodeRow.code_hash == secrets.code_hash(code)))
        if kept is not None and moment - kept.made_at <= CODE_LASTS:
            run = session.get_one(RunRow, kept.run_id)
            if run.person_id != by.id and session.get(MemberRow, (run.id, by.id)) is None:
                session.merge(MemberRow(run_id=run.id, person_id=by.id, part="watch", joined_at=moment))
                note_people(session, run, by.name)
            return run.id
    guess_limits.failed(store, trying, None)
    raise RefusedError("join_code_unknown", "This code is wrong or expired. Ask for a new one.", "code")


def take_lead(store: Store, run_id: str, by: Person, device: str | None) -> None:
    """Lead a run, as when the driver's device has died: whoever takes it over has joined it, and is shown.

    Raises NotFoundError, ForbiddenError.
    """
    with store.transaction() as session:
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        part = part_of(session, run, by.id, by.role, device)
        if part == "lead":
            return
        if by.role not in OVERSEERS:
            raise ForbiddenError(
                "not_your_run", "Only the person who started this test, or a trainer, may lead it.", "run_id"
            )
        moment = dt.datetime.now(dt.UTC)
        session.merge(MemberRow(run_id=run_id, person_id=by.id, part="lead", joined_at=moment))
        note_people(session, run, by.name)


def members_of(session: Session, run_id: str) -> list[tuple[str, str, Part]]:
    """Everybody who joined the run: id, name and part, in the order in which they came."""
    query = (
        select(PersonRow.id, PersonRow.name, MemberRow.part)
        .join(PersonRow, PersonRow.id == MemberRow.person_id)
        .where(MemberRow.run_id == run_id)
        .order_by(MemberRow.joined_at)
    )
    return [
        (person_id, name, "lead" if part == "lead" else "watch") for person_id, name, part in session.execute(query)
    ]
