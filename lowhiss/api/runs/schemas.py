"""Runs, their marks and the log as they go in and out."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from lowhiss.api.marks.schemas import ClockReading
from lowhiss.api.schemas import Hash, Psi, Strict, Uuid
from lowhiss.core.fields import Language
from lowhiss.core.judge import Outcome
from lowhiss.core.record import Purpose
from lowhiss.core.rules import Policy
from lowhiss.core.stages import Stage
from lowhiss.core.vehicle import UnitKind
from lowhiss.service.fleet.unit_rules import Given
from lowhiss.service.runs.lifecycle import Beginning
from lowhiss.service.runs.log import Latest, LogLine
from lowhiss.service.runs.participants import Part
from lowhiss.service.runs.rows import RunHead, Setup

Headline = Literal["pass", "fail", "void", "incomplete"]


class SetupBody(Strict):
    """How a run is led, as chosen before it begins."""

    watcher: Annotated[str, Field(max_length=80)] = ""
    timekeeper: Literal["tool", "driver", "watcher"] = "tool"
    policy: Policy | None = None
    calls: Literal["prompt", "rehearsal", "off"] = "off"
    readings: Literal["eye", "feed"] = "eye"
    examined: bool = False


class BeginRun(Strict):
    """Begin a run; the device makes the id, so that sending it again is harmless."""

    id: Uuid
    unit_id: Uuid
    procedure: Annotated[str, Field(max_length=60)] | None = None
    rules: Annotated[str, Field(max_length=60)] | None = None
    rules_hash: Hash | None = None
    procedure_hash: Hash | None = None
    """The versions that it is led by, as its script names them; those in force where they are not named."""
    purpose: Purpose = "dispatch"
    driver: Annotated[str, Field(max_length=80)] = ""
    setup: SetupBody = SetupBody()
    begun: ClockReading
    sent: ClockReading

    def to_service(self) -> Beginning:
        """As the service takes it."""
        begun, setup = self.begun.to_service(), Setup(**self.setup.model_dump())
        given = Given(self.rules_hash, self.procedure_hash)
        named = (self.id, self.unit_id, self.procedure, self.rules, self.purpose, self.driver)
        return Beginning(*named, begun, setup, given)


class MemberOut(BaseModel):
    """Somebody who joined a run, and the part they take in it."""

    name: str
    part: Part


class DecisionOut(BaseModel):
    """What a manager decided of a test from elsewhere."""

    accept: bool
    by: str
    at: dt.datetime
    reason: str


class RunOut(BaseModel):
    """What stands beside a run's events.

    begun_by : who began it.  doubtful : its begin lies further back than any device is promised to be without contact.
    """

    id: str
    unit_id: str
    unit_name: str
    kind: UnitKind
    trailers: list[str]
    procedure: str
    rules: str
    rules_title: dict[Language, str]
    purpose: Purpose
    driver: str
    setup: SetupBody
    started_at: dt.datetime
    last_seq: int
    demo: bool
    begun_by: str
    ended_by: Literal["finished", "abandoned"] | None
    doubtful: bool
    members: list[MemberOut]
    recording: dict[str, Any] | None = None
    """What it was found in, where nobody made a mark."""
    sealed: bool = False
    """Its report was signed."""
    origin: str = ""
    reported: bool = False
    """It comes from elsewhere, and nobody has decided yet whether it counts."""
    decision: DecisionOut | None = None
    part: Part | None = None
    """The part the asker takes in it; null where that was not asked, or when they take none."""

    @classmethod
    def of(cls, head: RunHead) -> RunOut:
        return cls(
            id=head.id,
            unit_id=head.unit_id,
            unit_name=head.unit.name,
            kind=head.unit.kind,
            trailers=list(head.unit.trailers),
            procedure=head.procedure,
            rules=head.rules,
            rules_title=dict(head.rules_title),
            purpose=head.purpose,
            driver=head.driver,
            setup=SetupBody(**asdict(head.setup)),
            started_at=head.started_at,
            last_seq=head.last_seq,
            demo=head.demo,
            begun_by=head.begun_by,
            recording=head.recording,
            origin=head.origin,
            reported=head.reported,
            decision=None if head.decision is None else DecisionOut.model_validate(head.decision),
            sealed=head.sealed,
            ended_by=head.ended_by,
            doubtful=head.doubtful,
            members=[MemberOut(name=name, part=part) for name, part in head.members],
            part=head.part,
        )


class BayOut(BaseModel):
    """A rule's window along the air column; an open side is null."""

    stage: Stage
    of: Literal["reading", "end"]
    now: bool
    low_psi: Psi | None
    high_psi: Psi | None


class PinOut(BaseModel):
    """A judged figure on the air column."""

    stage: Stage
    point: str
    psi: Psi
    outcome: Outcome
    now: bool


class ColumnOut(BaseModel):
    """The air column of a run."""

    fill_psi: Psi | None
    bays: list[BayOut]
    pins: list[PinOut]


class StatusOut(BaseModel):
    """How a stage stands in a list; figures that were not measured are null."""

    outcome: Outcome
    close_call: bool
    psi: Psi | None = None
    start_psi: Psi | None = None
    end_psi: Psi | None = None
    drop_psi: Psi | None = None
    rate_psi_per_min: float | None = None
    duration_s: float | None = None
    time_s: float | None = None


class LogLineOut(BaseModel):
    """A run as the log lists it."""

    run: RunOut
    outcome: Headline
    close_call: bool
    differs: bool
    """A newer core judges it otherwise, and nobody has looked yet."""
    stages: dict[Stage, StatusOut]
    column: ColumnOut

    @classmethod
    def of(cls, line: LogLine) -> LogLineOut:
        return cls.model_validate(
            {
                "run": RunOut.of(line.head),
                "outcome": line.outcome,
                "close_call": line.close_call,
                "differs": line.differs,
                "stages": line.figures["stages"],
                "column": line.figures["column"],
            }
        )


class LatestOut(BaseModel):
    """A unit's latest run as the yard shows it."""

    run_id: str
    started_at: dt.datetime
    driver: str
    outcome: Headline
    close_call: bool
    drop_psi: Psi | None
    column: ColumnOut

    @classmethod
    def of(cls, latest: Latest) -> LatestOut:
        return cls.model_validate(
            {
                "run_id": latest.run_id,
                "started_at": latest.started_at,
                "driver": latest.driver,
                "outcome": latest.outcome,
                "close_call": latest.close_call,
                "drop_psi": latest.figures["stages"].get("leak_applied", {}).get("drop_psi"),
                "column": latest.figures["column"],
            }
        )


class LogOut(BaseModel):
    """A page of the log, the latest run first; ``next_before`` continues it."""

    runs: list[LogLineOut]
    next_before: str | None
