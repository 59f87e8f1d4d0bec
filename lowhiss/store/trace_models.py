"""The tables of recordings."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import JSON, Double, ForeignKey, Index, String
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Base
from lowhiss.store.types import UtcDateTime


class RecordingRow(Base):
    """A recording by the hash of the file it came from. ``samples``: its arrays, thinned to ten a second, compressed.

    ``columns`` : what each of the file's was taken for. ``began_at`` : when, where its times say so. ``sessions`` : how
    many tests were found in it. ``run_id`` : the run whose own live feed it is. The file itself is not kept.
    """

    __tablename__ = "recording"
    __table_args__ = (Index(None, "sent_at"),)

    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    format: Mapped[str] = mapped_column(String(10))
    columns: Mapped[dict[str, str]] = mapped_column(JSON)
    samples: Mapped[bytes] = mapped_column(MEDIUMBLOB)
    sent_by: Mapped[str] = mapped_column(ForeignKey("person.id"))
    sent_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    began_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    sessions: Mapped[int] = mapped_column(default=1, server_default="1")
    run_id: Mapped[str | None] = mapped_column(ForeignKey("run.id"))


class RecordingPartRow(Base):
    """What a stretch of a recording became: a run, or, without one, no test."""

    __tablename__ = "recording_part"

    sha256: Mapped[str] = mapped_column(ForeignKey("recording.sha256"), primary_key=True)
    from_s: Mapped[float] = mapped_column(Double, primary_key=True)
    to_s: Mapped[float] = mapped_column(Double)
    run_id: Mapped[str | None] = mapped_column(ForeignKey("run.id"))
    said_by: Mapped[str] = mapped_column(ForeignKey("person.id"))
    said_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
