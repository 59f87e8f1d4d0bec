"""Holding the chain against what lies in the tables: every covered row and column, every seal and its place."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lowhiss.exchange.keys import KeyFiles
from lowhiss.exchange.seals import Problem, Seal, check, differences, key_id, out_of_chain, wrong_with
from lowhiss.service.errors import NotFoundError
from lowhiss.service.runs.rows import judge_row
from lowhiss.service.runs.verdicts import RANK, core_version, log_figures
from lowhiss.service.seals.rows import plain, result_of, saved_rows
from lowhiss.service.seals.signing import every_seal, plain_seal, public_keys
from lowhiss.store.engine import Store
from lowhiss.store.run_models import EventRow, RunRow, VerdictRow
from lowhiss.store.seal_models import SealKeyRow, SealRow


def verify_all(store: Store, keys: KeyFiles | None = None) -> Iterator[Problem]:
    """Everything that is wrong, as it is found.

    keys : the installation's own. A key that isn't among them is reported, whatever the database says of it; heads
    that were kept outside of the database are held against the chain.
    """
    with store.transaction() as session:
        public = public_keys(session)
    yield from _unknown_keys(store, keys, public)
    heads = keys.saved_heads() if keys is not None else {}
    latest = _latest_places(store)
    before: Seal | None = None
    told: set[str] = set()
    for seal in every_seal(store):
        yield from wrong_with(seal, public)
        yield from out_of_chain(before, seal, whole=True)
        if heads.get(seal.place, seal.sha256) != seal.sha256:
            yield Problem(seal.place, "differs from the one whose hash is saved outside the database")
        with store.transaction() as session:
            yield from _against_rows(session, seal, last=seal.place in latest)
        told |= _published_keys(seal)
        before = seal
    most = max(heads, default=0)
    if before is None or before.place < most:
        ends = before.place if before else 0
        if most:
            yield Problem(most, f"is missing: {most} seals were made, and the chain ends at {ends}")
    for one in sorted(public.keys() - told):
        yield Problem(0, f"the key {one} is in the table, but no seal in the chain mentions it")


def _published_keys(seal: Seal) -> set[str]:
    try:
        document = json.loads(seal.document)
        return {key_id(document["new_key"])} if document.get("kind") == "key" else set()
    except (ValueError, KeyError, TypeError):
        return set()


def _unknown_keys(store: Store, keys: KeyFiles | None, public: Mapping[str, str]) -> Iterator[Problem]:
    """Keys of the chain that this installation does not have: lost, or somebody else's."""
    if keys is None:
        return
    own = keys.public_keys()
    for name in sorted(public.keys() - own.keys()):
        yield Problem(
            0,
            f"the key {name} is not in {keys.directory}: it was lost or belongs to another installation. Seals that it "
            "signed prove nothing until the key is restored from the key backup",
        )
    with store.transaction() as session:
        for row in session.scalars(select(SealKeyRow).where(SealKeyRow.lost)):
            sentence = f"the key {row.id} began on {row.made_at:%Y-%m-%d} because those before it were lost"
            yield Problem(0, sentence, notice=True)
    for place, moment in keys.restores():
        sentence = f"a backup was restored on {moment}: seals made after {place} and before that moment are missing"
        yield Problem(0, sentence, notice=True)


def _latest_places(store: Store) -> set[int]:
    """The place of each run's last seal."""
    with store.transaction() as session:
        query = select(func.max(SealRow.place)).where(SealRow.run_id.is_not(None)).group_by(SealRow.run_id)
        return set(session.scalars(query))


def verify_run(store: Store, run_id: str) -> list[Problem]:
    """What is wrong with one run's seals, and with its rows."""
    with store.transaction() as session:
        return wrong_with_run(session, run_id)


def wrong_with_run(session: Session, run_id: str) -> list[Problem]:
    """What is wrong with a run's seals, within a transaction."""
    rows = session.scalars(select(SealRow).where(SealRow.run_id == run_id).order_by(SealRow.place))
    seals = [plain_seal(row) for row in rows]
    found = check(seals, public_keys(session), whole=False)
    return [*found, *(one for seal in seals[-1:] for one in _against_rows(session, seal, last=True))]


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
            raise NotFoundError("seal_unknown", "sha256: this installation has no seal with this hash.", "sha256")
        seal = plain_seal(row)
        found = wrong_with(seal, public_keys(session))
        if row.run_id is None:
            found += _against_rows(session, seal, last=True)
            return Checked("key", row.place, row.sealed_at, "", "", "", None, len(found))
        last = session.scalar(select(func.max(SealRow.place)).where(SealRow.run_id == row.run_id))
        changed = [one for one in (*found, *wrong_with_run(session, row.run_id)) if not one.notice]
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


def _against_rows(session: Session, seal: Seal, *, last: bool) -> Iterator[Problem]:
    """A seal of a run against its rows as they are now. last : it is the run's last: what came after it is named."""
    try:
        yield from _compared(session, seal, json.loads(seal.document), last=last)
    except _BROKEN:
        yield Problem(seal.place, "its text can't be compared with the rows")


def _compared(session: Session, seal: Seal, document: dict[str, Any], *, last: bool) -> Iterator[Problem]:
    yield from _row_of_its_own(session, seal, document)
    if document["kind"] != "run":
        return
    run = session.get(RunRow, document["run"])
    if run is None:
        yield Problem(seal.place, f"run {document['run']}: is missing")
        return
    now = saved_rows(session, run, document["upto"])
    # signatures that came later are sealed by what amends this
    sealed_ids = _ids(document)
    if last and (extra := [one["name"] for one in now["signature"] if one["id"] not in sealed_ids]):
        yield Problem(seal.place, f"run {run.id}: a signature of {', '.join(extra)} isn't covered by a seal")
    now["signature"] = [one for one in now["signature"] if one["id"] in sealed_ids]
    later = {"act": "id", "photo": "id", "photo_file": "hash", "trace_part": "id"}
    for table, key in later.items():
        known = {row[key] for row in document["rows"][table]}
        now[table] = [row for row in now[table] if row[key] in known]
    for sentence in differences(document["rows"], now):
        yield Problem(seal.place, f"run {run.id}: {sentence}")
    if last:
        yield from _came_after(session, run, seal, document)
    yield from _result(session, run, seal, document)


def _came_after(session: Session, run: RunRow, seal: Seal, document: dict[str, Any]) -> Iterator[Problem]:
    """The marks that came after a run's last seal, and whether they changed what was sealed."""
    later = select(EventRow).where(EventRow.run_id == run.id, EventRow.seq > document["upto"]["event"])
    marks = session.scalars(later.order_by(EventRow.seq)).all()
    if not marks:
        return
    sealed, now = document["result"]["outcome"], run.outcome
    better = RANK.get(now or "", 0) > RANK.get(sealed or "", 0)
    sentence = (
        f"run {run.id}: {len(marks)} marks arrived after the seal, the first from {marks[0].author} at "
        f"{marks[0].received_at:%Y-%m-%d %H:%M} UTC"
    )
    if better:
        sentence += f"; sealed {sealed}, now {now}"
    yield Problem(seal.place, sentence, notice=not better)


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
            yield Problem(seal.place, "seal_key: the key in the table differs from the sealed one")


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
        yield Problem(seal.place, f"run {run.id}: its marks can't be judged any more ({error!r})")
        return
    if now == sealed:
        return
    if run.last_seq > document["upto"]["event"]:
        yield from _grown(session, run, seal, sealed)
        return
    yield from (Problem(seal.place, f"run {run.id}: {one}") for one in differences(sealed, now, "result"))


def _grown(session: Session, run: RunRow, seal: Seal, sealed: dict[str, Any]) -> Iterator[Problem]:
    """A run that has more marks than were sealed: its result is what was sealed, or what all its marks come to."""
    row = session.get(VerdictRow, (run.id, run.rules_hash))
    if row is None:
        yield Problem(seal.place, f"run {run.id}: verdict: is missing")
        return
    told = {"overall": row.overall, "outcome": row.outcome, "close_call": row.close_call, "figures": plain(row.figures)}
    verdict = judge_row(session, run)
    judged = {
        "overall": verdict.overall,
        "outcome": verdict.headline,
        "close_call": verdict.close_call,
        "figures": plain(log_figures(verdict)),
    }
    known = [sealed["kept"], judged] if row.core_version == core_version() else [sealed["kept"]]
    if told not in known:
        yield from (Problem(seal.place, f"run {run.id}: {one}") for one in differences(judged, told, "verdict"))
    if (run.outcome, run.close_call) != (row.outcome, row.close_call):
        yield Problem(seal.place, f"run {run.id}: its outcome in lists, {run.outcome}, differs from its result")
