"""Recordings over HTTP: what is asked of them and what is answered."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from pydantic import AwareDatetime, BaseModel, Field

from lowhiss.api.runs.report_schemas import FeedComparisonOut, StretchOut, VerdictOut
from lowhiss.api.schemas import Strict
from lowhiss.core.fields import UUID_PATTERN
from lowhiss.core.judge import Overall
from lowhiss.core.stages import Stage
from lowhiss.core.units import PressureUnit
from lowhiss.service.traces import editor, recorded_runs
from lowhiss.service.traces.recording_batches import BatchState

Column = Annotated[str | None, Field(max_length=80)]


class RecordingOut(BaseModel):
    """A recording: its id is the hash of its file.

    columns : what each was taken for.  sessions, settled : found in it, and of how many somebody said what they are.
    run_id : the test whose own live feed it is.
    """

    id: str
    name: str
    format: str
    columns: dict[str, str]
    sent_by: str
    sent_at: dt.datetime
    began_at: dt.datetime | None
    sessions: int
    settled: int
    run_id: str | None
    names: list[str] = []
    """What all its columns are called, while the file is at hand."""


class ColumnsIn(BaseModel):
    """Which column is what, over the guess; and the pressures' unit, over what the columns' names say."""

    time: Column = None
    primary: Column = None
    secondary: Column = None
    lamp: Column = None
    tractor_in: Column = None
    trailer_in: Column = None
    sender: Column = None
    unit: PressureUnit | Literal["mpa"] | None = None


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
    open: bool
    """A minute at rest of which the log does not tell whether the pedal was held: judged once somebody places it."""


class SessionOut(BaseModel):
    """A stretch that holds a test, and what somebody said it is."""

    from_s: float
    to_s: float
    began_at: dt.datetime | None
    state: Literal["open", "run", "no_test"]
    run_id: str | None


class JudgedOut(BaseModel):
    """A recording judged. ``whole``: its needles over all sessions.  ``marks``: of the test whose own feed it is."""

    from_s: float
    to_s: float
    sessions: list[SessionOut]
    procedure: str
    rules: str
    step_psi: float
    stages: list[FoundStageOut]
    needles: list[StretchOut]
    whole: list[StretchOut]
    marks: list[FeedComparisonOut]
    verdict: VerdictOut


class MovedIn(Strict):
    """Where somebody put a stage, by its place in the order from 0."""

    place: Annotated[int, Field(ge=0, le=60)]
    from_s: Annotated[float, Field(ge=-1e9, le=1e9)]
    to_s: Annotated[float, Field(ge=-1e9, le=1e9)]


class JudgeBody(Strict):
    """How a recording is to be judged: as a unit of the yard, or as a kind; rules of the unit's own unless named."""

    unit_id: Annotated[str, Field(pattern=UUID_PATTERN)] | None = None
    kind: Annotated[str, Field(max_length=40)] = "tractor_semitrailer"
    rules: Annotated[str, Field(max_length=60)] | None = None
    procedure: Annotated[str, Field(max_length=60)] | None = None
    session: Annotated[int, Field(ge=1, le=10_000)] = 1
    moved: Annotated[list[MovedIn], Field(max_length=60, default_factory=list)]

    def to_service(self) -> editor.JudgeRequest:
        """As the service takes it."""
        moved = {one.place: (one.from_s, one.to_s) for one in self.moved}
        return editor.JudgeRequest(self.kind, self.rules, self.procedure, self.session, moved, self.unit_id)


class AttachBody(Strict):
    """What a session is to be taken for."""

    judged: JudgeBody
    driver: Annotated[str, Field(max_length=80)] = ""
    began_at: AwareDatetime

    def to_service(self, *, counts: bool) -> recorded_runs.Attached:
        """As the service takes it."""
        return recorded_runs.Attached(self.driver, counts, self.began_at)


class AttachedOut(BaseModel):
    """The run that it became."""

    run_id: str


class BatchBody(Strict):
    """By what every file of a batch is judged."""

    unit_id: Annotated[str, Field(pattern=UUID_PATTERN)] | None = None
    kind: Annotated[str, Field(max_length=40)] = "tractor_semitrailer"
    rules: Annotated[str, Field(max_length=60)] | None = None
    procedure: Annotated[str, Field(max_length=60)] | None = None

    def to_service(self) -> editor.JudgeRequest:
        """As the service takes it."""
        return editor.JudgeRequest(self.kind, self.rules, self.procedure, 1, {}, self.unit_id)


class BatchOut(BaseModel):
    """Files that were dropped together and how far they are.

    reading, size : bytes read of the only file, and its all; 0 where there are several.
    outcomes : how many sessions came out each way.
    """

    id: str
    state: BatchState
    asked_by: str
    asked_at: dt.datetime
    ended_at: dt.datetime | None
    total: int
    done: int
    failed: int
    sessions: int
    outcomes: dict[str, int]
    reading: int
    size: int
    why: str


class BatchSessionOut(BaseModel):
    """A session in a file of a batch; without an outcome, why not."""

    from_s: float
    to_s: float
    overall: Overall | None
    order: str = ""
    found: int = 0
    stages: int = 0
    error: str = ""


class BatchLineOut(BaseModel):
    """A file of a batch: its recording and sessions, or why it could not be read."""

    name: str
    id: str | None = None
    format: str = ""
    columns: dict[str, str] = {}
    sessions: list[BatchSessionOut] = []
    error: str | None
