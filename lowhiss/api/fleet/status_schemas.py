"""What goes in and out about holds, defects, what was done about them, and when tests are due."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from lowhiss.api.marks.schemas import ClockReading
from lowhiss.api.schemas import ProofBody, Strict, Uuid
from lowhiss.core.stages import Stage
from lowhiss.core.status import ActType, Consequence, DefectState, Every, Group, LiftBy, PartKind, Status, UnitPart
from lowhiss.service.fleet.acts import Done, ReceivedActs
from lowhiss.service.fleet.readers import Reading
from lowhiss.service.fleet.status_export import Reads
from lowhiss.service.fleet.unit_history import Entry, Kind
from lowhiss.service.fleet.unit_status import Calendar, DefectView, HoldView, UnitStatus

MAX_ACTS = 50


class PartOut(BaseModel):
    """A power unit or a trailer, with its name."""

    kind: PartKind
    id: str
    name: str
    held: bool


class LiftOut(BaseModel):
    """One thing that would change a hold, as a sentence."""

    way: LiftBy
    text: str


class HoldOut(BaseModel):
    """A hold. ``text``: why.  ways : what would change it, in the order to do it; empty once it is lifted."""

    id: str
    stage: Stage | None
    opened_at: dt.datetime
    by: str
    text: str
    parts: list[PartOut]
    run_id: str | None
    """The run that failed last."""
    repaired_at: dt.datetime | None
    from_before: bool
    ways: list[LiftOut]
    tested_with: str | None
    """The unit whose test would look at it again."""
    lifted_at: dt.datetime | None
    lifted_how: Literal["recheck", "release", "struck_out", "dismissed"] | None
    lifted_run_id: str | None
    lifted_by: str
    lifted_reason: str

    @classmethod
    def of(cls, view: HoldView) -> HoldOut:
        hold, lifted = view.hold, view.hold.lifted
        return cls(
            id=hold.id,
            stage=hold.stage,
            opened_at=hold.opened_at,
            by=view.by,
            text=view.text,
            parts=[PartOut(kind=p.kind, id=p.id, name=name, held=p in hold.held) for p, name in view.parts],
            run_id=hold.fails[-1].run_id if hold.fails else None,
            repaired_at=hold.repaired_at,
            from_before=hold.from_before,
            ways=[LiftOut(way=way, text=text) for way, text in view.ways],
            tested_with=view.tested_with,
            lifted_at=lifted.at if lifted else None,
            lifted_how=lifted.how if lifted else None,
            lifted_run_id=(lifted.run_id or None) if lifted else None,
            lifted_by=lifted.by if lifted else "",
            lifted_reason=lifted.reason if lifted else "",
        )


class DefectOut(BaseModel):
    """A defect. ``consequence``: what it means now.  recheck : what must pass after its repair.

    closed : nothing stands of it.  unread : it was certified, and no driver has read that since.
    """

    id: str
    part_kind: PartKind
    part_id: str
    part: str
    text: str
    seen_at: dt.datetime
    by: str
    consequence: Consequence | None
    means: str
    state: DefectState
    state_text: str
    taken_by: str
    certified_at: dt.datetime | None
    certified_by: str
    did: str
    recheck: list[Stage]
    recheck_item: bool
    closed: bool
    unread: bool
    run_id: str | None
    photos: list[str]

    @classmethod
    def of(cls, view: DefectView) -> DefectOut:
        defect = view.defect
        return cls(
            id=defect.id,
            part_kind=defect.part.kind,
            part_id=defect.part.id,
            part=view.part,
            text=view.text,
            seen_at=defect.seen_at,
            by=defect.by,
            consequence=view.consequence,
            means=view.means,
            state=defect.state,
            state_text=view.state,
            taken_by=defect.taken_by,
            certified_at=defect.certified_at,
            certified_by=defect.certified_by,
            did=defect.said,
            recheck=list(defect.recheck),
            recheck_item=defect.recheck_item,
            closed=defect.closed,
            unread=defect.unread,
            run_id=defect.run_id or None,
            photos=view.photos,
        )


class RecheckOut(BaseModel):
    """The test that looks again at what holds a unit, as short as there is one; ``seconds`` as planned."""

    stages: list[Stage]
    procedure: str
    rules: str
    seconds: float
    refills: int


class UnitStatusOut(BaseModel):
    """How a unit stands with what it pulls today. ``text``: in a few words.  stays : it does not leave as it is."""

    unit_id: str
    name: str
    status: Status
    text: str
    stays: bool
    holds: list[HoldOut]
    defects: list[DefectOut]
    passed_at: dt.datetime | None
    due_at: dt.datetime | None
    every: Every | None
    count: int
    own_rule: bool
    """How often it is tested is its own rule, not the fleet's."""
    recheck: RecheckOut | None

    @classmethod
    def of(cls, one: UnitStatus) -> UnitStatusOut:
        return cls(
            unit_id=one.unit_id,
            name=one.name,
            status=one.status,
            text=one.text,
            stays=one.stays,
            holds=[HoldOut.of(hold) for hold in one.holds],
            defects=[DefectOut.of(defect) for defect in one.defects],
            passed_at=one.passed_at,
            due_at=one.due_at,
            every=one.rule.every if one.rule else None,
            count=one.rule.count if one.rule else 1,
            own_rule=one.own_rule,
            recheck=None if one.recheck is None else RecheckOut.model_validate(asdict(one.recheck)),
        )


class WorkshopOut(BaseModel):
    """Open holds and defects that are not closed, in the order to take them."""

    holds: list[HoldOut]
    defects: list[DefectOut]


class EntryOut(BaseModel):
    """One thing that happened to a unit, in a line of time. ``text``: a sentence.  run_id : the run it is about."""

    at: dt.datetime
    kind: Kind
    what: str
    by: str
    text: str
    run_id: str | None
    fields: dict[str, Any] | None

    @classmethod
    def of(cls, entry: Entry) -> EntryOut:
        return cls(
            at=entry.at,
            kind=entry.kind,
            what=entry.what,
            by=entry.by,
            text=entry.text,
            run_id=entry.run_id or None,
            fields=entry.fields,
        )


class CourseOut(BaseModel):
    """A page of what happened to a unit, the latest first; ``next_before`` continues it."""

    entries: list[EntryOut]
    next_before: dt.datetime | None

    @classmethod
    def of(cls, entries: list[Entry], next_before: dt.datetime | None) -> CourseOut:
        return cls(entries=[EntryOut.of(entry) for entry in entries], next_before=next_before)


class GroupOut(BaseModel):
    """A group of parts that may be found not right: its name, and what follows under each rule set."""

    id: str
    name: dict[str, str]
    by_rules: dict[str, Consequence]
    otherwise: Consequence
    """Under a rule set without a column."""

    @classmethod
    def of(cls, group: Group) -> GroupOut:
        return cls(
            id=group.id,
            name={str(language): name for language, name in group.name.items()},
            by_rules=dict(group.by_rules),
            otherwise=group.under(""),
        )


class PartBody(Strict):
    """A power unit or a trailer."""

    kind: PartKind
    id: Uuid


class ActBody(Strict):
    """One thing that somebody did about a vehicle; ``body`` holds the fields of its type."""

    id: Uuid
    type: ActType
    part: PartBody
    at: ClockReading
    by: Annotated[str, Field(max_length=200)] = ""
    body: dict[str, Any]
    proof: ProofBody | None = None


class ActsBody(Strict):
    """A batch of acts, with the clocks of the device when it was sent."""

    sent: ClockReading
    acts: Annotated[list[ActBody], Field(min_length=1, max_length=MAX_ACTS)]

    def to_service(self) -> list[Done]:
        """As the service takes it."""
        return [
            Done(
                act.id,
                act.type,
                UnitPart(act.part.kind, act.part.id),
                act.at.to_service(),
                act.by,
                act.body,
                act.proof.to_service() if act.proof is not None else None,
            )
            for act in self.acts
        ]


class AsideActOut(BaseModel):
    """An act that could not be taken, and why."""

    id: str
    code: str
    message: str


class ReceivedActsOut(BaseModel):
    """What became of a batch of acts."""

    accepted: list[str]
    set_aside: list[AsideActOut]

    @classmethod
    def of(cls, received: ReceivedActs) -> ReceivedActsOut:
        aside = [AsideActOut(id=one.id, code=one.code, message=one.sentence) for one in received.set_aside]
        return cls(accepted=received.accepted, set_aside=aside)


class PhotoOut(BaseModel):
    """The hash by which a photograph is found."""

    hash: str


class ReadTokenBody(Strict):
    """Who is to read, and what."""

    reads: Reads
    name: Annotated[str, Field(max_length=80)]


class ReadTokenOut(BaseModel):
    """A token without its secret."""

    id: str
    reads: Reads
    name: str
    made_by: str
    made_at: dt.datetime


class MadeTokenOut(BaseModel):
    """The secret of a new token, shown once."""

    token: str


class ReadingOut(BaseModel):
    """How somebody reads a loss; figures null with too few tests."""

    tests: int | None
    mean_psi: float | None
    error_psi: float | None
    text: str

    @classmethod
    def of(cls, reading: Reading) -> ReadingOut:
        bias = reading.bias
        return cls(
            tests=bias.tests if bias else None,
            mean_psi=bias.mean_psi if bias else None,
            error_psi=bias.error_psi if bias else None,
            text=reading.text,
        )


class DueBody(Strict):
    """How often something is tested; ``every`` null: no rule of its own."""

    every: Every | None = None
    count: Annotated[int, Field(ge=-9999, le=9999)] = 1

    def rule_table(self) -> dict[str, Any] | None:
        """As the service takes it."""
        return None if self.every is None else {"every": self.every, "count": self.count}


class CalendarBody(DueBody):
    """How often the fleet tests, with its time zone by its IANA name."""

    time_zone: Annotated[str, Field(max_length=60)]


class CalendarOut(BaseModel):
    """The fleet's time zone, and how often it tests."""

    time_zone: str
    every: Every | None
    count: int

    @classmethod
    def of(cls, calendar: Calendar) -> CalendarOut:
        rule = calendar.rule
        return cls(time_zone=calendar.zone.key, every=rule.every if rule else None, count=rule.count if rule else 1)
