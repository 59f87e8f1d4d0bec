"""Practices on the simulated vehicle."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


class PracticeRow(Base):
    """A practice on the simulated vehicle, kept apart from every unit: it says nothing of any.

    ``record`` is the open record it can be driven again from; ``after`` what was found when it was over: by its
    device at first, then by the server, which drives it again.
    """

    __tablename__ = "practice"
    __table_args__ = (Index(None, "person_id", "began_at"), Index(None, "began_at"), UniqueConstraint("code_hash"))

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    title: Mapped[str] = mapped_column(String(80))
    began_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    ticks: Mapped[int]
    ended: Mapped[bool] = mapped_column(default=False)
    core: Mapped[str] = mapped_column(String(64))
    outcome: Mapped[str | None] = mapped_column(String(20))
    faulty: Mapped[bool | None]
    record: Mapped[dict[str, Any]] = mapped_column(JSON)
    after: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    code_hash: Mapped[str | None] = mapped_column(String(64))
    code_made_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    summary: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """What somebody's progress hangs on, once it is over and was driven again."""
    driven_again: Mapped[bool | None]
    """Whether the server could drive it again from its log, so that it counts; null until it has tried."""


class PracticeTrainerRow(Base):
    """Who joined a practice by its code, to see the truth and set the vehicle."""

    __tablename__ = "practice_trainer"

    practice_id: Mapped[str] = mapped_column(ForeignKey("practice.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
