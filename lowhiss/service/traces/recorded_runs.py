"""What a stretch of a recording becomes: a run of a unit, which says that it comes from a recording; or no test."""

from __future__ import annotations

import datetime as dt
import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from lowhiss.core.names import seen_of
from lowhiss.engine.recorded import found_table
from lowhiss.service.errors import ConflictError, RefusedError
from lowhiss.service.people.signin import Person
from lowhiss.service.runs.imports import Imported, import_record
from lowhiss.service.runs.participants import note_people
from lowhiss.service.traces.editor import (
    Judged,
    JudgeRequest,
    find_recording,
    judged_part,
    part_at,
    parts_of,
    span_of,
)
from lowhiss.service.traces.samples import unpacked
from lowhiss.store.engine import Store
from lowhiss.store.run_models import RunRow
from lowhiss.store.trace_models import RecordingPartRow
from lowhiss.trace import Session as Stretch
from lowhiss.trace import find_sessions

_EARLIEST = dt.datetime(1990, 1, 1, tzinfo=dt.UTC)


@dataclass(frozen=True, slots=True)
class Attached:
    """What a session is to be taken for. counts : for how its unit stands.  began_at : its day."""

    driver: str
    counts: bool
    began_at: dt.datetime


def attach(store: Store, by: Person, recording_id: str, asked: JudgeRequest, as_run: Attached) -> str:
    """Make a session a run of ``asked.unit_id``; returns the run's id.

    Raises NotFoundError, RefusedError, ConflictError where it is one already.
    """
    if asked.unit_id is None:
        raise RefusedError("unit_missing", "unit_id: choose which unit was recorded.", "unit_id")
    now = dt.datetime.now(dt.UTC)
    if not _EARLIEST <= as_run.began_at <= now:
        raise RefusedError(
            "began_when", "began_at: must be a time in the past. Enter when it was recorded.", "began_at"
        )
    with store.transaction() as session:
        judged = judged_part(session, recording_id, asked)
        _still_open(session, recording_id, judged.span)
        run_id = str(uuid.uuid4())
        # without a manager's word it betters nothing; a fail in it waits to be decided
        reported = None if as_run.counts else Imported(judged.row.name[:80], by.name, now)
        import_record(session, _record(judged, asked, as_run, run_id), asked.unit_id, imported=reported)
        run = session.get_one(RunRow, run_id)
        run.person_id, run.received_at = by.id, None
        note_people(session, run, by.name)
        session.add(_part(recording_id, judged.span, by, run_id))
    return run_id


def _record(judged: Judged, asked: JudgeRequest, as_run: Attached, run_id: str) -> dict[str, Any]:
    """The run record, told from the beginning of its session; what was found and moved stands in it."""
    from_s = judged.span.from_s
    record = judged.found.record
    stages = found_table(judged.found.found)
    events = [_since(event, from_s) for event in record["events"]]
    return {
        **record,
        "id": run_id,
        "started_at": as_run.began_at.isoformat(),
        "purpose": "dispatch",
        "people": {"driver": name} if (name := seen_of(as_run.driver)) else {},
        "events": events,
        "recording": {
            "sha256": judged.row.sha256,
            "file": judged.row.name,
            "format": judged.row.format,
            "columns": dict(judged.row.columns),
            "session": asked.session,
            "from_s": round(from_s, 3),
            "to_s": round(judged.span.to_s, 3),
            "step_psi": round(judged.found.found.step_psi, 3),
            "order": "found" if judged.guessed else "named",
            "found": sum(one["from_s"] is not None for one in stages),
            "stages": len(stages),
            "moved": [one["stage"] for one in stages if one["moved"]],
        },
    }


def _since(event: dict[str, Any], from_s: float) -> dict[str, Any]:
    moved = {**event, "at_s": round(max(0.0, event["at_s"] - from_s), 3)}
    if "at_s" in event.get("between", {}):
        ends = [round(max(0.0, end - from_s), 3) for end in event["between"]["at_s"]]
        moved["between"] = {**event["between"], "at_s": ends}
    return moved


def say_no_test(store: Store, by: Person, recording_id: str, place: int) -> None:
    """A session is no test. Raises NotFoundError, RefusedError, ConflictError where it is a run."""
    with store.transaction() as session:
        span = span_of(find_sessions(unpacked(find_recording(session, recording_id).samples)), place)
        _still_open(session, recording_id, span)
        session.add(_part(recording_id, span, by, None))


def take_back(store: Store, recording_id: str, place: int) -> None:
    """It may be a test after all. Raises NotFoundError, RefusedError, ConflictError where it is a run."""
    with store.transaction() as session:
        span = span_of(find_sessions(unpacked(find_recording(session, recording_id).samples)), place)
        said = part_at(parts_of(session, recording_id), span)
        if said is not None and said.run_id is not None:
            raise _a_run_already()
        if said is not None:
            session.delete(said)


def _still_open(session: Session, recording_id: str, span: Stretch) -> None:
    """Nobody said yet that this stretch is a run; that it is no test gives way. Raises ConflictError."""
    said = part_at(parts_of(session, recording_id), span)
    if said is None:
        return
    if said.run_id is not None:
        raise _a_run_already()
    session.delete(said)
    session.flush()


def _a_run_already() -> ConflictError:
    return ConflictError("recording_used", "session: this recording is already in the log.", "session")


def _part(recording_id: str, span: Stretch, by: Person, run_id: str | None) -> RecordingPartRow:
    return RecordingPartRow(
        sha256=recording_id,
        from_s=span.from_s,
        to_s=span.to_s,
        run_id=run_id,
        said_by=by.id,
        said_at=dt.datetime.now(dt.UTC),
    )
