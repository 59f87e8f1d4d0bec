"""People: added by invitation, edited, retired; never deleted."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from sqlalchemy import or_, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lowhiss.core.names import name_key
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.history import check_version, differences, note_change
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.rights import Role
from lowhiss.service.people.signin import (
    Person,
    check_password,
    checked_name,
    end_access,
    forget_sessions,
    make_code,
    now,
    person_of,
)
from lowhiss.store.engine import Store, after_commit
from lowhiss.store.people_models import PersonRow


@dataclass(frozen=True, slots=True)
class ListedPerson:
    """A person as the list shows them. ``joined``: a password was set."""

    person: Person
    version: int
    joined: bool
    retired: bool


def list_people(store: Store) -> list[ListedPerson]:
    """Everybody, the retired last, by name."""
    query = select(PersonRow).order_by(PersonRow.retired_at.is_not(None), PersonRow.name)
    with store.transaction() as session:
        return [_listed(row) for row in session.scalars(query)]


def add_person(store: Store, by: Person, name: str, role: Role) -> tuple[ListedPerson, str]:
    """A new person and the one-time code to hand to them. Raises ConflictError, RefusedError."""
    row = PersonRow(
        id=str(uuid.uuid4()),
        name=checked_name(name),
        role=role,
        language=by.language,
        pressure_unit=by.pressure_unit,
        version=1,
    )
    try:
        with store.transaction() as session:
            session.add(row)
            session.flush()
            code = make_code(session, row.id)
            note_change(session, "person", row.id, by.name, {"added": [None, f"{row.name}, {role}"]})
    except IntegrityError as error:
        raise _taken() from error
    return _listed(row), code


def edit_person(store: Store, by: Person, person_id: str, version: int, name: str, role: Role) -> ListedPerson:
    """Change name or role. Raises NotFoundError, ConflictError, RefusedError."""
    try:
        with store.transaction() as session:
            managers = _lock_managers(session)
            row = _find(session, person_id)
            check_version(row.version, version)
            if row.role == "manager" and role != "manager":
                _not_the_last(managers, row)
            before = {"name": row.name, "role": row.role}
            row.name, row.role = checked_name(name), role
            row.version += 1
            note_change(session, "person", row.id, by.name, differences(before, {"name": row.name, "role": role}))
            after_commit(session, forget_sessions)
            session.flush()
            return _listed(row)
    except IntegrityError as error:
        raise _taken() from error


def retire_person(store: Store, by: Person, person_id: str, version: int, *, retired: bool) -> ListedPerson:
    """Retire a person, or take them back; a retired one is signed out everywhere. Raises as `edit_person` does."""
    with store.transaction() as session:
        managers = _lock_managers(session)
        row = _find(session, person_id)
        check_version(row.version, version)
        if retired:
            if row.id == by.id:
                raise RefusedError("not_yourself", "You can't deactivate yourself. Ask another manager.", "person_id")
            _not_the_last(managers, row)
            end_access(session, row.id)
        before = row.retired_at is not None
        row.retired_at = now() if retired else None
        row.version += 1
        note_change(session, "person", row.id, by.name, differences({"retired": before}, {"retired": retired}))
        return _listed(row)


def reset_person(store: Store, by: Person, person_id: str) -> str:
    """A one-time code for a new password. The old one holds until the code is used. Raises NotFoundError."""
    with store.transaction() as session:
        row = _find(session, person_id)
        if row.retired_at is not None:
            raise RefusedError("person_retired", "This person is deactivated. Reactivate them first.", "person_id")
        note_change(session, "person", row.id, by.name, {"code": [None, "made"]})
        return make_code(session, row.id)


def change_me(
    store: Store,
    me: Person,
    *,
    language: str | None = None,
    pressure_unit: str | None = None,
    password: tuple[str, str] | None = None,
) -> Person:
    """Change one's own language, unit or password (old, new); a new password ends every session.

    Raises RefusedError, SlowDownError.
    """
    trying = f"old password {me.id}"
    hashed = None
    if password is not None:
        old, new = password
        with store.transaction() as session:
            guess_limits.check(session, trying, None)
            kept = _find(session, me.id).password_hash
        if not secrets.password_matches(kept, old):
            guess_limits.failed(store, trying, None)
            raise RefusedError("sign_in_failed", "Wrong old password.", "old_password")
        check_password(new)
        hashed = secrets.hash_password(new)
    with store.transaction() as session:
        row = _find(session, me.id)
        row.language = language or row.language
        row.pressure_unit = pressure_unit or row.pressure_unit
        after_commit(session, forget_sessions)
        if hashed is not None:
            row.password_hash = hashed
            guess_limits.forget(session, trying)
            end_access(session, row.id)
        return person_of(row)


def manager_code(store: Store, name: str) -> str:
    """The way back in, for whoever holds the server: a one-time code for a manager of this name, new or known."""
    with store.transaction() as session:
        row = session.scalar(select(PersonRow).where(PersonRow.name_key == name_key(name)).with_for_update())
        if row is None:
            row = PersonRow(
                id=str(uuid.uuid4()),
                name=checked_name(name),
                role="manager",
                language="en",
                pressure_unit="psi",
                version=1,
            )
            session.add(row)
            session.flush()
        before = {"role": row.role, "retired": row.retired_at is not None}
        after_commit(session, forget_sessions)
        row.role, row.retired_at = "manager", None
        row.version += 1
        after = {"role": "manager", "retired": False, "code": "made on the server"}
        note_change(session, "person", row.id, "command line", differences(before, after))
        return make_code(session, row.id)


def demo_people(store: Store) -> list[Person]:
    """The demo accounts, by name."""
    query = select(PersonRow).where(PersonRow.demo, PersonRow.retired_at.is_(None)).order_by(PersonRow.name)
    with store.transaction() as session:
        return [person_of(row) for row in session.scalars(query)]


def _find(session: Session, person_id: str) -> PersonRow:
    row = session.scalar(select(PersonRow).where(PersonRow.id == person_id).with_for_update())
    if row is None:
        raise NotFoundError("person_unknown", "This person doesn't exist.", "person_id")
    return row


def _taken() -> ConflictError:
    return ConflictError("name_taken", "This name is already taken. Add an initial or a number.", "name")


def _lock_managers(session: Session) -> set[str]:
    """Everybody who manages this fleet and has joined; two who demote each other at once go one after the other."""
    query = select(PersonRow.id).where(
        PersonRow.role == "manager",
        PersonRow.retired_at.is_(None),
        or_(PersonRow.password_hash.is_not(None), PersonRow.demo),
    )
    return set(session.scalars(query.order_by(PersonRow.id).with_for_update()))


def _not_the_last(managers: set[str], row: PersonRow) -> None:
    if row.id in managers and managers == {row.id}:
        raise RefusedError("last_manager", "This is the last manager. Make somebody else a manager first.", "role")


def _listed(row: PersonRow) -> ListedPerson:
    return ListedPerson(person_of(row), row.version, row.password_hash is not None, row.retired_at is not None)
