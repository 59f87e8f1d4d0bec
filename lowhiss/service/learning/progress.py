"""How far somebody has come, a class at a glance, notes on it, and what may be taken along or must be forgotten."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.practice import Lesson, LessonStatus, Readiness, Tried, ladder, read_tried, readiness
from lowhiss.exchange.learning_schemas import LEARNING_FORMAT
from lowhiss.exchange.tables import csv_text
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.learning.classes import Assigned, LearningClass, own, set_for
from lowhiss.service.learning.classes import listed as classes_of
from lowhiss.service.learning.lessons import lessons_of
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.practice.classmates import may_see
from lowhiss.store.engine import Store
from lowhiss.store.learning_models import CardReviewRow, ClassMemberRow, LearningClassRow, TrainerNoteRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.practice_models import PracticeRow, PracticeTrainerRow

NoteKind = Literal["note", "opened", "passed", "ready", "not_ready", "struck_out"]
_NEEDS_REASON = frozenset({"passed", "ready", "not_ready", "struck_out"})


@dataclass(frozen=True, slots=True)
class Note:
    """What a trainer wrote, or decided over the rule. about : a lesson, a code, or nothing."""

    id: str
    kind: str
    about: str
    text: str
    by: str
    at: dt.datetime
    private: bool
    practice_id: str | None


@dataclass(frozen=True, slots=True)
class Progress:
    """How far somebody has come. hours : at the practice vehicle.  exam_on : the next of their classes' days."""

    person_id: str
    person: str
    lessons: tuple[LessonStatus, ...]
    readiness: Readiness
    overruled: Note | None
    assigned: tuple[Assigned, ...]
    notes: tuple[Note, ...]
    practices: int
    hours: float
    exam_on: dt.date | None


@dataclass(frozen=True, slots=True)
class Board:
    """A class at a glance. wrong : practices in which a mistake that was asked for was made."""

    of: LearningClass
    rows: tuple[Progress, ...]
    wrong: tuple[tuple[str, str, dt.datetime], ...]


def of_person(store: Store, by: Person, person_id: str) -> Progress:
    """Somebody's progress. Raises NotFoundError, ForbiddenError."""
    with store.transaction() as session:
        person = _person(session, by, person_id)
        return _progress(session, by, [person])[0]


def board(store: Store, by: Person, class_id: str, code: str | None) -> Board:
    """A class at a glance; with a mistake's code, who made it. Raises NotFoundError, ForbiddenError."""
    if code is not None and code not in rulebook.scoring().mistakes:
        raise RefusedError("mistake_unknown", f"code: {code[:40]!r} isn't a mistake code.", "code")
    with store.transaction() as session:
        own(session, by, class_id)
        found = select(PersonRow).join(ClassMemberRow, ClassMemberRow.person_id == PersonRow.id)
        here = (ClassMemberRow.class_id == class_id, ClassMemberRow.agreed_at.is_not(None))
        people = list(session.scalars(found.where(*here).order_by(PersonRow.name)))
        rows = _progress(session, by, people)
        wrong: list[tuple[str, str, dt.datetime]] = []
        if code is not None:
            names = {one.id: one.name for one in people}
            wrong = [
                (practice_id, names[person_id], began_at)
                for practice_id, person_id, began_at, summary in _practices(session, list(names))
                if code in (summary or {}).get("codes", ())
            ]
    listed = next(one for one in classes_of(store, by) if one.id == class_id)
    return Board(listed, tuple(rows), tuple(wrong))


def note(
    store: Store,
    by: Person,
    person_id: str,
    kind: NoteKind,
    about: str,
    text: str,
    practice_id: str | None,
    private: bool,
) -> Note:
    """Write something of somebody, or decide over the rule, with a reason. It is never changed.

    Raises NotFoundError, ForbiddenError, RefusedError naming the field.
    """
    if kind in _NEEDS_REASON and not text.strip():
        raise RefusedError("reason_missing", "text: give a reason. It stays on record.", "text")
    if kind == "struck_out" and about not in rulebook.scoring().mistakes:
        raise RefusedError("mistake_unknown", f"about: {about[:40]!r} isn't a mistake code.", "about")
    with store.transaction() as session:
        if kind in ("passed", "opened") and about not in lessons_of(session):
            raise RefusedError("lesson_unknown", f"about: is {about[:40]!r}, which isn't a lesson.", "about")
        _person(session, by, person_id)
        if by.id == person_id:
            raise ForbiddenError("not_about_oneself", "person_id: you can't decide about yourself.", "person_id")
        if practice_id is not None:
            practice = session.get(PracticeRow, practice_id)
            if practice is None or practice.person_id != person_id:
                raise NotFoundError("practice_unknown", "practice_id: this practice doesn't exist.", "practice_id")
        row = TrainerNoteRow(
            id=str(uuid.uuid4()),
            person_id=person_id,
            practice_id=practice_id,
            by_id=by.id,
            at=_now(),
            kind=kind,
            about=about,
            text=text.strip(),
            private=private and kind == "note",
        )
        session.add(row)
        session.flush()
        return _note(row, by.name)


# taken along, and forgotten


def record_of(store: Store, by: Person, person_id: str) -> dict[str, Any]:
    """All that is kept of somebody's learning, as it is: practices whole, notes that are theirs to see, answers.

    Raises NotFoundError, ForbiddenError.
    """
    with store.transaction() as session:
        person = _person(session, by, person_id)
        practices = session.scalars(
            select(PracticeRow).where(PracticeRow.person_id == person_id).order_by(PracticeRow.began_at)
        )
        reviews = session.scalars(
            select(CardReviewRow).where(CardReviewRow.person_id == person_id).order_by(CardReviewRow.at)
        )
        return {
            "format": LEARNING_FORMAT,
            "person": person.name,
            "practices": [
                {
                    "id": row.id,
                    "title": row.title,
                    "began_at": row.began_at.isoformat(),
                    "record": row.record,
                    "summary": row.summary,
                }
                for row in practices
            ],
            "notes": [
                {"at": one.at.isoformat(), "by": one.by, "kind": one.kind, "about": one.about, "text": one.text}
                for one in _notes(session, by, [person_id])[person_id]
                if not one.private
            ],
            "cards": [
                {
                    "id": row.id,
                    "card": row.card,
                    "rating": row.rating,
                    "level": row.level,
                    "way": row.way,
                    "findings": row.findings,
                    "at": row.at.isoformat(),
                    "took_ms": row.took_ms,
                    "device": row.device,
                    "seq": row.seq,
                }
                for row in reviews
            ],
        }


_COLUMNS = (
    "trainee",
    "run_id",
    "began_utc",
    "lesson",
    "drive",
    "mode",
    "kind",
    "rules",
    "core",
    "seed",
    "faults",
    "faulty",
    "passed",
    "score",
    "safety",
    "measuring",
    "judging",
    "words",
    "order",
    "critical",
    "mistakes",
    "minutes",
)


def csv_of(store: Store, by: Person, person_id: str) -> str:
    """One line a practice that is over. Raises NotFoundError, ForbiddenError."""
    with store.transaction() as session:
        person = _person(session, by, person_id)
        rows = session.scalars(
            select(PracticeRow)
            .where(PracticeRow.person_id == person_id, PracticeRow.ended)
            .order_by(PracticeRow.began_at)
        )
        return csv_text([_COLUMNS, *(_line(person.name, row) for row in rows)])


_MARK_COLUMNS = (
    "run_id",
    "stage",
    "point",
    "needle",
    "true_at_s",
    "marked_at_s",
    "late_s",
    "late_psi",
    "shown_psi",
    "typed_psi",
    "true_psi",
    "quality",
)


def marks_csv_of(store: Store, by: Person, person_id: str) -> str:
    """One line a needle of each mark that was made, beside its true moment. Raises NotFoundError, ForbiddenError."""
    with store.transaction() as session:
        _person(session, by, person_id)
        found = select(PracticeRow.id, PracticeRow.after).where(PracticeRow.person_id == person_id, PracticeRow.ended)
        lines = (
            _mark_line(practice_id, mark, place, needle)
            for practice_id, after in session.execute(found.order_by(PracticeRow.began_at))
            for mark in (after or {}).get("marks", ())
            for place, needle in enumerate(after.get("needles", ()))
        )
        return csv_text([_MARK_COLUMNS, *lines])


def _mark_line(practice_id: str, mark: Mapping[str, Any], place: int, needle: str) -> Iterable[object]:
    def of(name: str) -> object:
        values = mark.get(name)
        return values[place] if isinstance(values, list) and place < len(values) else None

    point = " ".join(part for part in (mark.get("kind"), mark.get("which")) if part)
    late_psi = None if mark.get("late_psi") is None else round(mark["late_psi"], 2)
    times = (mark.get("true_at_s"), mark.get("at_s"), mark.get("late_s"))
    readings = (of("shown_psi"), of("typed_psi"), of("true_psi"))
    return practice_id, mark.get("stage"), point, needle, *times, late_psi, *readings, mark.get("quality")


def _line(person: str, row: PracticeRow) -> Iterable[object]:
    summary: Mapping[str, Any] = row.summary or {}
    choice, shares = row.record.get("choice", {}), summary.get("shares", {})
    rules = choice.get("rules")
    return (
        person,
        row.id,
        row.began_at.isoformat(),
        summary.get("lesson") or "",
        summary.get("drive", 0) + 1 if summary.get("lesson") else "",
        summary.get("mode", choice.get("mode", "")),
        choice.get("kind") or "",
        rules.get("id", "") if isinstance(rules, dict) else rules or "",
        row.core,
        choice.get("seed", ""),
        " ".join(row.record.get("opened", {}).get("faults", ())),
        row.faulty,
        summary.get("passed"),
        summary.get("total"),
        *(shares.get(group) for group in ("safety", "measuring", "judging", "words", "order")),
        " ".join(summary.get("critical", ())),
        " ".join(summary.get("codes", ())),
        round(row.ticks / 6000, 1),
    )


def forget(store: Store, by: Person, person_id: str) -> int:
    """Delete what is kept of somebody's learning: practices, answers, notes. Returns how many practices went.

    Runs on real vehicles keep their names. Raises NotFoundError, ForbiddenError.
    """
    with store.transaction() as session:
        person = session.get(PersonRow, person_id)
        if person is None:
            raise NotFoundError("person_unknown", "person_id: nobody has this id.", "person_id")
        if by.id != person_id and by.role != "manager":
            raise ForbiddenError("not_yours", "person_id: only this person or a manager may do this.", "person_id")
        mine = list(session.scalars(select(PracticeRow.id).where(PracticeRow.person_id == person_id)))
        session.execute(delete(TrainerNoteRow).where(TrainerNoteRow.person_id == person_id))
        session.execute(delete(CardReviewRow).where(CardReviewRow.person_id == person_id))
        session.execute(delete(PracticeTrainerRow).where(PracticeTrainerRow.practice_id.in_(mine)))
        session.execute(delete(PracticeRow).where(PracticeRow.person_id == person_id))
        return len(mine)


# how it is put together


def _person(session: Session, by: Person, person_id: str) -> PersonRow:
    if not may_see(session, by, person_id):
        raise ForbiddenError("not_your_trainee", "person_id: this person isn't in any of your classes.", "person_id")
    person = session.get(PersonRow, person_id)
    if person is None:
        raise NotFoundError("person_unknown", "person_id: nobody has this id.", "person_id")
    return person


def _practices(session: Session, people: Sequence[str]) -> list[tuple[str, str, dt.datetime, dict[str, Any] | None]]:
    """What progress hangs on, without the records."""
    found = select(PracticeRow.id, PracticeRow.person_id, PracticeRow.began_at, PracticeRow.summary)
    found = found.where(PracticeRow.person_id.in_(people), PracticeRow.summary.is_not(None))
    return [tuple(row) for row in session.execute(found.order_by(PracticeRow.began_at.desc()))]


def _progress(session: Session, by: Person, people: Sequence[PersonRow]) -> list[Progress]:
    ids = [one.id for one in people]
    tried: dict[str, list[Tried]] = {one: [] for one in ids}
    for _, person_id, began_at, summary in _practices(session, ids):
        tried[person_id].append(read_tried({**(summary or {}), "at": began_at.isoformat()}))
    ticks = dict.fromkeys(ids, 0)
    counted = select(PracticeRow.person_id, PracticeRow.ticks).where(PracticeRow.person_id.in_(ids))
    for person_id, driven in session.execute(counted):
        ticks[person_id] += driven
    notes, assigned = _notes(session, by, ids), set_for(session, ids)
    known = list(lessons_of(session).values())
    exams = _exams(session, ids)
    return [
        _of(one, exams.get(one.id), known, tried[one.id], notes[one.id], assigned[one.id], ticks[one.id])
        for one in people
    ]


def _exams(session: Session, people: Sequence[str]) -> dict[str, dt.date]:
    """The next day of an examination of each of these people, as their classes name it."""
    next_day = func.min(LearningClassRow.exam_on)
    found = (
        select(ClassMemberRow.person_id, next_day)
        .join(LearningClassRow, LearningClassRow.id == ClassMemberRow.class_id)
        .where(
            ClassMemberRow.person_id.in_(people),
            ClassMemberRow.agreed_at.is_not(None),
            LearningClassRow.exam_on >= _now().date(),
        )
        .group_by(ClassMemberRow.person_id)
    )
    return {person_id: day for person_id, day in session.execute(found) if day is not None}


def _of(
    person: PersonRow,
    exam_on: dt.date | None,
    known: Sequence[Lesson],
    tried: list[Tried],
    notes: list[Note],
    assigned: list[Assigned],
    ticks: int,
) -> Progress:
    scoring, now = rulebook.scoring(), _now()
    opened = frozenset(one.about for one in notes if one.kind in ("opened", "passed"))
    passed = {one.about for one in notes if one.kind == "passed"}
    lessons = ladder(known, tried, now, scoring.number("readiness", "stale_days"), opened)
    overruled = next((one for one in notes if one.kind in ("ready", "not_ready")), None)
    return Progress(
        person_id=person.id,
        person=person.name,
        lessons=tuple(_passed_over(one) if one.id in passed and one.state not in _DONE else one for one in lessons),
        readiness=readiness(scoring, tried, now),
        overruled=overruled,
        assigned=tuple(assigned),
        notes=tuple(notes),
        practices=len(tried),
        hours=round(ticks / 360_000, 1),
        exam_on=exam_on,
    )


_DONE = ("passed", "helped", "stale")


def _passed_over(one: LessonStatus) -> LessonStatus:
    """A lesson that a trainer has passed over the rule."""
    return LessonStatus(one.id, "helped", one.drives, one.last_at, one.tries, one.worst)


def _notes(session: Session, by: Person, people: Sequence[str]) -> dict[str, list[Note]]:
    """The notes that are somebody's to see, the latest first."""
    found = select(TrainerNoteRow, PersonRow.name).join(PersonRow, PersonRow.id == TrainerNoteRow.by_id)
    found = found.where(TrainerNoteRow.person_id.in_(people)).order_by(TrainerNoteRow.at.desc())
    notes: dict[str, list[Note]] = {one: [] for one in people}
    for row, name in session.execute(found):
        if not row.private or row.by_id == by.id:
            notes[row.person_id].append(_note(row, name))
    return notes


def _note(row: TrainerNoteRow, by: str) -> Note:
    return Note(row.id, row.kind, row.about, row.text, by, row.at, row.private, row.practice_id)


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)
