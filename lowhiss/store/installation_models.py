"""What belongs to the installation: its history, its own rules, long work, settings."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


class ChangeRow(Base):
    """The history of units, trailers and people: what was changed, by whom, when."""

    __tablename__ = "change"
    __table_args__ = (Index(None, "subject_id", "at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(String(20))
    subject_id: Mapped[str] = mapped_column(String(36))
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    by_name: Mapped[str] = mapped_column(String(80))
    what: Mapped[dict[str, Any]] = mapped_column(JSON)


class RuleSetRow(Base):
    """A rule set that judged something, kept whole by the hash of its content."""

    __tablename__ = "rule_set"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    content: Mapped[dict[str, Any]] = mapped_column(JSON)
    kept_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class EditionRow(Base):
    """One version of a fleet's own rule set or order of work; a published one is never changed, only retired.

    ``kind`` is ``rules`` or ``procedure``. ``written`` is what somebody wrote; ``whole`` the same with all that it
    takes from its parent, kept when it is published, with its ``hash``.
    """

    __tablename__ = "edition"
    __table_args__ = (Index(None, "hash"),)

    kind: Mapped[str] = mapped_column(String(10), primary_key=True)
    name: Mapped[str] = mapped_column(String(60, collation="utf8mb4_nopad_bin"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    state: Mapped[str] = mapped_column(String(10))
    written: Mapped[dict[str, Any]] = mapped_column(JSON)
    whole: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    hash: Mapped[str | None] = mapped_column(String(64))
    effective_from: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    drafted_by: Mapped[str] = mapped_column(String(80))
    drafted_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    published_by: Mapped[str | None] = mapped_column(String(80))
    published_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    retired_by: Mapped[str | None] = mapped_column(String(80))
    retired_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    revision: Mapped[int] = mapped_column(default=1, server_default="1")


class JobRow(Base):
    """Long work that somebody asked for: what was asked, how far it is, and what came of it.

    ``seen_at`` is when a process last worked on it; one that stopped is taken up again from ``done``. ``place``: where
    its files lie; only who sees that place works on it.
    """

    __tablename__ = "job"
    __table_args__ = (Index(None, "state"), Index(None, "asked_at"))

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    state: Mapped[str] = mapped_column(String(10))
    asked: Mapped[dict[str, Any]] = mapped_column(JSON)
    asked_by: Mapped[str] = mapped_column(String(80))
    asked_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    total: Mapped[int] = mapped_column()
    done: Mapped[int] = mapped_column(default=0)
    cursor: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    summary: Mapped[dict[str, Any]] = mapped_column(JSON)
    worker: Mapped[str | None] = mapped_column(String(36))
    seen_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    why: Mapped[str] = mapped_column(String(300), default="")
    place: Mapped[str | None] = mapped_column(String(36))


class JobLineRow(Base):
    """One line of what came of a job, in the order in which it was found."""

    __tablename__ = "job_line"

    job_id: Mapped[str] = mapped_column(ForeignKey("job.id", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class SettingRow(Base):
    """A fact about this installation, such as whose data it holds."""

    __tablename__ = "setting"

    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[str] = mapped_column(Text)
