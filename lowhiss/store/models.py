"""The tables. The log only grows: events are never changed or deleted; what is derived from them can be rebuilt."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, CheckConstraint, Double, ForeignKey, Index, MetaData, String, Text, UniqueConstraint, text
from sqlalchemy.dialects.mysql import MEDIUMBLOB, MEDIUMTEXT
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, validates

from lowhiss.core.names import name_key
from lowhiss.store.types import Psi, UtcDateTime

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s_%(referred_table_name)s",
    "pk": "pk_%(table_name)s",
}


Exact = String(80, collation="utf8mb4_nopad_bin")
"""A name that a device made: compared byte by byte, as JSON does."""


class Base(DeclarativeBase):
    """All tables of the application."""

    metadata = MetaData(naming_convention=NAMES)


class UnitRow(Base):
    """A power unit. ``facts`` is its specification; ``version`` grows with every edit.

    ``rules`` and ``procedure`` are its own, None: as its kind's.
    ``due`` is how often it is tested, None: as the fleet is.  ``look`` is what rounds have asked of it, such as axles.
    """

    __tablename__ = "unit"
    __table_args__ = (UniqueConstraint("name"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    resolution_psi: Mapped[float] = mapped_column(Psi)
    rules: Mapped[str | None] = mapped_column(String(60))
    procedure: Mapped[str | None] = mapped_column(String(60))
    due: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    look: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    retired_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    demo: Mapped[bool] = mapped_column(default=False)


class TrailerRow(Base):
    """A trailer. ``facts`` is its specification, ``look`` what rounds have asked; ``version`` grows with every edit."""

    __tablename__ = "trailer"
    __table_args__ = (UniqueConstraint("name"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    look: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    retired_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    demo: Mapped[bool] = mapped_column(default=False)


class CouplingRow(Base):
    """A trailer behind a power unit, the first one directly; a trailer is behind one unit at most."""

    __tablename__ = "coupling"
    __table_args__ = (UniqueConstraint("trailer_id"),)

    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    trailer_id: Mapped[str] = mapped_column(ForeignKey("trailer.id"))


class PersonRow(Base):
    """Somebody who may sign in; retired, never deleted. A person without a password has yet to redeem a code.

    ``name_key`` is the canonical form of the name: whoever writes it otherwise still means the same person.
    """

    __tablename__ = "person"
    __table_args__ = (UniqueConstraint("name_key"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    name_key: Mapped[str] = mapped_column(String(320, collation="utf8mb4_bin"))
    role: Mapped[str] = mapped_column(String(20))
    language: Mapped[str] = mapped_column(String(5))
    pressure_unit: Mapped[str] = mapped_column(String(5))
    password_hash: Mapped[str | None] = mapped_column(String(200))
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    retired_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    demo: Mapped[bool] = mapped_column(default=False)

    @validates("name")
    def _names(self, _: str, name: str) -> str:
        self.name_key = name_key(name)
        return name


class SessionRow(Base):
    """A signed-in browser, known by the hash of its token."""

    __tablename__ = "session"

    token_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    began_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    used_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class PresenceRow(Base):
    """Who was signed in on which device, and until when: the only people whose marks that device can bring."""

    __tablename__ = "presence"
    __table_args__ = (Index(None, "device_hash", "person_id"), Index(None, "session_hash"))

    id: Mapped[int] = mapped_column(primary_key=True)
    device_hash: Mapped[str] = mapped_column(String(64))
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    session_hash: Mapped[str] = mapped_column(String(64))
    from_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    until_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)


class CodeRow(Base):
    """A one-time code, known by its hash: the first manager's (no person yet), an invitation or a reset."""

    __tablename__ = "code"

    code_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class FailureRow(Base):
    """One failed try at a password, code or PIN, by what is being guessed at and from where."""

    __tablename__ = "failure"
    __table_args__ = (Index(None, "what", "at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str] = mapped_column(String(64))
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class PinRow(Base):
    """A short PIN for one person on one device, valid after a full sign-in there; gone after too many wrong tries."""

    __tablename__ = "pin"

    device_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    pin_hash: Mapped[str] = mapped_column(String(200))
    tries_left: Mapped[int] = mapped_column()


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


class RunRow(Base):
    """A run: what stands beside its events.

    ``unit`` is the unit as it was assembled on the day, ``setup`` how the run is led. ``ended_by`` is the type of the
    event that ended it, ``ended_at`` when that was received. ``outcome`` and ``close_call`` are those of its verdict,
    kept here because lists are sorted by when runs began; ``stale`` says that it has grown since it was judged.
    ``recording`` is what it was found in, where nobody struck a mark; ``recorded`` that there is such a thing.
    ``sealed`` : its sheet was signed.
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

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"))
    unit: Mapped[dict[str, Any]] = mapped_column(JSON)
    rules_hash: Mapped[str] = mapped_column(ForeignKey("rule_set.hash"))
    procedure: Mapped[dict[str, Any]] = mapped_column(JSON)
    purpose: Mapped[str] = mapped_column(String(20))
    driver: Mapped[str] = mapped_column(String(80))
    setup: Mapped[dict[str, Any]] = mapped_column(JSON, server_default=text("'{}'"))
    resolution_psi: Mapped[float] = mapped_column(Psi)
    started_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    begun: Mapped[dict[str, Any]] = mapped_column(JSON)
    person_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    device_hash: Mapped[str | None] = mapped_column(String(64))
    last_seq: Mapped[int] = mapped_column(default=0)
    demo: Mapped[bool] = mapped_column(default=False)
    received_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_by: Mapped[str | None] = mapped_column(String(20))
    ended_at_s: Mapped[float | None] = mapped_column(Double)
    outcome: Mapped[str | None] = mapped_column(String(20))
    close_call: Mapped[bool] = mapped_column(default=False, server_default="0")
    stale: Mapped[bool] = mapped_column(default=True, server_default="1")
    recording: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    recorded: Mapped[bool] = mapped_column(server_default="0")
    sealed: Mapped[bool] = mapped_column(server_default="0")
    origin: Mapped[str | None] = mapped_column(String(80))
    """The installation that it was taken over from."""


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


class ClockRow(Base):
    """How one page life's monotonic clock maps to the run's time: ``at_s = mono_s + offset_s``, made once."""

    __tablename__ = "clock"

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    device: Mapped[str] = mapped_column(Exact, primary_key=True)
    epoch: Mapped[str] = mapped_column(Exact, primary_key=True)
    offset_s: Mapped[float] = mapped_column(Double)
    error_s: Mapped[float] = mapped_column(Double)


class EventRow(Base):
    """One event as it was struck, with what the server added: its place in the run, its time, when it came."""

    __tablename__ = "event"
    __table_args__ = (UniqueConstraint("run_id", "id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
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
    """Who was said to have struck it, where that could not have been."""
    after_end: Mapped[bool] = mapped_column(default=False, server_default="0")
    sent_by: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    primary_psi: Mapped[float | None] = mapped_column(Psi)
    secondary_psi: Mapped[float | None] = mapped_column(Psi)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


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


class RunTrailerRow(Base):
    """A trailer that took part in a run."""

    __tablename__ = "run_trailer"
    __table_args__ = (Index(None, "trailer_id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    trailer_id: Mapped[str] = mapped_column(ForeignKey("trailer.id"), primary_key=True)


class FailRow(Base):
    """A stage that stands failed in a run that counts for its vehicle, whether or not the run was finished."""

    __tablename__ = "fail"
    __table_args__ = (Index(None, "unit_id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    stage: Mapped[str] = mapped_column(String(30), primary_key=True)
    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"))


class PartTestRow(Base):
    """When a unit or trailer was last in a finished run that counts, and in one that passed."""

    __tablename__ = "part_test"

    part_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    tested_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    passed_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    passed_run_id: Mapped[str | None] = mapped_column(ForeignKey("run.id"))


class ActRow(Base):
    """What somebody did about a vehicle beside testing it; never changed. What stands is folded from these and runs."""

    __tablename__ = "act"
    __table_args__ = (Index(None, "part_id", "at"),)

    id: Mapped[str] = mapped_column(Exact, primary_key=True)
    type: Mapped[str] = mapped_column(String(20))
    part_kind: Mapped[str] = mapped_column(String(10))
    part_id: Mapped[str] = mapped_column(String(36))
    at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    author: Mapped[str] = mapped_column(String(80))
    author_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    claimed: Mapped[str | None] = mapped_column(String(80))
    """Who was said to have done it, where that could not have been."""
    sent_by: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    device: Mapped[str] = mapped_column(Exact)
    wall: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class PhotoFileRow(Base):
    """A photograph as it is kept, by the hash of its bytes: re-encoded here, without anything but the picture."""

    __tablename__ = "photo_file"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    jpeg: Mapped[bytes] = mapped_column(MEDIUMBLOB)


class PhotoRow(Base):
    """A photograph that belongs to an act."""

    __tablename__ = "photo"
    __table_args__ = (Index(None, "act_id"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    act_id: Mapped[str] = mapped_column(ForeignKey("act.id"))
    hash: Mapped[str] = mapped_column(ForeignKey("photo_file.hash"))
    sent_by: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class HoldRow(Base):
    """A hold as it was folded last, of a unit's stage or placed by hand; can be folded again at any time.

    ``owner_id`` is the unit that failed, or the part that it was placed on; ``body`` is the whole hold.
    """

    __tablename__ = "hold"
    __table_args__ = (Index(None, "owner_id"), Index(None, "lifted_at", "opened_at"))

    id: Mapped[str] = mapped_column(Exact, primary_key=True)
    owner_kind: Mapped[str] = mapped_column(String(10))
    owner_id: Mapped[str] = mapped_column(String(36))
    stage: Mapped[str | None] = mapped_column(String(30))
    opened_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    lifted_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class HoldPartRow(Base):
    """A part that a hold accuses or has accused, and whether it still holds it."""

    __tablename__ = "hold_part"
    __table_args__ = (Index(None, "part_id", "held"),)

    hold_id: Mapped[str] = mapped_column(ForeignKey("hold.id", ondelete="CASCADE"), primary_key=True)
    part_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    part_kind: Mapped[str] = mapped_column(String(10))
    held: Mapped[bool] = mapped_column()


class OpenDefectRow(Base):
    """A part with defects that are not closed, as they were folded last; parts without are not here."""

    __tablename__ = "open_defect"

    part_id: Mapped[str] = mapped_column(String(36), primary_key=True)
    part_kind: Mapped[str] = mapped_column(String(10))
    body: Mapped[list[dict[str, Any]]] = mapped_column(JSON)


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


class ReadTokenRow(Base):
    """A token by which another system may read one thing of this fleet, until it is voided."""

    __tablename__ = "read_token"
    __table_args__ = (UniqueConstraint("token_hash"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    token_hash: Mapped[str] = mapped_column(String(64))
    reads: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(80))
    made_by: Mapped[str] = mapped_column(String(80))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class SettingRow(Base):
    """A fact about this installation, such as whose data it holds."""

    __tablename__ = "setting"

    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[str] = mapped_column(Text)


class PracticeRow(Base):
    """A practice on the simulated vehicle, kept apart from every unit: it says nothing of any.

    ``record`` is the open record it can be driven again from; ``after`` what its device found when it was over.
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
    """What somebody's progress hangs on, once it is over."""


class PracticeTrainerRow(Base):
    """Who joined a practice by its code, to see the truth and set the vehicle."""

    __tablename__ = "practice_trainer"

    practice_id: Mapped[str] = mapped_column(ForeignKey("practice.id"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"), primary_key=True)
    joined_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
