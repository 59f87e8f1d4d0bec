"""Practices: kept, listed, read back; the code by which a trainer joins; and joining whatever a code is for."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request
from pydantic import AwareDatetime, BaseModel, Field
from starlette.concurrency import run_in_threadpool

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.marks.schemas import JoinBody, JoinCodeOut
from lowhiss.api.practice.counts import DRIVEN_FIRST, soon
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.service.practice import practices

router = APIRouter(prefix="/api", tags=["practice"], route_class=CarefulRoute)
PracticeId = Annotated[str, Path(pattern=UUID_PATTERN)]


class PracticeBody(Strict):
    """A practice as far as it has come. ``after`` comes with its end: what its device found."""

    title: Annotated[str, Field(min_length=1, max_length=80)]
    began_at: AwareDatetime
    record: dict[str, Any]
    after: dict[str, Any] | None = None


class PracticeHeadOut(BaseModel):
    """What a list shows of a practice."""

    id: str
    person: str
    mine: bool
    title: str
    began_at: dt.datetime
    seconds: float
    ended: bool
    outcome: str | None
    faulty: bool | None
    summary: dict[str, Any] | None
    counts: bool | None
    """Whether the server could drive it again from its log; null until it has tried."""


class PracticeOut(BaseModel):
    """A practice whole."""

    head: PracticeHeadOut
    record: dict[str, Any]
    after: dict[str, Any] | None


class JoinedOut(BaseModel):
    """What a code was for: a practice to train in, an inspection to help in, or an air test to watch."""

    inspection_id: str | None
    run_id: str | None
    practice_id: str | None


@router.put("/practices/{practice_id}", operation_id="savePractice")
async def save_practice(
    practice_id: PracticeId, body: PracticeBody, request: Request, store: StoreDep, by: PersonDep
) -> PracticeHeadOut:
    """Keep a practice; sent again it is kept once, and it only grows. Once it is over it is driven again."""
    given = body.title, body.began_at, body.record, body.after
    kept = await run_in_threadpool(practices.save, store, practice_id, by, *given)
    if kept.ended:
        soon(request, practice_id, by.id)
    return PracticeHeadOut.model_validate(asdict(kept))


@router.get("/practices", operation_id="listPractices", dependencies=DRIVEN_FIRST)
def list_practices(
    store: StoreDep, by: PersonDep, everybody: Annotated[bool, Query()] = False
) -> list[PracticeHeadOut]:
    """The latest practices of whoever asks; of everybody for a trainer or manager who wants them."""
    return [PracticeHeadOut.model_validate(asdict(head)) for head in practices.listed(store, by, everybody)]


@router.get("/practices/{practice_id}", operation_id="getPractice")
def get_practice(practice_id: PracticeId, store: StoreDep, by: PersonDep, words: WordsDep) -> PracticeOut:
    """A practice with its record and what was found after it."""
    kept = practices.read(store, practice_id, by, words)
    return PracticeOut(head=PracticeHeadOut.model_validate(asdict(kept.head)), record=kept.record, after=kept.after)


@router.get("/units/{unit_id}/vehicle", operation_id="getVehicle")
def get_vehicle(unit_id: Annotated[str, Path(pattern=UUID_PATTERN)], store: StoreDep) -> dict[str, Any]:
    """A unit as it is coupled now, as the practice vehicle takes it."""
    return practices.vehicle_of(store, unit_id)


@router.post("/practices/{practice_id}/code", operation_id="makePracticeCode")
def make_code(practice_id: PracticeId, store: StoreDep, by: PersonDep) -> JoinCodeOut:
    """A code by which a trainer joins this practice."""
    code, until = practices.make_code(store, practice_id, by)
    return JoinCodeOut(code=code, until=until)


@router.post("/join", operation_id="joinByCode")
def join_by_code(body: JoinBody, store: StoreDep, by: PersonDep) -> JoinedOut:
    """Join whatever a code is for: a practice as its trainer, an inspection as a helper, an air test as a watcher."""
    return JoinedOut.model_validate(asdict(practices.join(store, body.code, by)))
