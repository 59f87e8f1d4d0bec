"""Signing in and out: sessions, one-time codes, and PINs on a shared tablet."""

from __future__ import annotations

import datetime as dt
import time
from dataclasses import dataclass
from typing import cast

from sqlalchemy import bindparam, delete, func, select, update
from sqlalchemy.orm import Session

from lowhiss.core.fields import Language
from lowhiss.core.names import name_key, unseen_in
from lowhiss.core.units import PressureUnit
from lowhiss.service.errors import RefusedError, ServiceError
from lowhiss.service.people import guess_limits, secrets
from lowhiss.service.people.rights import Role
from lowhiss.store.engine import Store, after_commit
from lowhiss.store.people_models import CodeRow, PersonRow, PinRow, PresenceRow, SessionRow

IDLE = dt.timedelta(hours=12)
LONGEST = dt.timedelta(days=14)
CODE_LASTS = dt.timedelta(days=7)
_USED_EVERY = dt.timedelta(minutes=1)

TRIES_OF_PIN = 5
PASSWORD_LENGTH = (10, 200)


class SignedOutError(ServiceError):
    """Nobody is signed in, or no longer."""


class ForbiddenError(ServiceError):
    """Somebody is signed in who may not do this."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody signed in."""

    id: str
    name: str
    role: Role
    language: Language
    pressure_unit: PressureUnit
    demo: bool


def person_of(row: PersonRow) -> Person:
    return Person(
        row.id,
        row.name,
        cast(Role, row.role),
        cast(Language, row.language),
        cast(PressureUnit, row.pressure_unit),
        row.demo,
    )


def now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)


_WHO = select(
    SessionRow.used_at, SessionRow.began_at, PersonRow.id, PersonRow.name, PersonRow.role, PersonRow.language,
    PersonRow.pressure_unit, PersonRow.demo, PersonRow.retired_at,
).join(PersonRow, PersonRow.id == SessionRow.person_id).where(
    SessionRow.token_hash == bindparam("token_hash")
)  # fmt: skip


def who(store: Store, token: str | None) -> Person | None:
    """Who this session belongs to; None when it is unknown, has expired, or its person was retired.

    An answer holds for a moment: a tablet that marks several times a second is not asked each time. What ends a
    session in this process ends that too; another process hears of it a moment later.
    """
    if not token:
        return None
    if (known := lately(store, token)) is not None:
        return known
    hashed = secrets.token_hash(token)
    ended_before = _ended
    # asked with every request: one question, and nothing written more often than it must be
    with store.engine.connect() as connection:
        kept = connection.execute(_WHO, {"token_hash": hashed}).one_or_none()
    if kept is None:
        return None
    moment = now()
    if moment - kept.used_at > IDLE or moment - kept.began_at > LONGEST or kept.retired_at is not None:
        with store.transaction() as session:
            session.execute(delete(SessionRow).where(SessionRow.token_hash == hashed))
        return None
    if moment - kept.used_at > _USED_EVERY:
        with store.transaction() as session:
            session.execute(update(SessionRow).where(SessionRow.token_hash == hashed).values(used_at=moment))
    person = Person(kept.id, kept.name, kept.role, kept.language, kept.pressure_unit, kept.demo)
    if len(_lately) >= _MAX_LATELY:
        _lately.clear()
    if ended_before == _ended:  # nobody's access ended while this was asked
        _lately[store, hashed] = (time.monotonic() + KNOWN_FOR_S, person)
    return person


def lately(store: Store, token: str | None) -> Person | None:
    """Who this session was found to belong to a moment ago; None when that must be asked."""
    known = _lately.get((store, secrets.token_hash(token))) if token else None
    return known[1] if known is not None and time.monotonic() < known[0] else None


KNOWN_FOR_S = 1.0
_MAX_LATELY = 10_000
_lately: dict[tuple[Store, str], tuple[float, Person]] = {}
_ended = 0


def forget_sessions() -> None:
    """Ask the database again who is signed in: somebody's access, name or role has changed."""
    global _ended
    _ended += 1
    _lately.clear()


@dataclass(frozen=True, slots=True)
class Browser:
    """Where somebody signs in: the address, the device's secret, and the session that is replaced, if any."""

    address: str
    device: str
    replaces: str | None = None


def sign_in(store: Store, name: str, password: str, browser: Browser) -> str:
    """A new session's token. Raises SlowDownError, or RefusedError with the same words for any wrong pair.

    Tries from a device on which that person has been signed in before are counted apart: a stranger's wrong tries
    elsewhere lock nobody out of their own.
    """
    key = name_key(name)
    with store.transaction() as session:
        row = session.scalar(select(PersonRow).where(PersonRow.name_key == key))
        known = row is not None and _was_here(session, browser.device, row.id)
        trying = f"account {key}" + (f" on {secrets.token_hash(browser.device)}" if known else "")
        # a whole yard shares an address: devices that belong here do not wait for what a stranger beside them does
        address = None if known or _was_here(session, browser.device) else browser.address
        guess_limits.check(session, trying, address)
        kept = row.password_hash if row is not None and row.retired_at is None else None
    if not secrets.password_matches(kept, password) or row is None:
        guess_limits.failed(store, trying, address)
        raise RefusedError("sign_in_failed", "Wrong name or password.", "password")
    with store.transaction() as session:
        guess_limits.forget(session, trying)
        return begin_session(session, row.id, browser)


def demo_sign_in(store: Store, person_id: str, browser: Browser) -> str:
    """A new session for a demo account; the caller has made sure that these are allowed. Raises RefusedError."""
    with store.transaction() as session:
        row = session.get(PersonRow, person_id)
        if row is None or not row.demo or row.retired_at is not None:
            raise RefusedError(
                "demo_unknown", "This demo account doesn't exist. Choose one from the page.", "person_id"
            )
        return begin_session(session, row.id, browser)


def sign_out(store: Store, token: str | None) -> None:
    if token:
        with store.transaction() as session:
            _end_session(session, secrets.token_hash(token))


def sign_out_everywhere(store: Store, person_id: str) -> None:
    """End every session of a person, and take their PINs off shared devices."""
    with store.transaction() as session:
        end_access(session, person_id)


def end_access(session: Session, person_id: str) -> None:
    """Within a transaction: no session and no PIN of this person is left."""
    session.execute(delete(SessionRow).where(SessionRow.person_id == person_id))
    session.execute(delete(CodeRow).where(CodeRow.person_id == person_id))
    session.execute(delete(PinRow).where(PinRow.person_id == person_id))
    here = PresenceRow.person_id == person_id
    session.execute(update(PresenceRow).where(here, PresenceRow.until_at.is_(None)).values(until_at=now()))
    after_commit(session, forget_sessions)


def begin_session(session: Session, person_id: str, browser: Browser) -> str:
    """A new session in place of the one that was there; who is signed in on a device is kept."""
    if browser.replaces:
        _end_session(session, secrets.token_hash(browser.replaces))
    # always a new token: one that was there before signing in is worth nothing after it
    token = secrets.new_token()
    hashed = secrets.token_hash(token)
    moment = now()
    session.add(SessionRow(token_hash=hashed, person_id=person_id, began_at=moment, used_at=moment))
    device = secrets.token_hash(browser.device)
    session.add(PresenceRow(device_hash=device, person_id=person_id, session_hash=hashed, from_at=moment))
    return token


def _end_session(session: Session, hashed: str) -> None:
    session.execute(delete(SessionRow).where(SessionRow.token_hash == hashed))
    mine = PresenceRow.session_hash == hashed
    session.execute(update(PresenceRow).where(mine, PresenceRow.until_at.is_(None)).values(until_at=now()))
    after_commit(session, forget_sessions)


def _was_here(session: Session, device: str, person_id: str | None = None) -> bool:
    """Whether somebody, or this person, was ever signed in on a device."""
    query = select(PresenceRow.id).where(PresenceRow.device_hash == secrets.token_hash(device))
    if person_id is not None:
        query = query.where(PresenceRow.person_id == person_id)
    return session.scalar(query.limit(1)) is not None


# one-time codes


def make_code(session: Session, person_id: str | None) -> str:
    """A new code for a person (None: the first manager's); the ones before it are void."""
    condition = CodeRow.person_id.is_(None) if person_id is None else CodeRow.person_id == person_id
    session.execute(delete(CodeRow).where(condition))
    code = secrets.new_code()
    session.add(CodeRow(code_hash=secrets.code_hash(code), person_id=person_id, made_at=now()))
    return code


def first_manager_code(store: Store) -> str | None:
    """A code for the first manager of an installation that has no people yet; None when it has."""
    with store.transaction() as session:
        if session.scalar(select(func.count()).select_from(PersonRow)):
            return None
        return make_code(session, None)


def redeem(store: Store, code: str, name: str, password: str, browser: Browser, new_id: str) -> str:
    """Set a password with a one-time code; the new session's token.

    The first manager's code also makes the person, under ``name``. Raises SlowDownError, RefusedError.
    """
    check_password(password)
    hashed = secrets.hash_password(password)  # slow on purpose: before any row is locked
    with store.transaction() as session:
        kept = session.get(CodeRow, secrets.code_hash(code), with_for_update=True)
        if kept is not None and now() - kept.made_at > CODE_LASTS:
            kept = None
        if kept is not None:
            person_id = kept.person_id or _make_first_manager(session, name, new_id)
            person = session.get_one(PersonRow, person_id)
            if person.retired_at is None:
                person.password_hash = hashed
                session.delete(kept)
                end_access(session, person_id)
                session.flush()
                return begin_session(session, person_id, browser)
    # a right code is taken, however many wrong ones came from the same address: nobody guesses sixty bits
    with store.transaction() as session:
        guess_limits.check(session, None, browser.address)
    guess_limits.failed(store, None, browser.address)
    raise RefusedError("code_unknown", "This code is wrong, already used or expired. Ask for a new one.", "code")


def _make_first_manager(session: Session, name: str, new_id: str) -> str:
    name = checked_name(name)
    session.add(PersonRow(id=new_id, name=name, role="manager", language="en", pressure_unit="psi", version=1))
    session.flush()
    return new_id


def checked_name(name: str) -> str:
    """A name to sign in by. Raises RefusedError for one that is empty, too long, or holds what nobody sees."""
    name = name.strip()
    if not 1 <= len(name) <= 80 or not name_key(name):
        raise RefusedError("name_needed", "name: enter 1 to 80 characters.", "name")
    if unseen_in(name):
        raise RefusedError(
            "name_unseen", "name: contains an invisible character. Type it again instead of pasting it.", "name"
        )
    return name


def check_password(password: str) -> None:
    """Raises RefusedError for one that is too short or too long."""
    least, most = PASSWORD_LENGTH
    if not least <= len(password) <= most:
        raise RefusedError("password_weak", f"password: use {least} to {most} characters.", "password")


# PINs on a shared tablet


def set_pin(store: Store, person: Person, device: str, pin: str) -> None:
    """A PIN for this person on this device. Raises RefusedError."""
    if not (pin.isascii() and pin.isdigit() and 4 <= len(pin) <= 8):
        raise RefusedError("pin_malformed", "pin: use 4 to 8 digits.", "pin")
    if len(set(pin)) == 1:
        raise RefusedError("pin_malformed", "pin: the digits must not all be the same.", "pin")
    with store.transaction() as session:
        session.merge(
            PinRow(
                device_hash=secrets.token_hash(device),
                person_id=person.id,
                pin_hash=secrets.hash_password(pin),
                tries_left=TRIES_OF_PIN,
            )
        )


def cab_people(store: Store, device: str | None) -> list[Person]:
    """Who can change to themselves on this device by a PIN, by name."""
    if not device:
        return []
    query = (
        select(PersonRow)
        .join(PinRow, PinRow.person_id == PersonRow.id)
        .where(PinRow.device_hash == secrets.token_hash(device), PersonRow.retired_at.is_(None))
        .order_by(PersonRow.name)
    )
    with store.transaction() as session:
        return [person_of(row) for row in session.scalars(query)]


def switch_person(store: Store, browser: Browser, person_id: str, pin: str) -> str:
    """A new session by PIN. Raises RefusedError; after too many wrong tries only a full sign-in helps."""
    refusal = RefusedError("pin_wrong", "Wrong PIN. Try again, or sign in with your password.", "pin")
    with store.transaction() as session:
        # the row lock makes tries on many connections count one by one
        kept = session.scalar(
            select(PinRow)
            .where(PinRow.device_hash == secrets.token_hash(browser.device), PinRow.person_id == person_id)
            .with_for_update()
        )
        person = session.get(PersonRow, person_id)
        if kept is None or person is None or person.retired_at is not None:
            raise refusal
        if pin_matches(session, kept, pin):
            return begin_session(session, person_id, browser)
    raise refusal


def pin_matches(session: Session, kept: PinRow, pin: str) -> bool:
    """Whether a PIN is the one kept, its row locked; after too many wrong tries, for whatever, it is gone."""
    if secrets.password_matches(kept.pin_hash, pin):
        kept.tries_left = TRIES_OF_PIN
        return True
    kept.tries_left -= 1
    if kept.tries_left <= 0:
        session.delete(kept)
    return False
