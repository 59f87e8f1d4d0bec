"""Holding the chain against what lies in the tables: every covered row and column, every seal and its place."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lowhiss.exchange.keys import KeyFiles
from lowhiss.exchange.seals import Problem, Seal, check, differences, key_id, out_of_chain, wrong_with
from lowhiss.service.errors import NotFoundError
from lowhiss.service.runs.rows import judge_row
from lowhiss.service.seals.rows import kept_rows, result_of
from lowhiss.service.seals.sealing import every_seal, plain_seal, public_keys
from lowhiss.store.engine import Store
from lowhiss.store.run_models import RunRow
from lowhiss.store.seal_models import SealKeyRow, SealRow


def verify_all(store: Store, keys: KeyFiles | None = None) -> Iterator[Problem]:
    """Everything that is wrong, as it is found. keys : their files say how far the chain went."""
    with store.transaction() as session:
        public = public_keys(session)
    before: Seal | None = None
    told: set[str] = set()
    for seal in every_seal(store):
        yield from wrong_with(seal, public)
        yield from out_of_chain(before, seal, whole=True)
        with store.transaction() as session:
            yield from _against_rows(session, seal)
        told |= _keys_told(seal)
        before = seal
    yield from _ends(keys, before)
    for one in sorted(public.keys() - told):
        yield Problem(0, f"the key {one} is in the table and no seal of the chain speaks of it")


def _keys_told(seal: Seal) -> set[str]:
    try:
        document = json.loads(seal.document)
        return {key_id(document["new_key"])} if document.get("kind") == "key" else set()
    except (ValueError, KeyError, TypeError):
        return set()


def _ends(keys: KeyFiles | None, last: Seal | None) -> Iterator[Problem]:
    kept = keys.head() if keys is not None else None
    if kept is None:
        return
    place, sha256 = kept
    if last is None or last.place < place:
        yield Problem(place, f"is missing: {place} seals were made, and the chain ends at {last.place if last else 0}")
    elif last.place == place and last.sha256 != sha256:
        yield Problem(place, "is another than the one that was kept beside the keys")


def verify_run(store: Store, run_id: str) -> list[Problem]:
    """What is wrong with one run's seals, and with its rows."""
    with store.transaction() as session:
        return wrong_with_run(session, run_id)


def wrong_with_run(session: Session, run_id: str) -> list[Problem]:
    """The same within a transaction."""
    rows = session.scalars(select(SealRow).where(SealRow.run_id == run_id).order_by(SealRow.place))
    seals = [plain_seal(row) for row in rows]
    found = check(seals, public_keys(session), whole=False)
    return [*found, *(one for seal in seals[-1:] for one in _against_rows(session, seal))]


@dataclass(frozen=True, slots=True)
class Checked:
    """What a stranger is told who has a seal's hash from a paper: enough to hold the paper against, and no names.

    of : what it seals.  began, unit, outcome : of the run that it seals; empty where it seals a key, and where its text
    was broken.  amended_by : the run's latest seal, where that is another.  changed : how much was changed since it was
    sealed.
    """

    of: Literal["run", "key"]
    place: int
    sealed_at: dt.datetime
    unit: str
    began: str
    outcome: str
    amended_by: int | None
    changed: int


def check_one(store: Store, sha256: str) -> Checked:
    """The seal of this hash, held against the rows that it covers. Raises NotFoundError."""
    with store.transaction() as session:
        row = session.scalar(select(SealRow).where(SealRow.sha256 == sha256))
        if row is None:
            raise NotFoundError("seal_unknown", "sha256: no seal of this house has this hash.", "sha256")
        seal = plain_seal(row)
        found = wrong_with(seal, public_keys(session))
        if row.run_id is None:
            found += _against_rows(session, seal)
            return Checked("key", row.place, row.sealed_at, "", "", "", None, len(found))
        last = session.scalar(select(func.max(SealRow.place)).where(SealRow.run_id == row.run_id))
        changed = [*found, *wrong_with_run(session, row.run_id)]
        unit, began, outcome = _sealed(seal)
        return Checked(
            of="run",
            place=row.place,
            sealed_at=row.sealed_at,
            unit=unit,
            began=began,
            outcome=outcome,
            amended_by=last if last != row.place else None,
            changed=len(set(changed)),
        )


_BROKEN = (ValueError, KeyError, TypeError, AttributeError, RecursionError)
"""What reading a text raises that is no document of a seal."""


def _sealed(seal: Seal) -> tuple[str, str, str]:
    """The unit, when it began and how it came out, as sealed; empty where the text was broken, which is a change."""
    try:
        document = json.loads(seal.document)
        record, result = document["record"], document["result"]
        began = dt.datetime.fromisoformat(record["started_at"]).isoformat()
        return str(record["unit"]["name"]), began, str(result["outcome"])
    except _BROKEN:
        return "", "", ""


def _against_rows(session: Session, seal: Seal) -> Iterator[Problem]:
    """A seal of a run against its rows as they are now; what came after it is no difference."""
    try:
        yield from _compared(session, seal, json.loads(seal.document))
    except _BROKEN:
        yield Problem(seal.place, "its text and the rows cannot be held against each other")


def _compared(session: Session, seal: Seal, document: dict[str, Any]) -> Iterator[Problem]:
    yield from _row_of_its_own(session, seal, document)
    if document["kind"] != "run":
        return
    run = session.get(RunRow, document["run"])
    if run is None:
        yield Problem(seal.place, f"run {document['run']}: is gone")
        return
    now = kept_rows(session, run, document["upto"])
    # signatures that came later are sealed by what amends this
    now["signature"] = [one for one in now["signature"] if one["id"] in _ids(document)]
    later = {"act": "id", "photo": "id", "photo_file": "hash", "trace_part": "id"}
    for table, key in later.items():
        known = {row[key] for row in document["rows"][table]}
        now[table] = [row for row in now[table] if row[key] in known]
    for sentence in differences(document["rows"], now):
        yield Problem(seal.place, f"run {run.id}: {sentence}")
    yield from _result(session, run, seal, document)


def _ids(document: dict[str, Any]) -> set[str]:
    return {row["id"] for row in document["rows"]["signature"]}


def _row_of_its_own(session: Session, seal: Seal, document: dict[str, Any]) -> Iterator[Problem]:
    """The columns beside a seal's text, which lists go by."""
    row = session.get_one(SealRow, seal.place)
    if row.sealed_at.isoformat() != document.get("sealed_at"):
        yield Problem(
            seal.place, f"seal.sealed_at: sealed {document.get('sealed_at')}, now {row.sealed_at.isoformat()}"
        )
    if row.run_id != document.get("run"):
        yield Problem(seal.place, f"seal.run_id: sealed {document.get('run')}, now {row.run_id}")
    if document["kind"] == "key":
        keys = session.scalars(select(SealKeyRow))
        known = [(one.public, one.made_at.isoformat(), one.lost) for one in keys]
        if (document["new_key"], document["made_at"], document["lost"]) not in known:
            yield Problem(seal.place, "seal_key: the key that it speaks of is not in the table as it was sealed")


def _result(session: Session, run: RunRow, seal: Seal, document: dict[str, Any]) -> Iterator[Problem]:
    """How the run is listed: as it was sealed, or as its own marks are judged, where more of them came or the core is
    another."""
    sealed = document["result"]
    if not run.sealed:
        yield Problem(seal.place, f"run {run.id}: run.sealed: sealed true, now false")
    if run.last_seq < document["upto"]["event"]:
        yield Problem(seal.place, f"run {run.id}: run.last_seq: sealed {document['upto']['event']}, now {run.last_seq}")
    try:
        now = result_of(session, run, judge_row(session, run))
    except Exception as error:  # rows that were edited may break whatever reads them
        yield Problem(seal.place, f"run {run.id}: its marks cannot be judged any more ({error!r})")
        return
    if now == sealed:
        return
    grown = run.last_seq > document["upto"]["event"]
    if grown and now["outcome"] in (now["judged"], sealed["outcome"]):
        return
    yield from (Problem(seal.place, f"run {run.id}: {one}") for one in differences(sealed, now, "result"))
