"""Runs: begin one, send its events, read it back, judge it."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Response

from lowhiss.api.auth import DeviceDep, PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.schemas import (
    UUID_PATTERN,
    BeginRun,
    EventBatch,
    EventOut,
    ReceivedOut,
    RunOut,
    SchoolOut,
    ScriptOut,
    SheetOut,
)
from lowhiss.service import receiving, runs, scripts

router = APIRouter(prefix="/api/runs", tags=["runs"])
RunId = Annotated[str, Path(pattern=UUID_PATTERN)]


@router.post("", operation_id="beginRun")
def begin_run(body: BeginRun, store: StoreDep, by: PersonDep, device: DeviceDep) -> RunOut:
    """Begin a run; the same one sent again is found again."""
    return RunOut.of(runs.begin_run(store, body.to_service(), body.sent.to_service(), by, device))


@router.get("/open", operation_id="listOpenRuns")
def list_open_runs(store: StoreDep, by: PersonDep, device: DeviceDep) -> list[RunOut]:
    """Runs that were left open lately and that the asker may go on with, the latest first."""
    return [RunOut.of(head) for head in runs.open_runs(store, by, device, dt.datetime.now(dt.UTC))]


@router.get("/{run_id}", operation_id="getRun")
def get_run(run_id: RunId, store: StoreDep) -> RunOut:
    """What stands beside the run's events."""
    return RunOut.of(runs.run_head(store, run_id))


@router.post("/{run_id}/events", operation_id="addEvents")
def add_events(run_id: RunId, body: EventBatch, store: StoreDep, by: PersonDep, device: DeviceDep) -> ReceivedOut:
    """Append events. What is answered as accepted is committed; a resent event is accepted again, once."""
    events = [event.to_service() for event in body.events]
    return ReceivedOut.of(receiving.add_events(store, run_id, body.sent.to_service(), events, by, device))


@router.get("/{run_id}/events", operation_id="listEvents")
def list_events(run_id: RunId, store: StoreDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0) -> list[EventOut]:
    """The run's events with a sequence number above ``after``."""
    return [EventOut.of(kept) for kept in runs.events_after(store, run_id, after)]


@router.get("/{run_id}/sheet", operation_id="getSheet")
def get_sheet(run_id: RunId, store: StoreDep, words: WordsDep) -> SheetOut:
    """The run judged, worded in the reader's language and unit."""
    return SheetOut.of(runs.sheet(store, run_id, words))


@router.get("/{run_id}/schools", operation_id="getSchools")
def get_schools(run_id: RunId, store: StoreDep, words: WordsDep) -> list[SchoolOut]:
    """The same run judged under every built-in rule set."""
    return [SchoolOut.model_validate(verdict) for verdict in runs.by_every_school(store, run_id, words)]


@router.get("/{run_id}/script", operation_id="getRunScript", response_model=ScriptOut)
def get_script(run_id: RunId, store: StoreDep) -> dict[str, Any]:
    """The script of this run, for the unit as it was coupled when the run began."""
    return scripts.script_of_run(store, run_id)


@router.get("/{run_id}/record", operation_id="getRecord")
def get_record(run_id: RunId, store: StoreDep, response: Response) -> dict[str, Any]:
    """The run as an open run record, ``low-hiss-run/1``."""
    response.headers["Content-Disposition"] = f'attachment; filename="low-hiss-run-{run_id}.json"'
    return runs.open_record(store, run_id)
