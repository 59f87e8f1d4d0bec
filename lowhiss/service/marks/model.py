"""A mark on its way from a device, what became of a batch of them, and how one reads back."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field
from typing import Any

from lowhiss.core.names import name_key
from lowhiss.core.rules import canonical_json
from lowhiss.engine.clocks import Instant
from lowhiss.service.people.proofs import Proof, signed_text
from lowhiss.store.mark_models import MarkColumns

SERVER_FIELDS = frozenset({"at_s", "id", "seq", "after_end", "sent_by", "received", "by", "device"})
"""What the server adds to the fields of a mark; a device cannot send it."""


@dataclass(frozen=True, slots=True)
class SentMark:
    """One mark as a device sends it: its identity and clocks, and ``body``, the fields of its type.

    proof : its author's signature, made with the mark.
    """

    id: str
    seq: int
    at: Instant
    author: str
    body: dict[str, Any]
    proof: Proof | None = None

    def signed(self, log_id: str) -> bytes:
        """The bytes that its author signed, in this log. Raises ValueError for a body that has no canonical form."""
        return signed_text(log_id, self.id, self.at, self.author, self.body)


@dataclass(frozen=True, slots=True)
class SetAside:
    """A mark that could not be kept, and why."""

    id: str
    code: str
    sentence: str


@dataclass(slots=True)
class Received:
    """The result of a batch: each mark's sequence number within its log, or why it was set aside."""

    last_seq: int = 0
    accepted: dict[str, int] = field(default_factory=dict)
    set_aside: list[SetAside] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class SavedMark:
    """A mark with its place in its log; ``body`` holds the fields of its type as they were sent."""

    seq: int
    at_s: float
    id: str
    at: Instant
    device_seq: int
    author: str
    body: dict[str, Any]
    received_at: dt.datetime
    sent_by: str = ""
    after_end: bool = False
    claimed: str | None = None


def saved_mark(row: MarkColumns, sent_by: str = "") -> SavedMark:
    """A mark from its row. sent_by : the name of its sender."""
    return SavedMark(
        seq=row.seq,
        at_s=row.at_s,
        id=row.id,
        at=Instant(row.device, row.epoch, row.mono_s, row.wall),
        device_seq=row.device_seq,
        author=row.author,
        body=row.body,
        received_at=row.received_at,
        sent_by=sent_by,
        after_end=row.after_end,
        claimed=row.claimed,
    )


def is_same(row: MarkColumns, mark: SentMark) -> bool:
    """Whether a mark that is sent again is the one already kept; what the server added does not count."""
    return (
        row.device == mark.at.device
        and row.epoch == mark.at.epoch
        and row.device_seq == mark.seq
        and row.mono_s == mark.at.mono_s
        and row.wall == mark.at.wall
        and name_key(mark.author) in ("", name_key(row.author), name_key(row.claimed or ""))
        and canonical_json(row.body) == canonical_json(mark.body)
    )
