"""Who did what is sent from a device: its sender, or whoever was signed in on the same device at that time."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.names import name_key
from lowhiss.service.people import secrets
from lowhiss.service.people.proofs import Proof, holds, public_key
from lowhiss.service.people.signin import Person
from lowhiss.store.people_models import PersonRow, PresenceRow

_PRESENCE_ERROR = dt.timedelta(minutes=5)
"""How far a device's mapped time may stray from when somebody signed in or out there."""


@dataclass(frozen=True, slots=True)
class Author:
    """Who did something."""

    id: str
    name: str
    role: str


class Authors:
    """Everybody who may have done what one device sends."""

    def __init__(self, session: Session, by: Person, device: str | None) -> None:
        self.session, self.device = session, device
        self.sender = Author(by.id, by.name, by.role)
        self._present: dict[str, list[tuple[Author, int, dt.datetime, dt.datetime | None]]] | None = None

    def of(
        self, name: str, at: dt.datetime, proof: Proof | None = None, text: Callable[[], bytes] | None = None
    ) -> tuple[Author, str | None]:
        """Who did something at that time, and who was said to have, where nothing shows that it was them.

        The sender needs no proof in their own session. Somebody else does: a signature (``proof``) over the mark
        (``text``) by a key of a session of theirs on this device, which had not ended when the mark was made.
        """
        key = name_key(name)
        if not key or key == name_key(self.sender.name):
            return self.sender, None
        known = public_key(self.session, proof.key) if proof is not None else None
        for author, presence, from_at, until_at in self.present().get(key, []):
            here = from_at - _PRESENCE_ERROR <= at and (until_at is None or at <= until_at + _PRESENCE_ERROR)
            if not here or proof is None or text is None or known is None or known[0] != presence:
                continue
            try:
                if holds(proof, known[1], text()):
                    return author, None
            except ValueError:
                break
        return self.sender, name.strip()

    def present(self) -> dict[str, list[tuple[Author, int, dt.datetime, dt.datetime | None]]]:
        """Everybody who has been signed in on this device, with each presence, by the canonical form of their name."""
        if self._present is None:
            self._present = {}
            query = (
                select(PersonRow, PresenceRow.id, PresenceRow.from_at, PresenceRow.until_at)
                .join(PresenceRow, PresenceRow.person_id == PersonRow.id)
                .where(PresenceRow.device_hash == secrets.token_hash(self.device or ""))
            )
            for person, presence, from_at, until_at in self.session.execute(query) if self.device else ():
                author = Author(person.id, person.name, person.role)
                self._present.setdefault(person.name_key, []).append((author, presence, from_at, until_at))
        return self._present
