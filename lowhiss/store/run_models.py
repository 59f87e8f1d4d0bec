"""Runs: their heads, events, feeds and verdicts. Events are only added, never changed or deleted."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, CheckConstraint, Double, ForeignKey, Index, String, UniqueConstraint, text
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.mark_models import ClockColumns, LogColumns, MarkColumns
from lowhiss.store.types import Psi, UtcDateTime


class RunRow(LogColumns, Base):
    """A run: what stands beside its events.

    ``unit`` is the unit as it was assembled on the day, ``setup`` how the run is led. ``ended_by`` is the type of the
    event that ended it, ``ended_at`` when that was received. ``outcome`` and ``close_call`` are those of its verdict,
    kept here because lists are sorted by when runs began; ``stale`` says that it has grown since it was judged.
    ``recording`` is what it was found in, where nobody made a mark; ``recorded`` that there is such a thing.
    ``sealed`` : its report was signed.
    """

    __tablename__ = "run"
    __table_args__ = (
        Index(None, "started_at"),
        Index(None, "unit_id", "started_at"),
        Index(None, "driver", "started_at"),
        Index(None, "outcome", "started_at"),
        Index(None, "close_call", "started_at"),
        Index(None, "ended_at", "started_at"),
        Index(None, "recorded", "started_at"),
        Index(None, "sealed", "started_at"),
        Index(None, "purpose", "started_at"),
        Index(None, "rules_hash", "started_at"),
        Index(None, "stale"),
        CheckConstraint("last_seq >= 0", "last_seq_not_negative"),
    )

    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"))
    unit: Mapped[dict[str, Any]] = mapped_column(JSON)
    rules_hash: Mapped[str] = mapped_column(ForeignKey("rule_set.hash"))
    procedure: Mapped[dict[str, Any]] = mapped_column(JSON)
    purpose: Mapped[str] = mapped_column(String(20))
    driver: Mapped[str] = mapped_column(String(80))
    setup: Mapped[dict[str, Any]] = mapped_column(JSON, server_default=text("'{}'"))
    resolution_psi: Mapped[float] = mapped_column(Psi)
    ended_at_s: Mapped[float | None] = mapped_column(Double)
    outcome: Mapped[str | None] = mapped_column(String(20))
    close_call: Mapped[bool] = mapped_column(default=False, server_default="0")
    stale: Mapped[bool] = mapped_column(default=True, server_default="1")
    recording: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    recorded: Mapped[bool] = mapped_column(server_default="0")
    sealed: Mapped[bool] = mapped_column(server_default="0")
    origin: Mapped[str | None] = mapped_column(String(80))
    """The installation that it was imported from."""
    imported: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Who imported it, and when."""
    decision: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """What a manager decided of an imported run: ``accept``, ``by``, ``at``, ``reason``."""


class JoinCodeRow(Base):
    """The short-lived code by which a second person joins a run; a run has one at a time."""

    __tablename__ = "join_code"
    __table_args__ = (UniqueConstraint("code_hash"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    code_hash: Mapped[str] = mapped_column(String(64))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class MemberRow(Base):
    """Somebody who joined a run, and the part they take in it: ``watch`` or ``lead``."""

    __tablename__ = "member"

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    part: Mapped[str] = mapped_column(String(10))
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class FeedTokenRow(Base):
    """The token by which a sender feeds one unit's pressures; a unit has one at a time."""

    __tablename__ = "feed_token"
    __table_args__ = (UniqueConstraint("token_hash"),)

    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"), primary_key=True)
    token_hash: Mapped[str] = mapped_column(String(64))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class TracePartRow(Base):
    """Some seconds of a live feed, kept with the run that was under way; ``frames`` are JSON lines as they came."""

    __tablename__ = "trace_part"
    __table_args__ = (Index(None, "run_id", "began_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"))
    began_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    frames: Mapped[str] = mapped_column(MEDIUMTEXT)


class ClockRow(ClockColumns, Base):
    """A page life of a device in a run."""

    __tablename__ = "clock"

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True, sort_order=-1)


class EventRow(MarkColumns, Base):
    """One mark of a run; ``primary_psi`` and ``secondary_psi`` are the needles in it, for lists and charts."""

    __tablename__ = "event"
    __table_args__ = (UniqueConstraint("run_id", "id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True, sort_order=-1)
    primary_psi: Mapped[float | None] = mapped_column(Psi)
    secondary_psi: Mapped[float | None] = mapped_column(Psi)


class VerdictRow(Base):
    """A verdict worked out before: while its run goes on, good as long as run, rules and core are the ones named here.

    That of an ended run is kept: ``at_end`` is what it said when the end was received. A newer core that judges the
    same marks otherwise is kept beside it as ``differs``, until somebody has looked (``looked``).
    """

    __tablename__ = "verdict"
    __table_args__ = (Index(None, "core_version"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    rules_hash: Mapped[str] = mapped_column(ForeignKey("rule_set.hash"), primary_key=True)
    last_seq: Mapped[int] = mapped_column()
    core_version: Mapped[str] = mapped_column(String(20))
    overall: Mapped[str] = mapped_column(String(20))
    outcome: Mapped[str] = mapped_column(String(20))
    close_call: Mapped[bool] = mapped_column()
    figures: Mapped[dict[str, Any]] = mapped_column(JSON)
    at_end: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    differs: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    looked: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
