"""When the last copy of everything was made, for whoever must know that there is one."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import dataclass

from lowhiss.store.engine import Store
from lowhiss.store.installation_models import SettingRow

_STATE = "backup"
EVERY = dt.timedelta(days=1)
LATE_AFTER = dt.timedelta(days=2)
"""The last good copy is that old at most, or the yard says so."""


@dataclass(frozen=True, slots=True)
class Copies:
    """at : when the last good one was made.  file : its name.  tried_at : when one was tried last.

    why : why the last try came to nothing; empty where it did not.
    """

    at: dt.datetime | None = None
    file: str = ""
    why: str = ""
    tried_at: dt.datetime | None = None

    def late(self, now: dt.datetime) -> bool:
        """Whether there is no copy as young as there should be."""
        last = self.at or self.tried_at
        return last is not None and (now - last > LATE_AFTER or (self.at is None and self.why != ""))


def copies_of(store: Store) -> Copies:
    """What is known of the copies."""
    with store.transaction() as session:
        row = session.get(SettingRow, _STATE)
    kept = json.loads(row.value) if row is not None else {}
    moments = {name: dt.datetime.fromisoformat(kept[name]) for name in ("at", "tried_at") if kept.get(name)}
    return Copies(**moments, file=kept.get("file", ""), why=kept.get("why", ""))


def save_copies(store: Store, copies: Copies) -> None:
    """Keep what became of the last try."""
    told = {
        "at": copies.at and copies.at.isoformat(),
        "tried_at": copies.tried_at and copies.tried_at.isoformat(),
        "file": copies.file,
        "why": copies.why,
    }
    with store.transaction() as session:
        session.merge(SettingRow(name=_STATE, value=json.dumps(told)))
