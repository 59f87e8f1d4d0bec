"""A run judged, as it goes out: the verdict record, the same run by every school, and its report."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from lowhiss.api.runs.schemas import ColumnOut, Headline, RunOut
from lowhiss.api.schemas import Psi, Strict
from lowhiss.core.fields import Language
from lowhiss.core.judge import Outcome, Overall
from lowhiss.core.judge.model import WhyCounted
from lowhiss.core.stages import Stage
from lowhiss.service.runs.lifecycle import Report


class FindingOut(BaseModel):
    """A finding, worded for the reader."""

    code: str
    text: str


class CoachOut(FindingOut):
    """A finding and the stage it belongs to."""

    stage: Stage | None


class LimitOut(BaseModel):
    """The limit that judged an attempt."""

    model_config = ConfigDict(extra="allow")

    key: str
    text: str
    words: str
    source: str
    unit: Literal["psi", "s"]
    hold_s: float | None = None
    max: float | None = None
    min: float | None = None
    below: float | None = None
    above: float | None = None


class StageOut(BaseModel):
    """One attempt at a stage, judged and worded. ``between``: of a figure from a recording, its ends."""

    stage: Stage
    attempt: int
    stands: bool
    outcome: Outcome
    close_call: bool
    measured: dict[str, Any]
    between: dict[str, list[float]] = {}
    limit: LimitOut | None
    margin: float | None
    uncertainty: float | None
    arithmetic: str
    findings: list[FindingOut]


class CandidateOut(BaseModel):
    """The candidate's own result, by finding code."""

    critical: list[str]
    minor: list[str]


class LateOut(BaseModel):
    """A mark that came after the run's end, and whether and why it counts."""

    event: str | None
    type: str
    counts: bool
    why: WhyCounted


class VerdictOut(BaseModel):
    """The verdict record, ``low-hiss-verdict/1``."""

    format: Literal["low-hiss-verdict/1"]
    rules: str
    rules_hash: str
    overall: Overall
    stages: list[StageOut]
    limited: int
    required: int
    coach: list[CoachOut]
    candidate: CandidateOut
    late: list[LateOut] = []
    hints: list[FindingOut]


class RuleSetVerdictOut(VerdictOut):
    """The run under one school."""

    title: dict[Language, str]
    outcome: Headline


class PointOut(BaseModel):
    """A reading along time: the lower needle and the other."""

    at_s: float
    event: dict[str, Any]
    psi: Psi
    other_psi: Psi | None


class DeedOut(BaseModel):
    """Something done to the vehicle."""

    at_s: float
    event: dict[str, Any]


class SpanOut(BaseModel):
    """One attempt at a stage along time."""

    stage: Stage
    attempt: int
    outcome: Outcome
    from_s: float
    to_s: float


class TimelineOut(BaseModel):
    """A run along time."""

    points: list[PointOut]
    deeds: list[DeedOut]
    spans: list[SpanOut]


class StretchOut(BaseModel):
    """One needle of a live feed while its frames came without a gap."""

    needle: Literal["primary", "secondary"]
    at_s: list[float]
    psi: list[Psi]


class FeedComparisonOut(BaseModel):
    """A mark beside what a live feed showed. ``which``: the stage, part or knob it is of."""

    at_s: float
    kind: str
    which: str
    stage: Stage | None
    late_s: float | None
    typed_psi: list[Psi] | None
    shown_psi: list[Psi]
    quality: Literal["good", "late", "read_off", "too_early", "invented"]


class ResultOut(BaseModel):
    """A result in short: the word for it, and how each stage stands."""

    outcome: Headline
    close_call: bool
    stages: dict[Stage, Any]


class DiffersOut(BaseModel):
    """What a newer core says of the same marks: the result that was kept, the one of today, and which counts."""

    core: str
    kept: ResultOut
    now: ResultOut
    counts: Literal["kept", "now"]


class LookedOut(BaseModel):
    """Who looked at what a newer core says, when and why."""

    by: str
    at: str
    why: str


class LookBody(Strict):
    """Why what a newer core says is to count."""

    why: Annotated[str, Field(min_length=1, max_length=500)]


class DecisionBody(Strict):
    """Whether a test from elsewhere counts for its vehicle, and why."""

    accept: bool
    reason: Annotated[str, Field(min_length=1, max_length=500)]


class ProposalOut(BaseModel):
    """A finding that may be a defect, of this group of parts or of none in particular."""

    finding: str
    group: str
    text: str


class ReportOut(BaseModel):
    """A run judged: the report.

    at_end : the result as it stood when the end was received.  differs : what a newer core says, until somebody looked.
    did : what the result did to holds, as sentences.  proposals : what of it may be a defect.
    """

    run: RunOut
    outcome: Headline
    verdict: VerdictOut
    column: ColumnOut
    timeline: TimelineOut
    events: list[dict[str, Any]]
    at_end: ResultOut | None
    differs: DiffersOut | None
    looked: LookedOut | None
    did: list[str]
    proposals: list[ProposalOut]

    @classmethod
    def of(cls, report: Report) -> ReportOut:
        return cls.model_validate(
            {
                "run": RunOut.of(report.head),
                "outcome": report.outcome,
                "verdict": report.verdict,
                "column": report.column,
                "timeline": report.timeline,
                "events": report.events,
                "at_end": report.at_end,
                "differs": report.differs,
                "looked": report.looked,
                "did": report.did,
                "proposals": [asdict(one) for one in report.proposals],
            }
        )
