"""The limits on guessing: failed tries at one thing, and from one address, are counted for a while."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from lowhiss.service.errors import ServiceError
from lowhiss.service.people import secrets
from lowhiss.store.engine import Store
from lowhiss.store.people_models import FailureRow

WINDOW = dt.timedelta(minutes=15)
TRIES_AT_ONE = 6
TRIES_FROM_ADDRESS = 40


class SlowDownError(ServiceError):
    """Too many wrong tries; ``retry_s`` says when to try again."""

    retry_s = int(WINDOW.total_seconds())


def check(session: Session, what: str | None, address: str | None) -> None:
    """Raises SlowDownError after too many failed tries at ``what``, or from this address.

    What is long enough never to be guessed at one by one is None: then only the address counts. Where somebody signed
    in is guessing, the address is None: others of the same yard do not wait for them.
    """
    since = _now() - WINDOW
    for key, allowed in ((what, TRIES_AT_ONE), (address and f"address {address}", TRIES_FROM_ADDRESS)):
        if key is None:
            continue
        query = select(func.count()).where(FailureRow.what == _key(key), FailureRow.at > since)
        if (session.scalar(query) or 0) >= allowed:
            minutes = int(WINDOW.total_seconds() // 60)
            raise SlowDownError("too_many_tries", f"Too many failed attempts. Wait {minutes} minutes, then try again.")


def failed(store: Store, what: str | None, address: str | None) -> None:
    moment = _now()
    with store.transaction() as session:
        session.add_all(
            FailureRow(what=_key(key), at=moment) for key in (what, address and f"address {address}") if key
        )
        session.execute(delete(FailureRow).where(FailureRow.at < moment - 4 * WINDOW))


def forget(session: Session, what: str) -> None:
    """A right try: the failed ones before it no longer count."""
    session.execute(delete(FailureRow).where(FailureRow.what == _key(what)))


def _key(text: str) -> str:
    return secrets.token_hash(text)


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)
