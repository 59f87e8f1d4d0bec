"""Lists of the log that people keep for themselves: their filters and columns, as they stand in an address."""

from __future__ import annotations

import datetime as dt
import uuid

from sqlalchemy import delete, func, select

from lowhiss.service.errors import RefusedError
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.finding_models import LogViewRow

MOST = 50


def views_of(store: Store, by: Person) -> list[tuple[str, str]]:
    """Somebody's own: names and queries, by name."""
    query = select(LogViewRow).where(LogViewRow.person_id == by.id).order_by(LogViewRow.name)
    with store.transaction() as session:
        return [(row.name, row.query) for row in session.scalars(query)]


def save_view(store: Store, by: Person, name: str, query: str) -> None:
    """Keep a list under a name; one of the same name gives way. Raises RefusedError."""
    name = name.strip()
    if not name:
        raise RefusedError("view_unnamed", "name: enter a name for this view.", "name")
    with store.transaction() as session:
        mine = LogViewRow.person_id == by.id
        row = session.scalar(select(LogViewRow).where(mine, LogViewRow.name == name).with_for_update())
        if row is None:
            if (session.scalar(select(func.count()).select_from(LogViewRow).where(mine)) or 0) >= MOST:
                raise RefusedError(
                    "views_full", f"name: you already have {MOST} saved views. Delete one first.", "name"
                )
            row = LogViewRow(id=str(uuid.uuid4()), person_id=by.id, name=name)
            session.add(row)
        row.query, row.made_at = query, dt.datetime.now(dt.UTC)


def drop_view(store: Store, by: Person, name: str) -> None:
    """Keep it no longer; one that is not there is gone already."""
    with store.transaction() as session:
        session.execute(delete(LogViewRow).where(LogViewRow.person_id == by.id, LogViewRow.name == name))
