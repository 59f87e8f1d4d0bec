"""The tables that runs are found by."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import Double, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import VARCHAR
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


class RunFactRow(Base):
    """One number that an ended run measured, or, without a value, one finding. ``started_at`` is its run's."""

    __tablename__ = "run_fact"
    __table_args__ = (Index(None, "what", "started_at", "run_id", "value"), Index(None, "what", "value"))

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    what: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[float | None] = mapped_column(Double)
    started_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class RunPersonRow(Base):
    """Somebody who had a part in a run, by the canonical form of their name. ``started_at`` is its run's."""

    __tablename__ = "run_person"
    __table_args__ = (Index(None, "name_key", "started_at", "run_id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    name_key: Mapped[str] = mapped_column(String(320, collation="utf8mb4_bin"), primary_key=True)
    started_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class LogViewRow(Base):
    """A list of the log that somebody keeps for themselves: its filters and columns as they stand in an address."""

    __tablename__ = "log_view"
    __table_args__ = (UniqueConstraint("person_id", "name"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(VARCHAR(60, collation="utf8mb4_nopad_bin"))
    query: Mapped[str] = mapped_column(String(1000))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
