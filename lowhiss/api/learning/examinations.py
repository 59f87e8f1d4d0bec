"""A candidate's examination on a real vehicle, over HTTP: their own report, and the examiner's decision."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import APIRouter, Path
from pydantic import BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.stages import Stage
from lowhiss.service.learning import examinations

router = APIRouter(prefix="/api/runs", tags=["learning"], route_class=CarefulRoute)
RunId = Annotated[str, Path(pattern=UUID_PATTERN)]


class RepeatRequestOut(BaseModel):
    """A part that the candidate asked to do over."""

    stage: Stage
    named: bool
    granted: bool


class FoundOut(BaseModel):
    """What was done or said wrongly."""

    code: str
    text: str
    critical: bool


class ExaminationOut(BaseModel):
    """A candidate's own report, apart from the vehicle's; for the candidate without findings until it is told."""

    run_id: str
    candidate: str
    examiner: str | None
    told_at: dt.datetime | None
    passed: bool | None
    remark: str
    withheld: bool
    asked: list[RepeatRequestOut]
    closing: Literal["pass", "fail"] | None
    findings: list[FoundOut]


class DecisionBody(Strict):
    """What the examiner decided."""

    passed: bool
    remark: Annotated[str, Field(max_length=2000)] = ""


@router.get("/{run_id}/examination", operation_id="getExamination")
def get_examination(run_id: RunId, store: StoreDep, by: PersonDep, words: WordsDep) -> ExaminationOut:
    """The candidate's report of a run that is an examination."""
    return ExaminationOut.model_validate(asdict(examinations.read(store, run_id, by, words)))


@router.put("/{run_id}/examination", operation_id="announceExamination")
def announce_examination(
    run_id: RunId, body: DecisionBody, store: StoreDep, by: PersonDep, words: WordsDep
) -> ExaminationOut:
    """Tell the candidate the result, once the test is over."""
    told = examinations.announce(store, run_id, by, body.passed, body.remark, words)
    return ExaminationOut.model_validate(asdict(told))
