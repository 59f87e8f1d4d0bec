"""Rounds, and the papers that they ask for."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, CheckConstraint, Double, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base, Exact
from lowhiss.store.types import UtcDateTime


class RoundRow(Base):
    """A round: what stands beside its marks.

    ``unit`` is the set as it was assembled on the day, ``known`` the defects that were known then. ``figures`` is what
    lists show of it; ``defects`` the acts that reported what was not right, by item and place.
    """

    __tablename__ = "round"
    __table_args__ = (
        Index(None, "unit_id", "started_at"),
        Index(None, "ended_at", "started_at"),
        Index(None, "run_id"),
        CheckConstraint("last_seq >= 0", "last_seq_not_negative"),
    )

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
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
    started_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    begun: Mapped[dict[str, Any]] = mapped_column(JSON)
    person_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    device_hash: Mapped[str | None] = mapped_column(String(64))
    last_seq: Mapped[int] = mapped_column(default=0)
    received_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_by: Mapped[str | None] = mapped_column(String(20))
    figures: Mapped[dict[str, Any]] = mapped_column(JSON)
    defects: Mapped[dict[str, Any]] = mapped_column(JSON)
    demo: Mapped[bool] = mapped_column(default=False)


class RoundMarkRow(Base):
    """One mark of a round as it was made; never changed."""

    __tablename__ = "round_mark"
    __table_args__ = (UniqueConstraint("round_id", "id"),)

    round_id: Mapped[str] = mapped_column(ForeignKey("round.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    id: Mapped[str] = mapped_column(Exact)
    type: Mapped[str] = mapped_column(String(20))
    device: Mapped[str] = mapped_column(Exact)
    epoch: Mapped[str] = mapped_column(Exact)
    device_seq: Mapped[int] = mapped_column()
    mono_s: Mapped[float] = mapped_column(Double)
    wall: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    at_s: Mapped[float] = mapped_column(Double)
    author: Mapped[str] = mapped_column(String(80))
    author_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    claimed: Mapped[str | None] = mapped_column(String(80))
    """Who was said to have made it, where that could not have been."""
    after_end: Mapped[bool] = mapped_column(default=False)
    sent_by: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    proof: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Its author's signature over it, by a key of their session; None for what was sent in the author's own."""
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class RoundMemberRow(Base):
    """Somebody who helps in a round, having joined by its code."""

    __tablename__ = "round_member"

    round_id: Mapped[str] = mapped_column(ForeignKey("round.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class RoundCodeRow(Base):
    """The short-lived code by which a helper joins a round; a round has one at a time."""

    __tablename__ = "round_code"
    __table_args__ = (UniqueConstraint("code_hash"),)

    round_id: Mapped[str] = mapped_column(ForeignKey("round.id"), primary_key=True)
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
