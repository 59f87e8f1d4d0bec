"""The trace desk over HTTP: a file in, its stages and verdict out, and again for each boundary that is moved."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Body, Path, Query
from pydantic import BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.careful import CarefulRoute
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.lanes import HEAVY
from lowhiss.api.runs.sheet_schemas import StretchOut, VerdictOut
from lowhiss.api.schemas import Strict
from lowhiss.core.stages import Stage
from lowhiss.service.traces import desk

router = APIRouter(prefix="/api/traces", tags=["traces"], route_class=CarefulRoute)
RecordingId = Annotated[str, Path(pattern="^[0-9a-f]{64}$")]
Column = Annotated[str | None, Query(max_length=80)]


class RecordingOut(BaseModel):
    """A recording: its id is the hash of its file. ``columns``: what each was taken for."""

    id: str
    name: str
    format: str
    columns: dict[str, str]
    sent_by: str
    sent_at: dt.datetime


class FigureOut(BaseModel):
    """A number with the ends between which it lies."""

    value: float
    low: float
    high: float


class FoundStageOut(BaseModel):
    """A stage of the order; without times it was not seen. ``moved``: somebody put it there."""

    stage: Stage
    from_s: float | None
    to_s: float | None
    measured: dict[str, FigureOut]
    moved: bool


class JudgedOut(BaseModel):
    """A recording judged."""

    from_s: float
    to_s: float
    sessions: int
    procedure: str
    step_psi: float
    stages: list[FoundStageOut]
    needles: list[StretchOut]
    verdict: VerdictOut


class MovedIn(Strict):
    """Where somebody put a stage, by its place in the order from 0."""

    place: Annotated[int, Field(ge=0, le=60)]
    from_s: Annotated[float, Field(ge=-1e9, le=1e9)]
    to_s: Annotated[float, Field(ge=-1e9, le=1e9)]


class JudgeBody(Strict):
    """How a recording is to be judged."""

    kind: Annotated[str, Field(max_length=40)] = "tractor_semitrailer"
    rules: Annotated[str, Field(max_length=60)] = "us-cdl"
    procedure: Annotated[str, Field(max_length=60)] | None = None
    session: Annotated[int, Field(ge=1, le=10_000)] = 1
    moved: Annotated[list[MovedIn], Field(max_length=60, default_factory=list)]


@router.post("", operation_id="keepRecording", status_code=201)
async def keep_recording(
    store: StoreDep,
    by: PersonDep,
    name: Annotated[str, Query(min_length=1, max_length=120)],
    data: Annotated[bytes, Body(media_type="application/octet-stream")],
    time: Column = None,
    primary: Column = None,
    secondary: Column = None,
    sender: Column = None,
) -> RecordingOut:
    """Read a recording; its samples are kept by the file's hash, the file is not. Columns may be named by hand."""
    given = {"time": time, "primary": primary, "secondary": secondary, "sender": sender}
    chosen = {what: column for what, column in given.items() if column}
    return RecordingOut.model_validate(asdict(await HEAVY.run(desk.keep, store, by, name, data, chosen)))


@router.get("", operation_id="listRecordings")
def list_recordings(store: StoreDep) -> list[RecordingOut]:
    """The latest recordings."""
    return [RecordingOut.model_validate(asdict(one)) for one in desk.listed(store)]


@router.post("/{recording_id}/judge", operation_id="judgeRecording")
async def judge_recording(recording_id: RecordingId, body: JudgeBody, store: StoreDep, words: WordsDep) -> JudgedOut:
    """Find a test in a recording and judge it; stages that were moved are measured where they were put."""
    moved = {one.place: (one.from_s, one.to_s) for one in body.moved}
    asked = desk.Asked(body.kind, body.rules, body.procedure, body.session, moved)
    found: dict[str, Any] = await HEAVY.run(desk.judge, store, recording_id, asked, words)
    return JudgedOut.model_validate(found)
