"""People, how they come in, and what they may read."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, validates

from lowhiss.core.names import name_key
from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


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


class PresenceKeyRow(Base):
    """The public half (hex) of a key that a browser made for one session; it signs marks while the session lasts."""

    __tablename__ = "presence_key"

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    presence_id: Mapped[int] = mapped_column(ForeignKey("presence.id"))
    public: Mapped[str] = mapped_column(String(130))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


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
