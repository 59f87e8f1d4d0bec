"""Bringing the tables of an installation up to date: copied first, and put back when the change was cut off midway.

MariaDB's schema changes cannot be rolled back. A note beside the copy says that a change is under way; whoever finds
it at the next start puts the copy back and begins again.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import Engine, text

from lowhiss.database.dump import dump, restore
from lowhiss.database.server import DatabaseError
from lowhiss.service.fleet.results import fold_all
from lowhiss.store.engine import Store, current_revision, head_revision, migrate

NOTE = "upgrade-under-way"
_SAVED_COPIES = 5


def upgrade(engine: Engine, url: str, copies: Path, say: Callable[[str], None]) -> None:
    """Bring the tables at ``url`` to the newest revision; copies go below ``copies``.

    Raises StoreError, DatabaseError.
    """
    note = copies / NOTE
    if note.exists():
        name, _, before = note.read_text(encoding="utf-8").strip().partition("\n")
        say("An update of the tables was interrupted: restoring the backup made before it")
        engine.dispose()
        try:
            restore(url, copies / name)
        except DatabaseError as error:
            if not before:
                raise DatabaseError(
                    f"{error} The backup {copies / name} can't be loaded. Move the file {note} away and run "
                    "lowhiss restore with another backup."
                ) from error
            say(f"That backup can't be loaded ({error}): restoring the previous data")
            restore(url, copies / before)
        note.unlink()
    current = current_revision(engine)
    if current == head_revision():
        return
    if current is None:
        migrate(engine)
        return
    stamp = dt.datetime.now(dt.UTC).strftime("%Y%m%dT%H%M%SZ")
    copy = copies / f"before-{head_revision()}-{stamp}.sql"
    say(f"Backing up the data before the tables are updated: {copy}")
    dump(url, copy)
    note.write_text(copy.name, encoding="utf-8")
    migrate(engine)
    _settle(engine)
    note.unlink()
    for old in sorted(copies.glob("before-*.sql"))[:-_SAVED_COPIES]:
        old.unlink()


def _settle(engine: Engine) -> None:
    """What is folded from the log is folded anew: the core that is here may see more in it than the one before."""
    with Store(engine).transaction() as session:
        session.execute(text("SET SESSION max_statement_time=0"))
        fold_all(session)
