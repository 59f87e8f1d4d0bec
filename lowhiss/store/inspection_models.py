"""Inspections, and the papers that they ask for."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, CheckConstraint, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.mark_models import ClockColumns, LogColumns, MarkColumns
from lowhiss.store.types import UtcDateTime


class InspectionRow(LogColumns, Base):
    """An inspection: what stands beside its marks.

    ``unit`` is the set as it was assembled on the day, ``known`` the defects that were known then. ``figures`` is what
    lists show of it; ``defects`` the acts that reported what was not right, by item and place.
    """

    __tablename__ = "inspection"
    __table_args__ = (
        Index(None, "unit_id", "started_at"),
        Index(None, "ended_at", "started_at"),
        Index(None, "run_id"),
        CheckConstraint("last_seq >= 0", "last_seq_not_negative"),
    )

    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"))
    unit: Mapped[dict[str, Any]] = mapped_column(JSON)
    run_id: Mapped[str | None] = mapped_column(String(36))
    rules: Mapped[str] = mapped_column(String(60))
    rules_hash: Mapped[str | None] = mapped_column(ForeignKey("rule_set.hash"))
    """Of a fleet's own set: which version."""
    way: Mapped[str] = mapped_column(String(60))
    mirrored: Mapped[bool] = mapped_column(default=False)
    purpose: Mapped[str] = mapped_column(String(20))
    driver: Mapped[str] = mapped_column(String(80))
    known: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    figures: Mapped[dict[str, Any]] = mapped_column(JSON)
    defects: Mapped[dict[str, Any]] = mapped_column(JSON)


class InspectionMarkRow(MarkColumns, Base):
    """One mark of an inspection; never changed."""

    __tablename__ = "inspection_mark"
    __table_args__ = (UniqueConstraint("inspection_id", "id"),)

    inspection_id: Mapped[str] = mapped_column(ForeignKey("inspection.id"), primary_key=True, sort_order=-1)


class InspectionClockRow(ClockColumns, Base):
    """A page life of a device in an inspection."""

    __tablename__ = "inspection_clock"

    inspection_id: Mapped[str] = mapped_column(ForeignKey("inspection.id"), primary_key=True, sort_order=-1)


class InspectionMemberRow(Base):
    """Somebody who helps in an inspection, having joined by its code."""

    __tablename__ = "inspection_member"

    inspection_id: Mapped[str] = mapped_column(ForeignKey("inspection.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class InspectionCodeRow(Base):
    """The short-lived code by which a helper joins an inspection; an inspection has one at a time."""

    __tablename__ = "inspection_code"
    __table_args__ = (UniqueConstraint("code_hash"),)

    inspection_id: Mapped[str] = mapped_column(ForeignKey("inspection.id"), primary_key=True)
    code_hash: Mapped[str] = mapped_column(String(64))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class PaperRow(Base):
    """A paper of a unit, trailer or person: until when it is good and its number, as somebody entered it last."""

    __tablename__ = "paper"
    __table_args__ = (Index(None, "until"),)

    holder_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    paper: Mapped[str] = mapped_column(String(40), primary_key=True)
    holder_kind: Mapped[str] = mapped_column(String(10))
    until: Mapped[dt.date | None] = mapped_column()
    number: Mapped[str] = mapped_column(String(60))
    by_name: Mapped[str] = mapped_column(String(80))
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
