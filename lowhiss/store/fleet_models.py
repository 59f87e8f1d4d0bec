"""Units, trailers, what couples them, and how they stand: acts, holds, defects, photographs."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base, Exact
from lowhiss.store.types import Psi, UtcDateTime


class UnitRow(Base):
    """A power unit. ``facts`` is its specification; ``version`` grows with every edit.

    ``rules`` and ``procedure`` are its own, None: as its kind's.
    ``due`` is how often it is tested, None: as the fleet is.  ``look`` is what inspections asked of it, such as axles.
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
    """A trailer. ``facts`` is its specification, ``look`` what inspections asked; ``version`` grows with every edit."""

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


class RunTrailerRow(Base):
    """A trailer that took part in a run."""

    __tablename__ = "run_trailer"
    __table_args__ = (Index(None, "trailer_id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    trailer_id: Mapped[str] = mapped_column(ForeignKey("trailer.id"), primary_key=True)


class FailRow(Base):
    """A stage that stands failed in a run that counts for its vehicle, whether or not the run was finished.

    Once it was kept it was shown to somebody: it stays, with the figures that were shown. ``contested`` says whose mark
    made it vanish, when and of which type.
    """

    __tablename__ = "fail"
    __table_args__ = (Index(None, "unit_id"),)

    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    stage: Mapped[str] = mapped_column(String(30), primary_key=True)
    unit_id: Mapped[str] = mapped_column(ForeignKey("unit.id"))
    attempt: Mapped[int] = mapped_column(server_default="1")
    figures: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    contested: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))


class PartTestRow(Base):
    """When a unit or trailer was last in a finished run that counts, and in one that passed whole by its own rules."""

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
    proof: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Its author's signature over it, by a key of their session; None for what was sent in the author's own."""
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
