"""The trace desk over HTTP: a file in, its stages and verdict out, and what a stretch of it became."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Path, Query

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.threads import RECORDINGS
from lowhiss.api.traces.schemas import AttachBody, AttachedOut, ColumnsIn, JudgeBody, JudgedOut, RecordingOut
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.people.signin import Person
from lowhiss.service.traces import editor, recorded_runs
from lowhiss.store.engine import Store

router = APIRouter(prefix="/api/traces", tags=["traces"], route_class=CarefulRoute)
RecordingId = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]
SessionPlace = Annotated[int, Path(ge=1, le=10_000)]


@router.post("", operation_id="saveRecording", status_code=201)
async def save_recording(
    store: StoreDep,
    by: PersonDep,
    name: Annotated[str, Query(min_length=1, max_length=120)],
    data: Annotated[bytes, Body(media_type="application/octet-stream")],
    columns: Annotated[ColumnsIn, Depends()],
) -> RecordingOut:
    """Read a recording; its samples are kept by the file's hash, the file is not. Columns may be named by hand."""
    chosen = {what: column for what, column in columns.model_dump().items() if column}
    kept, names = await RECORDINGS.run(editor.save, store, by, name, data, chosen)
    return RecordingOut.model_validate({**asdict(kept), "names": names})


@router.get("", operation_id="listRecordings")
def list_recordings(store: StoreDep) -> list[RecordingOut]:
    """The latest recordings."""
    return [RecordingOut.model_validate(asdict(one)) for one in editor.listed(store)]


@router.get("/{recording_id}", operation_id="getRecording")
def get_recording(recording_id: RecordingId, store: StoreDep) -> RecordingOut:
    """One recording."""
    return RecordingOut.model_validate(asdict(editor.one(store, recording_id)))


@router.post("/of-run/{run_id}", operation_id="saveFeed", status_code=201)
async def save_feed(run_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep, by: PersonDep) -> RecordingOut:
    """A test's own live feed as a recording, to lay its marks over."""
    return RecordingOut.model_validate(asdict(await RECORDINGS.run(editor.save_feed, store, by, run_id)))


@router.post("/{recording_id}/judge", operation_id="judgeRecording")
async def judge_recording(recording_id: RecordingId, body: JudgeBody, store: StoreDep, words: WordsDep) -> JudgedOut:
    """Find a test in a recording and judge it; stages that were moved are measured where they were put."""
    found: dict[str, Any] = await RECORDINGS.run(editor.judge, store, recording_id, body.to_service(), words)
    return JudgedOut.model_validate(found)


@router.post("/{recording_id}/attach", operation_id="attachRecording", status_code=201)
async def attach_recording(recording_id: RecordingId, body: AttachBody, store: StoreDep, by: PersonDep) -> AttachedOut:
    """Make a session a run of a unit, as it is found and moved; it changes nothing about how the unit stands."""
    return await _attached(recording_id, body, store, by, counts=False)


@router.post("/{recording_id}/count", operation_id="countRecording", status_code=201)
async def count_recording(recording_id: RecordingId, body: AttachBody, store: StoreDep, by: PersonDep) -> AttachedOut:
    """Add a recording to the log, and let it count for the unit's status."""
    return await _attached(recording_id, body, store, by, counts=True)


async def _attached(recording_id: str, body: AttachBody, store: Store, by: Person, *, counts: bool) -> AttachedOut:
    asked, as_run = body.judged.to_service(), body.to_service(counts=counts)
    return AttachedOut(run_id=await RECORDINGS.run(recorded_runs.attach, store, by, recording_id, asked, as_run))


@router.put("/{recording_id}/sessions/{place}/no-test", operation_id="sayNoTest", status_code=204)
async def say_no_test(recording_id: RecordingId, place: SessionPlace, store: StoreDep, by: PersonDep) -> None:
    """A session is no test."""
    await RECORDINGS.run(recorded_runs.say_no_test, store, by, recording_id, place)


@router.delete("/{recording_id}/sessions/{place}/no-test", operation_id="takeBackNoTest", status_code=204)
async def take_back_no_test(recording_id: RecordingId, place: SessionPlace, store: StoreDep) -> None:
    """It may be a test after all."""
    await RECORDINGS.run(recorded_runs.take_back, store, recording_id, place)
