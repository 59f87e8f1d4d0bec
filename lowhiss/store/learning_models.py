"""The tables of learning: classes, what they are set, notes on people, answers to cards, a fleet's own lessons."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base, Exact
from lowhiss.store.types import UtcDateTime


class LearningClassRow(Base):
    """A trainer's class. ``licence`` is what its members want: kinds, gearbox, rules, languages."""

    __tablename__ = "learning_class"
    __table_args__ = (Index(None, "trainer_id"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    trainer_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    licence: Mapped[dict[str, Any]] = mapped_column(JSON)
    exam_on: Mapped[dt.date | None]
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class ClassMemberRow(Base):
    """Somebody in a class; one person may be in several.

    ``agreed_at``: when they, or a manager for them, agreed to it; until then their trainer sees nothing of theirs.
    """

    __tablename__ = "class_member"
    __table_args__ = (Index(None, "person_id"),)

    class_id: Mapped[str] = mapped_column(ForeignKey("learning_class.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    agreed_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)


class AssignmentRow(Base):
    """A lesson that a class, or one of its members, is to have driven by a time."""

    __tablename__ = "assignment"
    __table_args__ = (Index(None, "class_id"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    class_id: Mapped[str] = mapped_column(ForeignKey("learning_class.id"))
    person_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    lesson: Mapped[str] = mapped_column(String(40))
    due_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    made_by: Mapped[str] = mapped_column(ForeignKey("person.id"))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    void_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)


class TrainerNoteRow(Base):
    """What a trainer wrote of somebody, or decided over the rule; never changed. ``kind`` says which.

    ``private`` ones are their author's alone.
    """

    __tablename__ = "trainer_note"
    __table_args__ = (Index(None, "person_id", "at"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    practice_id: Mapped[str | None] = mapped_column(ForeignKey("practice.id"))
    by_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    kind: Mapped[str] = mapped_column(String(20))
    about: Mapped[str] = mapped_column(String(60))
    text: Mapped[str] = mapped_column(Text)
    private: Mapped[bool] = mapped_column(default=False)


class CardReviewRow(Base):
    """One answer to a card of the words, as its device wrote it; the state of a card is the fold of them."""

    __tablename__ = "card_review"
    __table_args__ = (Index(None, "person_id", "at"),)

    id: Mapped[str] = mapped_column(Exact, primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    card: Mapped[str] = mapped_column(String(160))
    rating: Mapped[int]
    level: Mapped[int]
    way: Mapped[str] = mapped_column(String(12))
    findings: Mapped[list[str]] = mapped_column(JSON)
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    took_ms: Mapped[int]
    device: Mapped[str] = mapped_column(String(80))
    seq: Mapped[int]
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class OwnLessonRow(Base):
    """A lesson of the fleet's own, as its table. A practice carries the lesson it was, so that none is kept twice."""

    __tablename__ = "own_lesson"

    id: Mapped[str] = mapped_column(Exact, primary_key=True)
    table: Mapped[dict[str, Any]] = mapped_column("lesson", JSON)
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    made_by: Mapped[str] = mapped_column(ForeignKey("person.id"))
    changed_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    void_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)


class ExaminationRow(Base):
    """What an examiner decided of a candidate, and when it was told. Never changed; the vehicle's verdict is apart."""

    __tablename__ = "examination"

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    examiner_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    told_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    passed: Mapped[bool]
    remark: Mapped[str] = mapped_column(Text)
