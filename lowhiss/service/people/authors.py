"""Who did what is sent from a device: its sender, or whoever was signed in on the same device at that time."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.core.names import name_key
from lowhiss.service.people import secrets
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
        self._present: dict[str, list[tuple[Author, dt.datetime, dt.datetime | None]]] | None = None

    def of(self, name: str, at: dt.datetime) -> tuple[Author, str | None]:
        """Who did something at that time, and who was said to have, where that could not have been."""
        key = name_key(name)
        if not key or key == name_key(self.sender.name):
            return self.sender, None
        for author, from_at, until_at in self.present().get(key, []):
            if from_at - _PRESENCE_ERROR <= at and (until_at is None or at <= until_at + _PRESENCE_ERROR):
                return author, None
        return self.sender, name.strip()

    def present(self) -> dict[str, list[tuple[Author, dt.datetime, dt.datetime | None]]]:
        """Everybody who has been signed in on this device, by the canonical form of their name."""
        if self._present is None:
            self._present = {}
            query = (
                select(PersonRow, PresenceRow.from_at, PresenceRow.until_at)
                .join(PresenceRow, PresenceRow.person_id == PersonRow.id)
                .where(PresenceRow.device_hash == secrets.token_hash(self.device or ""))
            )
            for person, from_at, until_at in self.session.execute(query) if self.device else ():
                author = Author(person.id, person.name, person.role)
                self._present.setdefault(person.name_key, []).append((author, from_at, until_at))
        return self._present
