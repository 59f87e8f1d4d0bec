"""Taking an open run record into the log, as one transaction."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import insert
from sqlalchemy.orm import Session

from lowhiss.core.judge import judge_run
from lowhiss.core.record import Run, read_run
from lowhiss.core.run import standing_events
from lowhiss.engine.clocks import Instant, map_begun
from lowhiss.engine.judge_record import procedure_of, rules_of
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.results import note_trailers, trailers_named
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.marks.kinds import RUNS, clock_of
from lowhiss.service.rules.saved_rules import save_rules
from lowhiss.service.runs.participants import note_people
from lowhiss.service.runs.rows import Setup, timekeeper_of
from lowhiss.service.runs.verdicts import save_verdict
from lowhiss.store.run_models import EventRow, RunRow

_SERVER_FIELDS = frozenset({"at_s", "seq", "id", "device", "epoch", "wall", "by"})
_DEVICE = "record"


@dataclass(frozen=True, slots=True)
class Imported:
    """Where a record comes from, and who imported it when."""

    origin: str
    by: str
    at: dt.datetime


def import_record(
    session: Session, record: dict[str, Any], unit_id: str, *, demo: bool = False, imported: Imported | None = None
) -> str:
    """Keep a run record as a run of the unit; returns the run's id.

    imported : of a record from elsewhere: it betters nothing until a manager accepts it, and nobody here is its driver.

    The record needs ``id`` and ``started_at``. Raises CoreError for a malformed record, NotFoundError for the unit.
    """
    run: Run = read_run(record)
    if run.simulated:
        raise RefusedError(
            "simulated_run", "simulated: a practice test can't be imported as a test of a unit.", "simulated"
        )
    unit = find_unit(session, unit_id)
    rules = rules_of(run)
    procedure = procedure_of(run, rules)
    save_rules(session, rules)
    people = dict(run.people)
    started_at = dt.datetime.fromisoformat(str(run.started_at))
    begun = Instant(_DEVICE, str(run.id), 0.0, started_at)
    row = RunRow(
        id=run.id,
        unit_id=unit.id,
        unit=record["unit"],
        rules_hash=rules.content_hash,
        procedure=procedure.as_dict(),
        purpose=run.purpose,
        driver=people.get("driver", ""),
        setup=asdict(
            Setup(
                watcher=people.get("watcher", ""),
                timekeeper=timekeeper_of(people.get("timekeeper", "")),
                policy=run.policy,
            )
        ),
        resolution_psi=run.resolution_psi,
        started_at=started_at,
        begun={"device": begun.device, "epoch": begun.epoch, "mono_s": 0.0},
        last_seq=len(run.events),
        demo=demo,
        recording=None if run.recording is None else dict(run.recording),
        recorded=run.recording is not None,
        origin=imported.origin if imported is not None else None,
        imported={"by": imported.by, "at": imported.at.isoformat()} if imported is not None else None,
    )
    session.add(row)
    session.flush()
    note_trailers(session, row.id, trailers_named(session, run.unit.trailers))
    note_people(session, row, row.driver, people.get("watcher", ""))
    session.add(clock_of(RUNS, row.id, begun, map_begun(0.0)))
    rows = [
        {
            "run_id": row.id,
            "seq": place,
            "id": event.id or f"{row.id}:{place}",
            "type": event.type,
            "device": begun.device,
            "epoch": begun.epoch,
            "device_seq": place,
            "mono_s": event.at_s,
            "wall": started_at + dt.timedelta(seconds=event.at_s),
            "at_s": event.at_s,
            "author": event.by or row.driver,
            "primary_psi": event.primary_psi,
            "secondary_psi": event.secondary_psi,
            "body": {key: value for key, value in given.items() if key not in _SERVER_FIELDS},
            "received_at": started_at + dt.timedelta(seconds=event.at_s),
        }
        for place, (event, given) in enumerate(zip(run.events, record["events"], strict=True), start=1)
    ]
    session.flush()
    if rows:
        # past the mapper, which would send each shape of row by itself
        session.execute(insert(EventRow.__table__), rows)  # type: ignore[arg-type]
    # a record that is taken in whole goes on no more, whether it says so or not
    ended = standing_events(run.events)[2]
    row.ended_by = ended.type if ended is not None else "finished"
    row.ended_at_s = ended.at_s if ended is not None else max((event.at_s for event in run.events), default=0.0)
    row.ended_at = started_at + dt.timedelta(seconds=row.ended_at_s)
    # judged from what was just read: the same as from what was just written
    save_verdict(session, row, judge_run(run, rules, procedure))
    return row.id
