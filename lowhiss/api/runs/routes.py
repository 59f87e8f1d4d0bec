"""Runs: begin one, send its events, read it back, judge it."""

from __future__ import annotations

import datetime as dt
from collections.abc import AsyncIterator
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.responses import StreamingResponse

from lowhiss.api.auth import DeviceDep, PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.marks.live import nudges_of
from lowhiss.api.marks.schemas import EventBatch, JoinBody, JoinCodeOut, ReceivedOut, SavedEventOut
from lowhiss.api.runs.report_schemas import (
    DecisionBody,
    FeedComparisonOut,
    LookBody,
    ReportOut,
    RuleSetVerdictOut,
    StretchOut,
)
from lowhiss.api.runs.schemas import BeginRun, RunOut
from lowhiss.api.runs.script_schemas import ScriptOut
from lowhiss.api.threads import HEAVY
from lowhiss.api.workers import by_length
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.inspections import lifecycle as inspections
from lowhiss.service.runs import lifecycle, participants, run_feeds, run_marks, scripts

router = APIRouter(prefix="/api/runs", tags=["runs"], route_class=CarefulRoute)
RunId = Annotated[str, Path(pattern=UUID_PATTERN)]


@router.post("", operation_id="beginRun")
def begin_run(body: BeginRun, store: StoreDep, by: PersonDep, device: DeviceDep) -> RunOut:
    """Begin a run; the same one sent again is found again."""
    return RunOut.of(lifecycle.begin_run(store, body.to_service(), body.sent.to_service(), by, device))


@router.get("/open", operation_id="listOpenRuns")
def list_open_runs(store: StoreDep, by: PersonDep) -> list[RunOut]:
    """Runs that were left open lately and that the asker may go on with, the latest first."""
    return [RunOut.of(head) for head in lifecycle.open_runs(store, by, dt.datetime.now(dt.UTC))]


@router.get("/{run_id}", operation_id="getRun")
def get_run(run_id: RunId, store: StoreDep, by: PersonDep, device: DeviceDep) -> RunOut:
    """What stands beside the run's events, and the asker's part in it."""
    return RunOut.of(lifecycle.run_head(store, run_id, by, device))


@router.post("/{run_id}/join-code", operation_id="makeJoinCode")
def make_join_code(run_id: RunId, store: StoreDep, by: PersonDep, device: DeviceDep) -> JoinCodeOut:
    """A code for a second person; it lasts ten minutes, and the one before it is void."""
    code, until = participants.make_join_code(store, run_id, by, device)
    return JoinCodeOut(code=code, until=until)


@router.post("/join", operation_id="joinRun")
def join_run(body: JoinBody, store: StoreDep, by: PersonDep, device: DeviceDep) -> RunOut:
    """Join a run as its watcher."""
    run_id = participants.join(store, body.code, by)
    return RunOut.of(lifecycle.run_head(store, run_id, by, device))


@router.post("/{run_id}/lead", operation_id="takeLead")
def take_lead(run_id: RunId, store: StoreDep, by: PersonDep, device: DeviceDep) -> RunOut:
    """Lead the run from here on, as when the driver's device has died."""
    participants.take_lead(store, run_id, by, device)
    return RunOut.of(lifecycle.run_head(store, run_id, by, device))


@router.post("/{run_id}/events", operation_id="addEvents")
def add_events(
    run_id: RunId, body: EventBatch, request: Request, store: StoreDep, by: PersonDep, device: DeviceDep
) -> ReceivedOut:
    """Append events. What is answered as accepted is committed; a resent event is accepted again, once."""
    events, malformed = body.to_service()
    received = run_marks.add_events(store, run_id, body.sent.to_service(), events, by, device)
    received.set_aside += malformed
    nudges_of(request).grown("run", run_id, received.last_seq)
    return ReceivedOut.of(received)


@router.get("/{run_id}/events", operation_id="listEvents")
def list_events(
    run_id: RunId, store: StoreDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0
) -> list[SavedEventOut]:
    """The run's events with a sequence number above ``after``."""
    return [SavedEventOut.of(one) for one in lifecycle.events_after(store, run_id, after)]


@router.get("/{run_id}/report", operation_id="getReport")
async def get_report(run_id: RunId, request: Request, words: WordsDep) -> ReportOut:
    """The run judged, worded in the reader's language and unit."""
    return ReportOut.of(await by_length(request, run_id, lifecycle.report, words))


@router.post("/{run_id}/result", operation_id="lookAtResult")
def look_at_result(run_id: RunId, body: LookBody, store: StoreDep, by: PersonDep, words: WordsDep) -> ReportOut:
    """A newer core judges this ended run otherwise: somebody has looked, and that counts from here on."""
    lifecycle.look_at_result(store, run_id, by, body.why)
    return ReportOut.of(lifecycle.report(store, run_id, words))


@router.post("/{run_id}/decision", operation_id="decideReported", status_code=204)
def decide_reported(run_id: RunId, body: DecisionBody, store: StoreDep, by: PersonDep) -> None:
    """Decide whether a test that was imported, or found in a recording, counts for its vehicle."""
    lifecycle.decide_reported(store, by, run_id, accept=body.accept, reason=body.reason)


@router.get("/{run_id}/rule-sets", operation_id="getRuleSetVerdicts")
async def get_rule_set_verdicts(run_id: RunId, request: Request, words: WordsDep) -> list[RuleSetVerdictOut]:
    """The run judged under every rule set in force."""
    found = await by_length(request, run_id, lifecycle.by_all_rule_sets, words)
    return [RuleSetVerdictOut.model_validate(verdict) for verdict in found]


@router.get("/{run_id}/script", operation_id="getRunScript", response_model=ScriptOut)
def get_script(run_id: RunId, store: StoreDep) -> dict[str, Any]:
    """The script of this run, for the unit as it was coupled when the run began."""
    return scripts.script_of_run(store, run_id)


@router.get("/{run_id}/trace", operation_id="getTrace", response_model=list[dict[str, Any]])
async def get_trace(run_id: RunId, store: StoreDep) -> StreamingResponse:
    """What a live feed showed while the run was under way, frame by frame; empty where there was none."""
    parts = run_feeds.trace_parts(store, run_id)
    first = await HEAVY.run(next, parts, None)  # a run that is not there is said before anything is sent

    async def pieces() -> AsyncIterator[str]:
        yield "["
        lines, before = first, ""
        while lines is not None:
            yield before + ",".join(lines)
            lines, before = await HEAVY.run(next, parts, None), ","
        yield "]"

    return StreamingResponse(pieces(), media_type="application/json")


@router.get("/{run_id}/needles", operation_id="getNeedles")
async def get_needles(run_id: RunId, store: StoreDep) -> list[StretchOut]:
    """The run's trace for a chart: stretches without a gap, thinned; empty where there was none."""
    found = await HEAVY.run(run_feeds.needles_of, store, run_id)
    return [StretchOut.model_validate(asdict(stretch)) for stretch in found]


@router.get("/{run_id}/feed-comparison", operation_id="getFeedComparison")
async def get_feed_comparison(run_id: RunId, store: StoreDep) -> list[FeedComparisonOut]:
    """Each mark beside what a live feed showed: how late, and how far its number lay off; empty where none was."""
    return [FeedComparisonOut.model_validate(one) for one in await HEAVY.run(run_feeds.marks_compared, store, run_id)]


@router.get("/{run_id}/record", operation_id="getRecord")
def get_record(run_id: RunId, store: StoreDep, response: Response) -> dict[str, Any]:
    """The run as an open run record, ``low-hiss-run/1``."""
    response.headers["Content-Disposition"] = f'attachment; filename="low-hiss-run-{run_id}.json"'
    beside = inspections.linked_records(store, run_id)
    record = lifecycle.open_record(store, run_id)
    return {**record, "inspections": beside} if beside else record
