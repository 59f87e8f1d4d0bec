"""Photographs of what was reported, kept once by their hash."""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import sandbox
from lowhiss.exchange.photographs import MAX_BYTES
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import ActRow, PhotoFileRow, PhotoRow

MAX_OF_ACT = 12
MAX_OF_OTHERS = 4
"""So many photographs others may add to somebody's report: theirs are never crowded out."""


def save_photo(store: Store, photo_id: str, act_id: str, data: bytes, by: Person) -> str:
    """Keep a photograph with an act; the hash by which it is found. Sending it again keeps it once.

    Raises NotFoundError for an act that is not there, RefusedError for what is no photograph or one too many.
    """
    with store.transaction() as session:
        known = session.get(PhotoRow, photo_id)
        if known is not None:
            return known.hash
        if session.get(ActRow, act_id) is None:
            raise NotFoundError("act_unknown", "The entry for this photo doesn't exist.", "act")
    jpeg = _made_anew(data)
    digest = hashlib.sha256(jpeg).hexdigest()
    with store.transaction() as session:
        session.get_one(ActRow, act_id, with_for_update=True)
        _check_room(session, act_id, by)
        if session.get(PhotoFileRow, digest) is None:
            session.add(PhotoFileRow(hash=digest, jpeg=jpeg))
            session.flush()
        now = dt.datetime.now(dt.UTC)
        session.add(PhotoRow(id=photo_id, act_id=act_id, hash=digest, sent_by=by.id, received_at=now))
    return digest


def _check_room(session: Session, act_id: str, by: Person) -> None:
    """Raises RefusedError where whoever sends it has sent as many as they may."""
    act = session.get_one(ActRow, act_id)
    senders = session.scalars(select(PhotoRow.sent_by).where(PhotoRow.act_id == act_id)).all()
    own = by.id in (act.author_id, act.sent_by)
    owners = sum(sender in (act.author_id, act.sent_by) for sender in senders)
    sent, most = (owners, MAX_OF_ACT) if own else (len(senders) - owners, MAX_OF_OTHERS)
    if sent >= most:
        raise RefusedError("too_many_photographs", f"You can add up to {most} photos here.", "body")


def _made_anew(data: bytes) -> bytes:
    """The photograph as a JPEG of our own making. Raises RefusedError, SandboxMissingError."""
    if len(data) > MAX_BYTES:
        sentence = f"The photo is larger than {MAX_BYTES // 1024**2} MB. Send a smaller one."
        raise RefusedError("no_photograph", sentence, "body")
    try:
        return sandbox.read("photograph", data).blobs["jpeg"]
    except sandbox.RefusedFileError as error:
        raise RefusedError("no_photograph", error.problem, "body") from error
    except sandbox.SandboxError as error:
        raise RefusedError("no_photograph", f"The photo {error.problem}.", "body") from error


def photo_file(store: Store, digest: str) -> bytes:
    """A photograph by its hash, JPEG. Raises NotFoundError."""
    with store.transaction() as session:
        row = session.get(PhotoFileRow, digest)
        if row is None:
            raise NotFoundError("photograph_unknown", "This photo doesn't exist.", "hash")
        return row.jpeg


def photos_of(session: Session, act_ids: Collection[str]) -> dict[str, list[str]]:
    """The hashes of the photographs of each act, in the order in which they came."""
    found: dict[str, list[str]] = {}
    query = select(PhotoRow.act_id, PhotoRow.hash).where(PhotoRow.act_id.in_(act_ids))
    for act_id, digest in session.execute(query.order_by(PhotoRow.received_at)) if act_ids else ():
        found.setdefault(act_id, []).append(digest)
    return found
