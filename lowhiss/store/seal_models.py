"""The tables of seals."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import Boolean, ForeignKey, Index, String
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


class SealRow(Base):
    """One seal of the installation's chain; never changed. ``document`` is its text, verbatim as sealed."""

    __tablename__ = "seal"
    __table_args__ = (Index(None, "run_id"), Index(None, "sha256"))

    place: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    run_id: Mapped[str | None] = mapped_column(ForeignKey("run.id"))
    document: Mapped[str] = mapped_column(MEDIUMTEXT(collation="utf8mb4_nopad_bin"))
    sha256: Mapped[str] = mapped_column(String(64))
    key_id: Mapped[str] = mapped_column(ForeignKey("seal_key.id"))
    signature: Mapped[str] = mapped_column(String(128))
    sealed_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class SealKeyRow(Base):
    """A public key that signed seals. ``lost``: the one before it was not there to sign for it."""

    __tablename__ = "seal_key"

    id: Mapped[str] = mapped_column(String(16), primary_key=True)
    public: Mapped[str] = mapped_column(String(64))
    made_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    lost: Mapped[bool] = mapped_column(Boolean, default=False, server_default="0")


class SignatureRow(Base):
    """Who signed a report, in which part and how; never changed. ``signed_at``: by their device's clock."""

    __tablename__ = "signature"
    __table_args__ = (Index(None, "run_id"),)

    id: Mapped[str] = mapped_column(String(36), primary_key=True)
    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"))
    person_id: Mapped[str] = mapped_column(ForeignKey("person.id"))
    name: Mapped[str] = mapped_column(String(80))
    role: Mapped[str] = mapped_column(String(20))
    part: Mapped[str] = mapped_column(String(10))
    how: Mapped[str] = mapped_column(String(10))
    signed_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    last_seq: Mapped[int] = mapped_column()
