"""What if the rules were others: asked here, answered beside everything else."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal, cast

from fastapi import APIRouter, Path, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import AwareDatetime, BaseModel, Field

from lowhiss.api.auth import PersonDep
from lowhiss.api.deps import StoreDep, WordsDep
from lowhiss.api.json_requests import CarefulRoute
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import UUID_PATTERN, Language
from lowhiss.core.judge import Outcome, Overall
from lowhiss.core.stages import Stage
from lowhiss.service.job_worker import Worker
from lowhiss.service.jobs import JobState
from lowhiss.service.runs import whatif

router = APIRouter(prefix="/api/what-if", tags=["rules"], route_class=CarefulRoute)
JobId = Annotated[str, Path(pattern=UUID_PATTERN)]


class WhatIfBody(Strict):
    """Under which rules (a name, or ``name@version``), and which ended runs: as the log is narrowed."""

    rules: Annotated[str, Field(min_length=1, max_length=80)]
    search: Annotated[str, Field(max_length=100)] = ""
    outcome: Literal["pass", "fail", "void", "incomplete", "close_call"] | None = None
    since: AwareDatetime | None = None
    until: AwareDatetime | None = None

    def to_service(self) -> whatif.Choice:
        """As the service takes it."""
        return whatif.Choice(self.search, self.outcome, self.since, self.until)


class ChangeOut(BaseModel):
    """So many runs would come out as ``after`` instead of ``before``."""

    before: Overall
    after: Overall
    runs: int


class UnitChangesOut(BaseModel):
    """So many runs of a unit would come out otherwise."""

    unit: str
    runs: int


class WhatIfOut(BaseModel):
    """A question and how far it is. ``lines``: runs of which at least a stage would come out otherwise."""

    id: str
    state: JobState
    title: dict[Language, str]
    rules: str
    choice: dict[str, Any]
    asked_by: str
    asked_at: dt.datetime
    ended_at: dt.datetime | None
    total: int
    done: int
    judged: int
    unread: int
    changed: int
    lines: int
    ways: list[ChangeOut]
    units: list[UnitChangesOut]
    why: str

    @classmethod
    def of(cls, job: whatif.Job) -> WhatIfOut:
        said = job.summary
        return cls(
            id=job.id,
            state=job.state,
            title=cast(dict[Language, str], job.title),
            rules=job.rules,
            choice=job.choice,
            asked_by=job.asked_by,
            asked_at=job.asked_at,
            ended_at=job.ended_at,
            total=job.total,
            done=job.done,
            **{name: said[name] for name in ("judged", "unread", "changed", "lines")},
            ways=[
                ChangeOut(before=cast(Overall, way.split()[0]), after=cast(Overall, way.split()[1]), runs=runs)
                for way, runs in sorted(said["ways"].items(), key=lambda one: -one[1])
            ],
            units=[
                UnitChangesOut(unit=unit, runs=runs)
                for unit, runs in sorted(said["units"].items(), key=lambda one: (-one[1], one[0]))[:20]
            ],
            why=job.why,
        )


class ChangedStageOut(BaseModel):
    """A stage that would come out otherwise, with both sums in words."""

    stage: Stage
    before: Outcome
    after: Outcome
    was: str
    now: str


class ChangedRunOut(BaseModel):
    """A run that would come out otherwise, or of which a stage would."""

    run_id: str
    unit: str
    driver: str
    started_at: dt.datetime
    before: Overall
    after: Overall
    stages: list[ChangedStageOut]

    @classmethod
    def of(cls, one: whatif.ChangedRun) -> ChangedRunOut:
        return cls.model_validate(one, from_attributes=True)


@router.post("", operation_id="askWhatIf", status_code=201)
def ask_what_if(body: WhatIfBody, request: Request, store: StoreDep, by: PersonDep) -> WhatIfOut:
    """Judge a choice of runs again under other rules; answered in parts, beside everything else."""
    job = whatif.ask(store, by, body.rules, body.to_service())
    cast(Worker, request.app.state.worker).wake()
    return WhatIfOut.of(job)


@router.get("", operation_id="listWhatIfs")
def list_what_ifs(store: StoreDep) -> list[WhatIfOut]:
    """Every question that is kept, the latest first."""
    return [WhatIfOut.of(job) for job in whatif.jobs(store)]


@router.get("/{job_id}", operation_id="getWhatIf")
def get_what_if(job_id: JobId, store: StoreDep) -> WhatIfOut:
    """How far a question is, and what came of it so far."""
    return WhatIfOut.of(whatif.job(store, job_id))


@router.post("/{job_id}/stop", operation_id="stopWhatIf")
def stop_what_if(job_id: JobId, store: StoreDep, by: PersonDep) -> WhatIfOut:
    """Stop a question; what was found so far stays."""
    return WhatIfOut.of(whatif.cancel(store, job_id, by))


@router.get("/{job_id}/lines", operation_id="getWhatIfLines")
def get_what_if_lines(
    job_id: JobId, store: StoreDep, words: WordsDep, after: Annotated[int, Query(ge=0, lt=2**31)] = 0
) -> list[ChangedRunOut]:
    """The runs that would come out otherwise, a page of them, with both sums."""
    return [ChangedRunOut.of(one) for one in whatif.changes(store, job_id, words, after)]


@router.get("/{job_id}/csv", operation_id="getWhatIfCsv", response_class=StreamingResponse)
def get_what_if_csv(job_id: JobId, store: StoreDep, words: WordsDep) -> StreamingResponse:
    """Every run that would come out otherwise, a line for each stage that differs."""
    headers = {"Content-Disposition": 'attachment; filename="what-if.csv"'}
    return StreamingResponse(whatif.as_csv(store, job_id, words), media_type="text/csv", headers=headers)
