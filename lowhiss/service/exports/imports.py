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
from lowhiss.core.names import seen_of, unseen_in
from lowhiss.core.record import read_run
from lowhiss.exchange.run_json import read_json
from lowhiss.service.errors import RefusedError, ServiceError
from lowhiss.service.exports.export_jobs import FORMAT
from lowhiss.service.people.signin import Person
from lowhiss.service.runs.imports import Imported, import_record
from lowhiss.service.runs.rows import record_of
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.installation_models import SettingRow
from lowhiss.store.run_models import RunRow

_CLOCKS = dt.timedelta(minutes=10)
"""So far two clocks may be apart."""
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


def import_file(store: Store, by: Person, data: bytes) -> Arrived:
    """Take the records of a zip, each by itself. Raises RefusedError for what is no such zip."""
    try:
        answer = sandbox.read("zip_texts", data, _ASKED, suffix=".zip")
    except CoreError as error:
        sentence = f"file: {error.problem}. Send a zip of {FORMAT} records."
        raise RefusedError("no_runs_file", sentence, "file") from None
    manifest = answer.meta["manifest"]
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise RefusedError("no_runs_file", f"file: this isn't a zip of {FORMAT} records.", "file")
    own, now = _own_name(store), dt.datetime.now(dt.UTC)
    # who wrote a manifest is not known: what it says of its origin is shown, and every record waits for a manager
    origin = seen_of(str(manifest.get("installation", "")))[:80] or own or "?"
    arrived = Arrived(refused={str(name)[:200]: str(why) for name, why in answer.meta["missing"].items()})
    for name, text in answer.blobs.items():
        try:
            record = _record(text, now)
            with store.transaction() as session:
                if _is_here(session, record):
                    arrived.known += 1
                else:
                    _save(session, by, record, origin, now)
                    arrived.taken += 1
        except (CoreError, ServiceError) as error:
            sentence = error.sentence if isinstance(error, ServiceError) else f"{error}."
            arrived.refused[name[:200]] = sentence
        except (IntegrityError, DataError):
            arrived.refused[name[:200]] = "events: two events have the same id, or one is too long."
    return arrived


def _own_name(store: Store) -> str:
    with store.transaction() as session:
        owner = session.get(SettingRow, "owner")
        return owner.value if owner is not None else ""


def _record(text: bytes, now: dt.datetime) -> dict[str, Any]:
    record = read_json(text)
    if not isinstance(record, dict) or not _named(record):
        raise RefusedError("record_unnamed", "id: an imported record must have id and started_at.", "id")
    # one id in two spellings would be two runs
    record["id"] = str(uuid.UUID(record["id"]))
    run = read_run(record)  # before anything is asked of it
    for field_name, name in (("unit.name", run.unit.name), *((f"people.{who}", name) for who, name in run.people)):
        if unseen_in(name):
            raise RefusedError("name_unseen", f"{field_name}: contains an invisible character.", field_name)
    ended_at = dt.datetime.fromisoformat(record["started_at"]) + dt.timedelta(
        seconds=max((event.at_s for event in run.events), default=0.0)
    )
    if ended_at > now + _CLOCKS:
        raise RefusedError(
            "record_ahead",
            "started_at: the record or its marks are in the future. Check the other device's clock.",
            "started_at",
        )
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
    if [_event_text(one) for one in here["events"]] != [_event_text(one) for one in record["events"]]:
        raise RefusedError(
            "run_differs", "id: a test with this id but different marks is already here. It was not changed.", "id"
        )
    return True


def _event_text(event: Any) -> Any:
    """What a mark says, without how it came."""
    left_out = ("seq", "device", "epoch", "wall", "received", "sent_by", "by", "id")
    return {key: value for key, value in event.items() if key not in left_out} if isinstance(event, dict) else event


def _save(session: Session, by: Person, record: dict[str, Any], origin: str, now: dt.datetime) -> None:
    name = record.get("unit", {}).get("name") if isinstance(record.get("unit"), dict) else None
    unit = session.scalar(select(UnitRow.id).where(UnitRow.name == str(name))) if name else None
    if unit is None:
        raise RefusedError(
            "unit_not_here", f"unit: the unit {str(name)[:40]!r} doesn't exist here. Add it first.", "unit"
        )
    import_record(session, record, unit, imported=Imported(origin, by.name, now))
