"""Run records that come from elsewhere: each once, marked as foreign, and none in place of one that is here."""

from __future__ import annotations

import datetime as dt
import uuid
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import DataError, IntegrityError
from sqlalchemy.orm import Session

from lowhiss import sandbox
from lowhiss.core.errors import CoreError
from lowhiss.core.record import read_run
from lowhiss.exchange.run_json import read_json
from lowhiss.service.errors import RefusedError, ServiceError
from lowhiss.service.exports.leaving import FORMAT
from lowhiss.service.people.signin import Person
from lowhiss.service.runs.importing import import_record
from lowhiss.service.runs.rows import record_of
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.house_models import SettingRow
from lowhiss.store.run_models import RunRow

_ASKED = {
    "manifest": "manifest.json",
    "list": "runs",
    "most": 10_000,
    "each": 16 * 1024 * 1024,
    "total": 150 * 1024 * 1024,
}
"""How a zip of records is read: its manifest, and how many bytes a record and all of them may have, unpacked."""


@dataclass(slots=True)
class Arrived:
    """What became of each record. known : it was here already, the same.  refused : by file, why."""

    taken: int = 0
    known: int = 0
    refused: dict[str, str] = field(default_factory=dict)


def take_in(store: Store, by: Person, data: bytes) -> Arrived:
    """Take the records of a zip, each by itself. Raises RefusedError for what is no such zip."""
    try:
        answer = sandbox.read("zip_texts", data, _ASKED, suffix=".zip")
    except CoreError as error:
        sentence = f"file: {error.problem}. A zip of {FORMAT} is read here."
        raise RefusedError("no_runs_file", sentence, "file") from None
    manifest = answer.meta["manifest"]
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise RefusedError("no_runs_file", f"file: is no zip of records ({FORMAT}).", "file")
    arrived = Arrived(refused={str(name)[:200]: str(why) for name, why in answer.meta["missing"].items()})
    with store.transaction() as session:
        own = session.get(SettingRow, "owner")
    origin = str(manifest.get("installation", ""))[:80]
    foreign = origin if own is None or own.value != origin else ""
    for name, text in answer.blobs.items():
        try:
            record = _record(text)
            with store.transaction() as session:
                if _is_here(session, record):
                    arrived.known += 1
                else:
                    _keep(session, by, record, foreign)
                    arrived.taken += 1
        except (CoreError, ServiceError) as error:
            sentence = error.sentence if isinstance(error, ServiceError) else f"{error}."
            arrived.refused[name[:200]] = sentence
        except (IntegrityError, DataError):
            arrived.refused[name[:200]] = "events: two of them have one id, or one is longer than can be kept."
    return arrived


def _record(text: bytes) -> dict[str, Any]:
    record = read_json(text)
    if not isinstance(record, dict) or not _named(record):
        raise RefusedError("record_unnamed", "id: a record from elsewhere needs id and started_at.", "id")
    read_run(record)  # before anything is asked of it
    return record


def _named(record: dict[str, Any]) -> bool:
    """Whether it says which run it is, and at what moment that began."""
    try:
        uuid.UUID(record["id"])
        return dt.datetime.fromisoformat(record["started_at"]).tzinfo is not None
    except (KeyError, ValueError, TypeError, AttributeError):
        return False


def _is_here(session: Session, record: dict[str, Any]) -> bool:
    """Whether the same run is here; raises RefusedError where another one of its id is."""
    run = session.get(RunRow, str(record["id"])[:36])
    if run is None:
        return False
    here = record_of(session, run)
    if [_said(one) for one in here["events"]] != [_said(one) for one in record["events"]]:
        raise RefusedError("run_differs", "id: a run of this id is here, with other marks: it stays as it is.", "id")
    return True


def _said(event: Any) -> Any:
    """What a mark says, without how it came."""
    left_out = ("seq", "device", "epoch", "wall", "received", "sent_by", "by", "id")
    return {key: value for key, value in event.items() if key not in left_out} if isinstance(event, dict) else event


def _keep(session: Session, by: Person, record: dict[str, Any], foreign: str) -> None:
    name = record.get("unit", {}).get("name") if isinstance(record.get("unit"), dict) else None
    unit = session.scalar(select(UnitRow.id).where(UnitRow.name == str(name))) if name else None
    if unit is None:
        raise RefusedError("unit_not_here", f"unit: there is no unit {str(name)[:40]!r} here: add it first.", "unit")
    run_id = import_record(session, record, unit)
    run = session.get_one(RunRow, run_id)
    run.person_id, run.origin = by.id, foreign or None
