"""A fleet's own lessons: made from a file or a copy, changed, and taken from the ladder. One transaction each."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.practice import Lesson
from lowhiss.engine.lessons import read_own, readable
from lowhiss.exchange.rule_toml import toml_text
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import OwnLessonRow
from lowhiss.store.people_models import PersonRow

MOST_LESSONS = 100


@dataclass(frozen=True, slots=True)
class OwnLesson:
    """A lesson of the fleet's own. table : as a file holds it."""

    id: str
    table: dict[str, Any]
    version: int
    by: str
    changed_at: dt.datetime


def listed(store: Store) -> list[OwnLesson]:
    """The fleet's own lessons in the order of their numbers."""
    with store.transaction() as session:
        return [_whole(session, row) for row in _rows(session)]


def lessons_of(session: Session) -> dict[str, Lesson]:
    """Every lesson there is: the built-in ladder, then the fleet's own that this release can read."""
    return {**rulebook.lessons(), **{one.id: one for one in readable(row.table for row in _rows(session))}}


def save(store: Store, by: Person, table: object, version: int) -> OwnLesson:
    """Keep a lesson of the fleet's own. version : the one that was changed, 0 for a new one.

    Raises CoreError naming what is wrong with it, ConflictError, RefusedError.
    """
    lesson = read_own(table)
    with store.transaction() as session:
        there = lessons_of(session)
        if lesson.after is not None and (lesson.after not in there or lesson.after == lesson.id):
            known = ", ".join(one for one in there if one != lesson.id)
            raise RefusedError(
                "lesson_after", f"lesson.after: {lesson.after[:40]!r} doesn't exist; choose one of {known}.", "after"
            )
        row = session.get(OwnLessonRow, lesson.id, with_for_update=True)
        if row is None:
            if len(there) - len(rulebook.lessons()) >= MOST_LESSONS:
                raise RefusedError("lessons_full", f"A fleet can have up to {MOST_LESSONS} custom lessons.")
            row = OwnLessonRow(id=lesson.id, version=0)
            session.add(row)
        elif row.void_at is None and row.version != version:
            raise ConflictError(
                "changed_meanwhile", "version: somebody else has just changed this lesson. Load it again.", "version"
            )
        row.table, row.version, row.void_at = dict(lesson.table), row.version + 1, None
        row.made_by, row.changed_at = by.id, dt.datetime.now(dt.UTC)
        session.flush()
        return _whole(session, row)


def retire(store: Store, lesson_id: str) -> None:
    """Take a lesson from the ladder; what was driven in it stays. Raises NotFoundError."""
    with store.transaction() as session:
        row = session.get(OwnLessonRow, lesson_id, with_for_update=True)
        if row is None or row.void_at is not None:
            raise NotFoundError("lesson_unknown", "lesson_id: this custom lesson doesn't exist.", "lesson_id")
        row.void_at = dt.datetime.now(dt.UTC)


def file_of(store: Store, lesson_id: str) -> str:
    """A lesson as the text of its file, built in or the fleet's own. Raises NotFoundError."""
    with store.transaction() as session:
        lesson = lessons_of(session).get(lesson_id)
    if lesson is None:
        raise NotFoundError("lesson_unknown", "lesson_id: this lesson doesn't exist.", "lesson_id")
    return toml_text(dict(lesson.table))


def _rows(session: Session) -> list[OwnLessonRow]:
    found = session.scalars(select(OwnLessonRow).where(OwnLessonRow.void_at.is_(None)))
    return sorted(found, key=lambda row: (row.table["lesson"].get("number", 0), row.id))


def _whole(session: Session, row: OwnLessonRow) -> OwnLesson:
    by = session.get_one(PersonRow, row.made_by).name
    return OwnLesson(row.id, row.table, row.version, by, row.changed_at)
