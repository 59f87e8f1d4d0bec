"""The table of recordings."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import JSON, ForeignKey, Index, String
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.models import Base
from lowhiss.store.types import UtcDateTime


class RecordingRow(Base):
    """A recording by the hash of the file it came from. ``samples``: its arrays, thinned to ten a second, compressed.

    ``columns`` : what each of the file's was taken for. The file itself is not kept.
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
