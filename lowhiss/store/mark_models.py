"""The columns that every kind of log has: of its head, its marks and its clocks."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, Double, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from lowhiss.store.base import Exact
from lowhiss.store.types import UtcDateTime


class LogColumns:
    """What stands beside the marks of a log.

    ``begun``: device, page life and clock of its beginning. ``ended_by``: the type of the mark that ended it,
    ``ended_at`` when that was received.
    """

    id: Mapped[str] = mapped_column(String(36), primary_key=True, sort_order=-1)
    started_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)
    begun: Mapped[dict[str, Any]] = mapped_column(JSON)
    person_id: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    device_hash: Mapped[str | None] = mapped_column(String(64))
    last_seq: Mapped[int] = mapped_column(default=0)
    demo: Mapped[bool] = mapped_column(default=False)
    received_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_at: Mapped[dt.datetime | None] = mapped_column(UtcDateTime)
    ended_by: Mapped[str | None] = mapped_column(String(20))


class MarkColumns:
    """A mark as its device made it, with what the server added: its place in the log, its time, when it came.

    ``claimed``: who was said to have made it, where nothing shows that it was them. ``proof``: its author's signature
    over it by a key of their session; None for what was sent in the author's own.
    """

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
    after_end: Mapped[bool] = mapped_column(default=False, server_default="0")
    sent_by: Mapped[str | None] = mapped_column(ForeignKey("person.id"))
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    proof: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    received_at: Mapped[dt.datetime] = mapped_column(UtcDateTime)


class ClockColumns:
    """How one page life's monotonic clock maps to the log's time: ``at_s = mono_s + offset_s``, made once."""

    device: Mapped[str] = mapped_column(Exact, primary_key=True)
    epoch: Mapped[str] = mapped_column(Exact, primary_key=True)
    offset_s: Mapped[float] = mapped_column(Double)
    error_s: Mapped[float] = mapped_column(Double)
