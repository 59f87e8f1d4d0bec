"""Classes: who is in them, what they want, and which lessons they are set until when. One transaction each."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, or_, select
from sqlalchemy.orm import Session

from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.learning.lessons import lessons_of
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import AssignmentRow, ClassMemberRow, LearningClassRow
from lowhiss.store.people_models import PersonRow

MOST_MEMBERS = 400


@dataclass(frozen=True, slots=True)
class Assigned:
    """A lesson that is to be driven by a time; ``person_id`` None: by the whole class."""

    id: str
    lesson: str
    due_at: dt.datetime
    person_id: str | None
    class_name: str


@dataclass(frozen=True, slots=True)
class Invitation:
    """A class that somebody is asked into."""

    class_id: str
    class_name: str
    trainer: str


@dataclass(frozen=True, slots=True)
class Member:
    """Somebody in a class. agreed : whether they have agreed to it; until then nothing of theirs is seen."""

    id: str
    name: str
    agreed: bool


@dataclass(frozen=True, slots=True)
class LearningClass:
    """A class with its members, those who left the fleet among them."""

    id: str
    name: str
    trainer: str
    licence: dict[str, Any]
    exam_on: dt.date | None
    version: int
    members: tuple[Member, ...]
    assigned: tuple[Assigned, ...]


def make(store: Store, by: Person, name: str) -> LearningClass:
    """A new class of one's own."""
    with store.transaction() as session:
        row = LearningClassRow(id=str(uuid.uuid4()), name=name, trainer_id=by.id, licence={}, made_at=_now())
        session.add(row)
        session.flush()
        return _whole(session, row)


def edit(
    store: Store,
    by: Person,
    class_id: str,
    version: int,
    name: str,
    exam_on: dt.date | None,
    members: Sequence[str],
    licence: dict[str, Any],
) -> LearningClass:
    """Change a class. Whom a trainer adds is asked first; whom a manager adds is in it.

    Raises NotFoundError, ForbiddenError, ConflictError, RefusedError.
    """
    with store.transaction() as session:
        row = own(session, by, class_id)
        if row.version != version:
            raise ConflictError(
                "changed_meanwhile", "version: somebody else has just changed this class. Load it again.", "version"
            )
        if len(members) > MOST_MEMBERS:
            raise RefusedError("class_full", f"members: a class can have up to {MOST_MEMBERS} members.", "members")
        known = set(session.scalars(select(PersonRow.id).where(PersonRow.id.in_(members))))
        if missing := set(members) - known:
            raise RefusedError("person_unknown", f"members: nobody has the id {min(missing)}.", "members")
        row.name, row.exam_on, row.licence, row.version = name, exam_on, licence, row.version + 1
        before = set(session.scalars(select(ClassMemberRow.person_id).where(ClassMemberRow.class_id == class_id)))
        gone = before - set(members)
        session.execute(
            delete(ClassMemberRow).where(ClassMemberRow.class_id == class_id, ClassMemberRow.person_id.in_(gone))
        )
        agreed_at = _now() if by.role == "manager" else None
        session.add_all(
            ClassMemberRow(class_id=class_id, person_id=one, joined_at=_now(), agreed_at=agreed_at)
            for one in sorted(set(members) - before)
        )
        session.flush()
        return _whole(session, row)


def listed(store: Store, by: Person) -> list[LearningClass]:
    """A trainer's own classes; a manager's are all."""
    with store.transaction() as session:
        found = select(LearningClassRow).order_by(LearningClassRow.exam_on.is_(None), LearningClassRow.exam_on)
        if by.role != "manager":
            found = found.where(LearningClassRow.trainer_id == by.id)
        return [_whole(session, row) for row in session.scalars(found.order_by(LearningClassRow.name))]


def assign(
    store: Store, by: Person, class_id: str, lesson: str, due_at: dt.datetime, person_id: str | None
) -> LearningClass:
    """Set a lesson. Raises NotFoundError, ForbiddenError, RefusedError naming the field."""
    with store.transaction() as session:
        row = own(session, by, class_id)
        known = lessons_of(session)
        if lesson not in known:
            there = ", ".join(known)
            raise RefusedError(
                "lesson_unknown", f"lesson: {lesson[:40]!r} doesn't exist; choose one of {there}.", "lesson"
            )
        if person_id is not None and session.get(ClassMemberRow, (class_id, person_id)) is None:
            raise RefusedError("not_in_class", "person_id: this person isn't in the class.", "person_id")
        session.add(
            AssignmentRow(
                id=str(uuid.uuid4()),
                class_id=class_id,
                person_id=person_id,
                lesson=lesson,
                due_at=due_at,
                made_by=by.id,
                made_at=_now(),
            )
        )
        session.flush()
        return _whole(session, row)


def take_back(store: Store, by: Person, assignment_id: str) -> LearningClass:
    """What was set is set no more. Raises NotFoundError, ForbiddenError."""
    with store.transaction() as session:
        set_one = session.get(AssignmentRow, assignment_id)
        if set_one is None:
            raise NotFoundError("assignment_unknown", "assignment_id: this assignment doesn't exist.", "assignment_id")
        row = own(session, by, set_one.class_id)
        set_one.void_at = set_one.void_at or _now()
        session.flush()
        return _whole(session, row)


def set_for(session: Session, people: Sequence[str]) -> dict[str, list[Assigned]]:
    """What each of these people is set, the next due first."""
    found = (
        select(AssignmentRow, LearningClassRow.name, ClassMemberRow.person_id)
        .join(LearningClassRow, LearningClassRow.id == AssignmentRow.class_id)
        .join(ClassMemberRow, ClassMemberRow.class_id == AssignmentRow.class_id)
        .where(
            ClassMemberRow.person_id.in_(people),
            ClassMemberRow.agreed_at.is_not(None),
            AssignmentRow.void_at.is_(None),
            or_(AssignmentRow.person_id.is_(None), AssignmentRow.person_id == ClassMemberRow.person_id),
        )
        .order_by(AssignmentRow.due_at)
    )
    assigned: dict[str, list[Assigned]] = {one: [] for one in people}
    for row, name, person_id in session.execute(found):
        assigned[person_id].append(Assigned(row.id, row.lesson, row.due_at, row.person_id, name))
    return assigned


def own(session: Session, by: Person, class_id: str) -> LearningClassRow:
    """A class of one's own, or, for a manager, any. Raises NotFoundError, ForbiddenError."""
    row = session.get(LearningClassRow, class_id, with_for_update=True)
    if row is None:
        raise NotFoundError("class_unknown", "class_id: this class doesn't exist.", "class_id")
    if by.role != "manager" and row.trainer_id != by.id:
        raise ForbiddenError("not_your_class", "class_id: this class belongs to another trainer.", "class_id")
    return row


def invitations_of(store: Store, by: Person) -> list[Invitation]:
    """The classes that somebody is asked into and has not answered, by name."""
    with store.transaction() as session:
        found = (
            select(LearningClassRow.id, LearningClassRow.name, PersonRow.name)
            .join(ClassMemberRow, ClassMemberRow.class_id == LearningClassRow.id)
            .join(PersonRow, PersonRow.id == LearningClassRow.trainer_id)
            .where(ClassMemberRow.person_id == by.id, ClassMemberRow.agreed_at.is_(None))
        )
        return [Invitation(*row) for row in session.execute(found.order_by(LearningClassRow.name))]


def answer_invitation(store: Store, by: Person, class_id: str, *, agree: bool) -> None:
    """Join the class that one is asked into, or decline. Answering twice is answering once. Raises NotFoundError."""
    with store.transaction() as session:
        row = session.get(ClassMemberRow, (class_id, by.id), with_for_update=True)
        if row is None:
            raise NotFoundError("class_unknown", "class_id: you are no longer invited to this class.", "class_id")
        if agree:
            row.agreed_at = row.agreed_at or _now()
        elif row.agreed_at is None:
            session.delete(row)


def _whole(session: Session, row: LearningClassRow) -> LearningClass:
    members = select(PersonRow.id, PersonRow.name, ClassMemberRow.agreed_at.is_not(None))
    members = members.join(ClassMemberRow, ClassMemberRow.person_id == PersonRow.id)
    members = members.where(ClassMemberRow.class_id == row.id).order_by(PersonRow.name)
    assigned = select(AssignmentRow).where(AssignmentRow.class_id == row.id, AssignmentRow.void_at.is_(None))
    return LearningClass(
        id=row.id,
        name=row.name,
        trainer=session.get_one(PersonRow, row.trainer_id).name,
        licence=row.licence,
        exam_on=row.exam_on,
        version=row.version,
        members=tuple(Member(one, name, bool(agreed)) for one, name, agreed in session.execute(members)),
        assigned=tuple(
            Assigned(one.id, one.lesson, one.due_at, one.person_id, row.name)
            for one in session.scalars(assigned.order_by(AssignmentRow.due_at))
        ),
    )


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)
