"""Asking again who somebody is, where a signature hangs on it: by password, by PIN, or as a demo account."""

from __future__ import annotations

from typing import Literal

from sqlalchemy import select

from lowhiss.service.errors import RefusedError
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.signin import Browser, Person, person_of, pin_matches
from lowhiss.store.engine import Store
from lowhiss.store.people_models import PersonRow, PinRow

How = Literal["password", "pin", "demo"]


def confirmed(store: Store, person_id: str, how: How, secret: str, browser: Browser, *, demo: bool) -> Person:
    """Who they are, once they have shown it. demo : accounts of the demo need show nothing.

    Raises RefusedError with the same words for anything wrong, SlowDownError after too many tries.
    """
    wrong = RefusedError("not_confirmed", "secret: wrong PIN or password. Try again.", "secret")
    trying = f"signing {person_id} on {secrets.token_hash(browser.device)}"
    with store.transaction() as session:
        row = session.get(PersonRow, person_id)
        if row is None or row.retired_at is not None:
            raise wrong
        person = person_of(row)
        if how == "demo":
            if demo and row.demo:
                return person
            raise wrong
        guess_limits.check(session, trying, None)
        if how == "pin":
            query = select(PinRow).where(PinRow.device_hash == secrets.token_hash(browser.device))
            pin = session.scalar(query.where(PinRow.person_id == person_id).with_for_update())
            right = pin is not None and pin_matches(session, pin, secret)
        kept = row.password_hash
    if how == "pin":
        if right:
            return person
        raise wrong
    if not secrets.password_matches(kept, secret):
        guess_limits.failed(store, trying, None)
        raise wrong
    with store.transaction() as session:
        guess_limits.forget(session, trying)
    return person
