"""How the fleet stands for other systems: as CSV and iCalendar, and the tokens by which they may read it."""

from __future__ import annotations

import datetime as dt
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from sqlalchemy import select

from lowhiss.core.words import Words
from lowhiss.exchange.status_files import LastDay, StatusLine, due_calendar, status_csv
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.fleet.unit_status import UnitStatus, get_calendar, statuses
from lowhiss.service.people import secrets
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.people_models import ReadTokenRow

Reads = Literal["status", "calendar"]
"""What a token lets somebody read: how every unit stands, or when each is due."""
_MAX_TOKENS = 50


@dataclass(frozen=True, slots=True)
class ReadToken:
    """A token without its secret."""

    id: str
    reads: Reads
    name: str
    made_by: str
    made_at: dt.datetime


def make_read_token(store: Store, by: Person, reads: Reads, name: str) -> str:
    """A token for another system; its secret is told once. Raises RefusedError for a nameless one or too many."""
    if not name.strip():
        raise RefusedError("name_missing", "name: enter a name for the user of this token.", "name")
    token = secrets.new_token()
    with store.transaction() as session:
        if len(session.scalars(select(ReadTokenRow.id)).all()) >= _MAX_TOKENS:
            raise RefusedError("too_many_tokens", f"There are already {_MAX_TOKENS} tokens. Revoke one first.", "name")
        row = ReadTokenRow(
            id=str(uuid.uuid4()),
            token_hash=secrets.token_hash(token),
            reads=reads,
            name=name.strip(),
            made_by=by.name,
            made_at=dt.datetime.now(dt.UTC),
        )
        session.add(row)
    return token


def read_tokens(store: Store) -> list[ReadToken]:
    """Every token that is good, the oldest first."""
    with store.transaction() as session:
        rows = session.scalars(select(ReadTokenRow).order_by(ReadTokenRow.made_at, ReadTokenRow.id)).all()
    known = {str(one): one for one in get_args(Reads)}
    return [ReadToken(row.id, known[row.reads], row.name, row.made_by, row.made_at) for row in rows]


def void_read_token(store: Store, token_id: str) -> None:
    """Nobody reads by this token any more. Raises NotFoundError."""
    with store.transaction() as session:
        row = session.get(ReadTokenRow, token_id)
        if row is None:
            raise NotFoundError(
                "token_unknown", "This token doesn't exist. It may already have been revoked.", "token_id"
            )
        session.delete(row)


def may_read(store: Store, token: str, reads: Reads) -> bool:
    """Whether a token is good for reading this."""
    with store.transaction() as session:
        kept = select(ReadTokenRow.reads).where(ReadTokenRow.token_hash == secrets.token_hash(token))
        return session.scalar(kept) == reads


def as_csv(store: Store, words: Words, now: dt.datetime) -> str:
    """How every unit in use stands, as CSV."""
    return status_csv(_lines(statuses(store, words, now)), get_calendar(store).zone)


def as_calendar(store: Store, words: Words, now: dt.datetime, papers: Sequence[LastDay] = ()) -> bytes:
    """When each unit in use is due, and the last day of each paper, as iCalendar."""
    lines = _lines(statuses(store, words, now))
    return due_calendar(lines, get_calendar(store).zone, words.due_title(), now, papers)


def _lines(found: list[UnitStatus]) -> list[StatusLine]:
    return [StatusLine(one.unit_id, one.name, one.text, one.stays, one.why, one.passed_at, one.due_at) for one in found]
