"""How far logs have come, of any kind. Each public function is one transaction."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection

from sqlalchemy import select

from lowhiss.service.marks.kinds import KINDS, not_found
from lowhiss.store.engine import Store

LogName = tuple[str, str]
"""A log: the id of its kind, and its own."""


def how_far(store: Store, log: LogName) -> tuple[int, dt.datetime]:
    """A log's last sequence number, and when it began. Raises NotFoundError."""
    kind = KINDS[log[0]]
    with store.transaction() as session:
        row = session.get(kind.logs, log[1])
        if row is None:
            raise not_found(kind)
        return row.last_seq, row.started_at


def last_seqs(store: Store, logs: Collection[LogName]) -> dict[LogName, int]:
    """The last sequence number of each of these logs; one that does not exist is left out."""
    found: dict[LogName, int] = {}
    with store.transaction() as session:
        for kind in KINDS.values():
            if ids := [log_id for kind_id, log_id in logs if kind_id == kind.id]:
                query = select(kind.logs.id, kind.logs.last_seq).where(kind.logs.id.in_(ids))
                found |= {(kind.id, row.id): row.last_seq for row in session.execute(query)}
    return found
