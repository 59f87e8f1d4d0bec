"""Inspections, their scripts and how they stand, as they go in and out."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from lowhiss.api.marks.schemas import ClockReading
from lowhiss.api.schemas import Hash, Strict, Uuid
from lowhiss.core.fields import Language
from lowhiss.core.inspections import Answer, Finding, Outcome
from lowhiss.core.inspections.model import Fill, Measured, On, PaperOf, Position, Role
from lowhiss.core.inspections.papers import PaperStatus
from lowhiss.core.record import Purpose
from lowhiss.core.status import Blocks, Consequence
from lowhiss.core.vehicle import PowerKind, UnitKind
from lowhiss.service.inspections.lifecycle import InspectionBeginning, Start
from lowhiss.service.inspections.papers import HolderKind, SavedPaper
from lowhiss.service.inspections.rows import InspectionHead, InspectionPart


class BeginInspection(Strict):
    """Begin an inspection; the device makes the id, so that sending it again is harmless."""

    id: Uuid
    unit_id: Uuid
    way: Annotated[str, Field(max_length=60)]
    rules: Annotated[str, Field(max_length=60)] | None = None
    rules_hash: Hash | None = None
    """The version that it is led by; the one in force where it is not named."""
    purpose: Purpose = "dispatch"
    driver: Annotated[str, Field(max_length=80)] = ""
    mirrored: bool = False
    run_id: Uuid | None = None
    begun: ClockReading
    sent: ClockReading

    def to_service(self) -> InspectionBeginning:
        """As the service takes it."""
        return InspectionBeginning(
            self.id,
            self.unit_id,
            self.way,
            self.rules,
            self.purpose,
            self.driver,
            self.begun.to_service(),
            self.mirrored,
            self.run_id,
            self.rules_hash,
        )


class NamedOut(BaseModel):
    """An id with its words."""

    id: str
    name: str


class FirstOut(NamedOut):
    """What must be true before something is looked at. ``opposite``: what is no longer so when this is."""

    opposite: str


class ConditionOut(BaseModel):
    """A condition: as it is shown, what it means exactly, and what is wrong when it is not so."""

    id: str
    label: str
    means: str
    not_so: str


class QuestionOut(BaseModel):
    """What decides about a consequence when it is so."""

    id: str
    ask: str
    to: Consequence
    blocks: Blocks


class InspectionItemOut(BaseModel):
    """What is the same of an item at each of its places.

    means : the consequence when it is not right.  blocks : what it stops then, where it means *stay*.
    """

    name: str
    zone: str
    checks: list[str]
    first: list[str]
    block: str
    own: bool
    glance: bool
    fill: Fill
    group: str
    fixable: bool
    means: Consequence | None
    blocks: Blocks
    questions: list[QuestionOut]
    by_reference: bool
    color: str


class InspectionTapeOut(BaseModel):
    """Where a tape begins and ends, its step, where it stands at first, and the window of the limit."""

    from_: Annotated[float, Field(alias="from")]
    to: float
    step: float
    start: float
    low: float | None
    high: float | None


class MeasureOut(BaseModel):
    """What is measured, in one unit; without a tape it is only looked at. Limit and school in words."""

    name: str
    unit: Measured
    label: str
    limit: str
    school: str
    source: str
    tape: InspectionTapeOut | None
    urgent: bool


class KnownOut(BaseModel):
    """A defect that was known before."""

    what: str
    consequence: Consequence


class AskOut(BaseModel):
    """One item at one place. ``vehicle``: 0 the power unit, else the trailer that a defect is pinned to."""

    key: str
    item: str
    station: str
    where: str
    vehicle: int
    axle: int | None
    part: str
    side: str
    end: str
    seconds: float
    measures: list[MeasureOut]
    say: str
    known: KnownOut | None


class WantedOut(BaseModel):
    """A fact that nobody knows yet, as a question."""

    fact: str
    part: str
    of: str
    ask: str
    station: str


class StationOut(BaseModel):
    """A stop of the path."""

    id: str
    name: str
    side: str


class FigureAxleOut(BaseModel):
    """An axle as the figure draws it."""

    role: Role
    dual: bool
    lift: bool


class FigurePartOut(BaseModel):
    """A part of the set as the figure draws it, front to back."""

    code: str
    on: On
    name: str
    kind: PowerKind | Literal["trailer", "dolly"]
    axles: list[FigureAxleOut]


class CallOut(BaseModel):
    """A call of the light check and the items that it answers. ``answer_within_s``: then it is called again."""

    id: str
    position: Position
    say: str
    wait_s: float
    answer_within_s: float
    asks: list[str]


class MethodOut(BaseModel):
    """A way to check lights. ``opens``: what must be brought back after it."""

    id: str
    name: str
    how: str
    opens: str


class FillingOut(BaseModel):
    """What may be looked at while the air builds, in order, and when to stop."""

    quiet_psi: float
    quiet_s: float
    short_s: float
    short_after_first_s: float
    short_after_refill_s: float
    order: list[str]


class FromRunOut(BaseModel):
    """A mark of the air test and the asks that it answers."""

    mark: dict[str, str]
    needs: str
    asks: list[str]


class StateFromRunOut(BaseModel):
    """By which marks of the air test something is true first, and by which no longer."""

    first: str
    on: dict[str, str]
    off: dict[str, str] | None


class WalkOrderOut(BaseModel):
    """A way to do an inspection. ``blocks``: an axle end is answered block by block."""

    id: str
    name: str
    blocks: bool
    glance: bool


class InspectionScriptOut(BaseModel):
    """What a device needs to lead an inspection without contact."""

    format: Literal["low-hiss-round-script/1"]
    hash: str
    way: WalkOrderOut
    rules: str
    rules_hash: str | None
    """Of a fleet's own set: which version."""
    figure: list[FigurePartOut]
    stations: list[StationOut]
    firsts: list[FirstOut]
    answers: list[NamedOut]
    unseen: list[NamedOut]
    conditions: list[ConditionOut]
    items: dict[str, InspectionItemOut]
    asks: list[AskOut]
    wanted: list[WantedOut]
    calls: list[CallOut]
    methods: list[MethodOut]
    filling: FillingOut
    from_run: list[FromRunOut]
    states: list[StateFromRunOut]
    bring_back: list[NamedOut]


class WalkOrderChoiceOut(BaseModel):
    """A way that fits the set."""

    id: str
    name: str


class InspectionStartOut(BaseModel):
    """What an inspection of a set may begin with: its record without marks, the ways that fit, the script of one."""

    record: dict[str, Any]
    ways: list[WalkOrderChoiceOut]
    script: InspectionScriptOut

    @classmethod
    def of(cls, start: Start, language: Language) -> InspectionStartOut:
        ways = [WalkOrderChoiceOut(id=way.id, name=way.name[language]) for way in start.ways]
        return cls(record=start.record, ways=ways, script=InspectionScriptOut.model_validate(start.script))


class BlockingOut(BaseModel):
    """An item that stops something until it is fixed. ``key``: the item and its place."""

    key: str
    blocks: Blocks


class InspectionFiguresOut(BaseModel):
    """What lists show of an inspection. ``blocks``: what is stopped, the worst of ``blocking``."""

    of: int
    left: int
    complete: bool
    clear: bool
    worst: Consequence | None
    blocks: Blocks | None
    blocking: list[BlockingOut]
    not_right: int
    took_s: float
    while_filling: int


class InspectionOut(BaseModel):
    """What stands beside an inspection's marks."""

    id: str
    unit_id: str
    unit_name: str
    kind: UnitKind
    trailers: list[str]
    run_id: str | None
    rules: str
    way: str
    mirrored: bool
    purpose: Purpose
    driver: str
    started_at: dt.datetime
    last_seq: int
    ended_by: Literal["finished", "abandoned"] | None
    figures: InspectionFiguresOut
    begun_by: str
    helpers: list[str]
    part: InspectionPart | None

    @classmethod
    def of(cls, head: InspectionHead) -> InspectionOut:
        return cls.model_validate(asdict(head))


class InspectionHeadOut(BaseModel):
    """An inspection's head with its record without marks."""

    head: InspectionOut
    record: dict[str, Any]


class InspectionFindingOut(BaseModel):
    """A finding; ``about``: the items that it is about."""

    code: Finding
    text: str
    about: list[str]


class InspectionAnswerOut(BaseModel):
    """What stands of one item. ``mark``: the id of the answer that stands, empty where the air test gave it.

    report : where it stands in the report that a driver must make; empty where it belongs to no part of one.
    """

    key: str
    name: str
    where: str
    vehicle: int
    group: str
    report: str
    outcome: Outcome
    answer: Answer | None
    value: float | None
    unit: Measured | None
    shown: str
    limit: str
    wrong: list[str]
    not_so: str
    why: str
    note: str
    by: str
    device: str
    at_s: float | None
    mark: str
    teaching: bool
    findings: list[InspectionFindingOut]
    consequence: Consequence | None
    blocks: Blocks | None
    said: bool | None
    say: str


class InspectionStateOut(BaseModel):
    """How an inspection stands under a rule set."""

    format: Literal["low-hiss-round-state/1"]
    rules: str
    of: int
    left: int
    wanted: int
    complete: bool
    clear: bool
    worst: Consequence | None
    blocks: Blocks | None
    ended: str | None
    items: list[InspectionAnswerOut]
    findings: list[InspectionFindingOut]
    bring_back: list[NamedOut]
    call: str
    states: dict[str, bool]
    while_filling: int
    took_s: float


class PaperOut(BaseModel):
    """A paper of a unit, trailer or person, and how it stands today."""

    holder_kind: HolderKind
    holder_id: str
    holder: str
    paper: str
    of: PaperOf
    name: str
    match: str
    dated: bool
    until: dt.date | None
    number: str
    status: PaperStatus
    otherwise: Consequence
    source: str
    by: str

    @classmethod
    def of_saved(cls, kept: SavedPaper) -> PaperOut:
        return cls(
            holder_kind=kept.holder.kind,
            holder_id=kept.holder.id,
            holder=kept.holder.name,
            paper=kept.paper.id,
            of=kept.paper.of,
            name=kept.name,
            match=kept.match,
            dated=kept.paper.dated,
            until=kept.until,
            number=kept.number,
            status=kept.status,
            otherwise=kept.paper.otherwise,
            source=kept.paper.source,
            by=kept.by,
        )


class PaperBody(Strict):
    """Until when a paper is good, and its number."""

    until: dt.date | None = None
    number: Annotated[str, Field(max_length=60)] = ""
