"""Signing a report, and sealing what was signed: chained to the seal before it and signed by the installation."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from lowhiss.core.names import name_key
from lowhiss.exchange.keys import KeyFiles, SigningKey
from lowhiss.exchange.seals import FIRST, SEAL_FORMAT, Seal, canonical, digest, file_of
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.service.people.signin import ForbiddenError, Person
from lowhiss.service.runs.participants import OVERSEERS, note_people
from lowhiss.service.runs.rows import find_run
from lowhiss.service.seals.rows import sealed_content
from lowhiss.store.engine import Store, after_commit
from lowhiss.store.installation_models import SettingRow
from lowhiss.store.run_models import RunRow
from lowhiss.store.seal_models import SealKeyRow, SealRow, SignatureRow

Part = Literal["driver", "beside"]
How = Literal["password", "pin", "demo"]
_CHAIN = "seal_chain"
_CLOCKS = dt.timedelta(minutes=10)
"""So far two clocks may be apart."""


@dataclass(frozen=True, slots=True)
class Signed:
    """A signature as a report shows it."""

    name: str
    role: str
    part: Part
    how: How
    signed_at: dt.datetime
    received_at: dt.datetime


@dataclass(frozen=True, slots=True)
class Sealed:
    """A run's seal as a report shows it. key : the id of the key that signed it.  amends : the run's seal before it."""

    place: int
    sha256: str
    key: str
    sealed_at: dt.datetime
    upto: int
    amends: int | None


def ensure_key(store: Store, keys: KeyFiles) -> bool:
    """The key in use stands in the chain; at first start it begins the chain. Raises KeyFileError.

    Returns whether the keys before it are lost.
    """
    key = keys.current()
    with store.transaction() as session:
        if session.get(SealKeyRow, key.id) is not None:
            return False
        _lock(session)
        lost = session.scalar(select(SealKeyRow.id).limit(1)) is not None
        _publish_key(session, keys, key, key, lost=lost)
    return lost


def rotate(store: Store, keys: KeyFiles) -> SigningKey:
    """A new key: the one before signs for it, then is used no more. Raises KeyFileError."""
    ensure_key(store, keys)
    old, new = keys.current(), keys.prepare()
    with store.transaction() as session:
        _lock(session)
        _publish_key(session, keys, old, new, lost=False)
    keys.use(new)
    return new


def _publish_key(session: Session, keys: KeyFiles, signs: SigningKey, new: SigningKey, *, lost: bool) -> None:
    """A key stands in the chain; lost : the ones before it were not there to sign for it."""
    made_at = _now()
    session.add(SealKeyRow(id=new.id, public=new.public, made_at=made_at, lost=lost))
    session.flush()
    _seal(session, keys, signs, {"kind": "key", "new_key": new.public, "made_at": made_at.isoformat(), "lost": lost})


def sign(
    store: Store, keys: KeyFiles, by: Person, how: How, run_id: str, signature_id: str, signed_at: dt.datetime
) -> Sealed:
    """Sign a report and seal it; the same signature again is the same. Who signs has been asked for by the caller.

    Raises NotFoundError, RefusedError while the test goes on, ForbiddenError for who neither drove nor oversees.
    """
    ensure_key(store, keys)
    key = keys.current()
    with store.transaction() as session:
        _lock(session)
        run = session.get(RunRow, run_id, with_for_update=True)
        if run is None:
            raise NotFoundError("run_unknown", "This test doesn't exist.", "run_id")
        if session.get(SignatureRow, signature_id) is None:
            _note_signature(session, run, by, how, signature_id, signed_at)
            note_people(session, run, by.name)
            _seal(session, keys, key, {"kind": "run", **_of_run(session, run)}, run.id)
            run.sealed = True
        return _sealed(_seals_of(session, run_id)[-1])


def _note_signature(
    session: Session, run: RunRow, by: Person, how: How, signature_id: str, signed_at: dt.datetime
) -> None:
    if run.ended_at is None:
        raise RefusedError("not_ended", "run_id: this test isn't finished. Finish it, then sign.", "run_id")
    now = _now()
    if not run.started_at - _CLOCKS <= signed_at <= now + _CLOCKS:
        raise RefusedError(
            "signed_when", "signed_at: before the test or in the future. Set the clock of this device.", "signed_at"
        )
    session.add(
        SignatureRow(
            id=signature_id,
            run_id=run.id,
            person_id=by.id,
            name=by.name,
            role=by.role,
            part=part_in(run, by),
            how=how,
            signed_at=signed_at,
            received_at=now,
            last_seq=run.last_seq,
        )
    )
    session.flush()


def part_in(run: RunRow, by: Person) -> Part:
    """As what somebody signs. Raises ForbiddenError for who neither drove nor oversees."""
    if run.imported is None and (run.person_id == by.id or (run.driver and name_key(run.driver) == name_key(by.name))):
        return "driver"
    if by.role in OVERSEERS:
        return "beside"
    raise ForbiddenError(
        "not_yours_to_sign", "Only the person who made this test may sign it, with a trainer or manager as witness."
    )


def _of_run(session: Session, run: RunRow) -> dict[str, Any]:
    before = _seals_of(session, run.id)
    return {"amends": before[-1].place if before else None, **sealed_content(session, run)}


def _seal(
    session: Session, keys: KeyFiles, key: SigningKey, content: dict[str, Any], run_id: str | None = None
) -> None:
    """The next seal of the chain; the chain's row is locked by the caller."""
    chain = session.get_one(SettingRow, _CHAIN)
    last = json.loads(chain.value)
    place, at = last["place"] + 1, _now()
    owner = session.get(SettingRow, "owner")
    document = canonical(
        {
            "format": SEAL_FORMAT,
            "place": place,
            "previous": last["sha256"],
            "sealed_at": at.isoformat(),
            "key": key.id,
            "installation": owner.value if owner is not None else "",
            **content,
        }
    )
    sha256 = digest(document)
    session.add(
        SealRow(
            place=place,
            run_id=run_id,
            document=document,
            sha256=sha256,
            key_id=key.id,
            signature=key.sign(document),
            sealed_at=at,
        )
    )
    chain.value = json.dumps({"place": place, "sha256": sha256})
    session.flush()
    after_commit(session, lambda: keys.save_head(place, sha256))


def _lock(session: Session) -> None:
    """One seal at a time: two would name the same one before them."""
    if session.get(SettingRow, _CHAIN, with_for_update=True) is None:
        session.add(SettingRow(name=_CHAIN, value=json.dumps({"place": 0, "sha256": FIRST})))
        session.flush()


def head(store: Store) -> tuple[int, str, dt.datetime | None]:
    """How far the chain goes: its last place, hash and moment."""
    query = select(SealRow).options(defer(SealRow.document)).order_by(SealRow.place.desc()).limit(1)
    with store.transaction() as session:
        row = session.scalar(query)
        return (row.place, row.sha256, row.sealed_at) if row is not None else (0, FIRST, None)


def seals_of(store: Store, run_id: str) -> tuple[list[Sealed], list[Signed], int]:
    """A run's seals and signatures, and how many marks came after the last one. Raises NotFoundError."""
    with store.transaction() as session:
        run = find_run(session, run_id)
        rows = _seals_of(session, run_id)
        # a row that no seal covers was not made by signing
        covered = {one["id"] for row in rows for one in _signatures_in(row.document)}
        query = select(SignatureRow).where(SignatureRow.run_id == run_id, SignatureRow.id.in_(covered))
        query = query.order_by(SignatureRow.received_at)
        signed = [
            Signed(row.name, row.role, row.part, row.how, row.signed_at, row.received_at)  # type: ignore[arg-type]
            for row in session.scalars(query)
        ]
        sealed = [_sealed(row) for row in rows]
        return sealed, signed, run.last_seq - sealed[-1].upto if sealed else 0


def _signatures_in(document: str) -> list[dict[str, Any]]:
    try:
        return list(json.loads(document)["rows"]["signature"])
    except (ValueError, KeyError, TypeError):
        return []


def _seals_of(session: Session, run_id: str) -> list[SealRow]:
    return list(session.scalars(select(SealRow).where(SealRow.run_id == run_id).order_by(SealRow.place)))


def _sealed(row: SealRow) -> Sealed:
    document = json.loads(row.document)
    return Sealed(row.place, row.sha256, row.key_id, row.sealed_at, document["upto"]["event"], document["amends"])


def run_file(store: Store, run_id: str) -> dict[str, Any]:
    """A run's seals as a file that anybody can check. Raises NotFoundError, RefusedError where it was never signed."""
    with store.transaction() as session:
        find_run(session, run_id)
        rows = _seals_of(session, run_id)
        if not rows:
            raise RefusedError("not_sealed", "run_id: nobody has signed this report.", "run_id")
        return file_of([plain_seal(row) for row in rows], public_keys(session), whole=False)


_AT_ONCE = 200


def chain_file(store: Store) -> Iterator[str]:
    """The whole chain as one file, some seals at a time."""
    with store.transaction() as session:
        begun = json.dumps(file_of([], public_keys(session), whole=True))
    yield begun.removesuffix("]}")
    first = True
    for seal in every_seal(store):
        yield ("" if first else ",") + json.dumps(seal.as_dict(), ensure_ascii=False)
        first = False
    yield "]}\n"


def every_seal(store: Store) -> Iterator[Seal]:
    """The chain from its beginning, read some at a time."""
    after = -1
    while True:
        with store.transaction() as session:
            query = select(SealRow).where(SealRow.place > after).order_by(SealRow.place).limit(_AT_ONCE)
            found = [plain_seal(row) for row in session.scalars(query)]
        if not found:
            return
        yield from found
        after = found[-1].place


def knows(store: Store, sha256: str) -> bool:
    """Whether a seal of this hash is in the chain."""
    with store.transaction() as session:
        return session.scalar(select(SealRow.place).where(SealRow.sha256 == sha256).limit(1)) is not None


def keys_of(store: Store) -> dict[str, str]:
    """Every public key by its id."""
    with store.transaction() as session:
        return public_keys(session)


def public_keys(session: Session) -> dict[str, str]:
    """Every public key by its id."""
    return {row.id: row.public for row in session.scalars(select(SealKeyRow).order_by(SealKeyRow.made_at))}


def plain_seal(row: SealRow) -> Seal:
    """A seal from its row."""
    return Seal(row.place, row.document, row.sha256, row.key_id, row.signature)


def _now() -> dt.datetime:
    return dt.datetime.now(dt.UTC)
