"""The rule book and the rule desk as they go in and out."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, BaseModel, Field

from lowhiss.api.schemas import Strict
from lowhiss.core.fields import Language
from lowhiss.core.procedure import Procedure
from lowhiss.core.stages import Action, LimitedStage, Stage
from lowhiss.core.status import Consequence
from lowhiss.core.vehicle import Holding, UnitKind
from lowhiss.core.words import Words
from lowhiss.engine.editor.comparison import Cell, Convention, Row, source_of
from lowhiss.engine.editor.orders import Ordered
from lowhiss.service.fleet.unit_rules import TestedBy
from lowhiss.service.rules.editor import Checked, Edition

Id = Annotated[str, Field(min_length=1, max_length=60)]
Revision = Annotated[int, Field(ge=1, lt=2**31)]


class BookRulesOut(BaseModel):
    """A rule set: its words, and the order of work it is taught in for each kind of unit.

    own : it is the fleet's.  parent : the set it comes from.
    """

    id: str
    title: dict[Language, str]
    about: dict[Language, str]
    default_procedure: dict[UnitKind, str]
    own: bool
    parent: str | None


class BookProcedureOut(BaseModel):
    """A procedure: its words and its steps; ``optional``: stages that may be left out."""

    id: str
    title: dict[Language, str]
    about: dict[Language, str]
    steps: list[Action | Stage]
    optional: list[Stage]
    holding: Holding | None
    own: bool

    @classmethod
    def of(cls, one: Procedure, *, own: bool) -> BookProcedureOut:
        return cls(
            id=one.id,
            title=dict(one.title),
            about=dict(one.about),
            steps=list(one.steps),
            optional=list(one.optional),
            holding=one.holding,
            own=own,
        )


class TestedByOut(BaseModel):
    """By what units of a kind are tested that have no rules of their own; ``procedure``: null for the school's own."""

    rules: str
    procedure: str | None


class BookOut(BaseModel):
    """The rule book, in its own order: the built-in ones, then the fleet's in force."""

    rules: list[BookRulesOut]
    procedures: list[BookProcedureOut]
    tested_by: dict[UnitKind, TestedByOut]


class TestedByBody(Strict):
    """By what units of each kind are tested that have no rules of their own."""

    kinds: dict[UnitKind, TestedByIn]

    def to_service(self) -> dict[UnitKind, TestedBy]:
        """As the service takes it."""
        return {kind: TestedBy(one.rules, one.procedure) for kind, one in self.kinds.items()}


class TestedByIn(Strict):
    """A rule set and an order of work by name."""

    rules: Id
    procedure: Id | None = None


class EditionOut(BaseModel):
    """One version of one of the fleet's own. ``now``: it is the one in force.  written : what somebody wrote of it."""

    kind: Literal["rules", "procedure"]
    name: str
    version: int
    state: Literal["draft", "published", "retired"]
    now: bool
    title: dict[Language, str]
    parent: str | None
    written: dict[str, Any]
    hash: str | None
    effective_from: dt.datetime | None
    drafted_by: str
    drafted_at: dt.datetime
    published_by: str | None
    published_at: dt.datetime | None
    retired_by: str | None
    retired_at: dt.datetime | None
    revision: int

    @classmethod
    def of(cls, one: Edition) -> EditionOut:
        return cls.model_validate(one, from_attributes=True)


class DraftBody(Strict):
    """A rule set or an order of work as the file that the command line takes; ``revision``: of the draft looked at."""

    table: dict[str, Any]
    revision: Revision | None = None


class PublishBody(Strict):
    """``revision``: of the draft that was looked at.  effective_from : when it begins to hold, null: now."""

    revision: Revision
    effective_from: AwareDatetime | None = None


class DropBody(Strict):
    """``revision``: of the draft that was looked at."""

    revision: Revision


class CheckBody(Strict):
    """A rule set or an order of work as it is being written."""

    table: dict[str, Any]


class LooserOut(BaseModel):
    """A limit that is looser than a published rule; ``reason``: the fleet says why."""

    key: str
    stage: LimitedStage
    text: str
    reason: bool


class CheckedOut(BaseModel):
    """What is being written, read: its own limits as they are said in both languages, and what is looser than the law.

    problem, field : why it cannot be kept, and where; empty where it can.
    """

    problem: str
    field: str
    said: dict[str, dict[Language, str]]
    looser: list[LooserOut]

    @classmethod
    def of(cls, checked: Checked, words: Words) -> CheckedOut:
        rules = checked.rules
        inherited = checked.parent.limits if checked.parent else ()
        own = [one for one in rules.limits if one not in inherited] if rules else []
        return cls(
            problem="",
            field="",
            said={one.key: {"en": Words("en").limit_words(one), "es": Words("es").limit_words(one)} for one in own},
            looser=[
                LooserOut(
                    key=one.limit.key,
                    stage=one.limit.stage,
                    text=words.looser(one.limit, one.source),
                    reason=one.reason,
                )
                for one in checked.looser
            ],
        )


class CellOut(BaseModel):
    """One set's limit of one stage, null where it has none; ``low`` and ``high`` as they are drawn, null: open."""

    limit: dict[str, Any] | None
    short: str
    text: str
    said: dict[Language, str]
    sources: list[str]
    standing: Literal["published", "from_memory", "common_practice", "fleet"] | None
    low: float | None
    high: float | None
    low_open: bool
    high_open: bool
    drawn_at_psi: float | None
    differs: bool
    own: bool
    reason: str

    @classmethod
    def of(cls, cell: Cell, plain: dict[str, Any] | None, words: Words) -> CellOut:
        """From the engine's cell; ``plain`` is its limit as it stands in a file."""
        source = cell.limit.source if cell.limit else None
        fields = {name: getattr(cell, name) for name in cls.model_fields if hasattr(cell, name)}
        return cls.model_validate(
            {
                **fields,
                "limit": plain,
                "sources": source_of(source, words) if source else [],
                "standing": source.standing if source else None,
            }
        )


class RowOut(BaseModel):
    """One stage across all sets; ``scale``: from where to where its bays are drawn, in ``unit``."""

    stage: LimitedStage
    title: str
    unit: Literal["psi", "s"]
    hold_s: float | None
    window_psi: list[float] | None
    scale: list[float]
    least: float
    most: float
    """Between which a bound can lie at all."""
    cells: list[CellOut]


class SetColumnOut(BaseModel):
    """A rule set of the table: its words, where it comes from, and which version it is where it is the fleet's."""

    ref: str
    id: str
    title: str
    about: str
    parent: str | None
    version: int | None
    state: Literal["built_in", "draft", "published", "retired"]


class ConventionOut(BaseModel):
    """Something that a set decides beside its limits, in words, set by set; ``differs``: from the first."""

    id: str
    title: str
    values: list[str]
    differs: list[bool]

    @classmethod
    def of(cls, one: Convention) -> ConventionOut:
        return cls.model_validate(one, from_attributes=True)


class CompareOut(BaseModel):
    """Rule sets side by side for one kind of unit."""

    columns: list[SetColumnOut]
    rows: list[RowOut]
    conventions: list[ConventionOut]


class InspectionLineOut(BaseModel):
    """What is measured in an inspection and its bound under a set; ``axles``: of which, empty: all."""

    measure: str
    name: str
    axles: list[str]
    unit: str
    at_least: float | None
    at_most: float | None
    source: str
    own: bool


class GroupLineOut(BaseModel):
    """What a defect of a group of parts means under a set; ``inherited``: under its parent."""

    id: str
    name: str
    consequence: Consequence
    inherited: Consequence


class InspectionRulesOut(BaseModel):
    """What a set holds of an inspection."""

    limits: list[InspectionLineOut]
    groups: list[GroupLineOut]


class WeighBody(Strict):
    """A limit as it was and as it would be, each as it stands in a file; null: none."""

    stage: LimitedStage
    kind: UnitKind
    was: dict[str, Any] | None = None
    now: dict[str, Any] | None = None


class ValueOut(BaseModel):
    """A value, how many runs read it, and whether it was and would be within; null without a limit."""

    value: float
    runs: int
    was: bool | None
    now: bool | None


class ValuesOut(BaseModel):
    """What the latest runs of a kind measured. ``pass_no_longer``, ``fail_no_longer``: so many readings would turn."""

    values: list[ValueOut]
    runs: int
    pass_no_longer: int
    fail_no_longer: int


class OrderBody(Strict):
    """An order of work as it is being built, and for what: a unit, or a kind of unit under a rule set."""

    table: dict[str, Any]
    rules: Id
    kind: UnitKind | None = None
    unit_id: Annotated[str, Field(max_length=36)] | None = None


class OrderStepOut(BaseModel):
    """One step as the planner sees it. ``place``: in the order as it was given, null where it was put in."""

    step: Action | Stage
    place: int | None
    seconds: float
    refill: bool
    start_psi: float
    end_psi: float
    does: str
    limit: str


class OrderOut(BaseModel):
    """What an order takes, or why it cannot be done (``problem`` at the step in ``place``).

    unjudged : stages that the rules limit and the order leaves out.  unlimited : stages of it without a limit.
    """

    steps: list[OrderStepOut]
    seconds: float
    refills: int
    engine_starts: int
    begins_full: bool
    unjudged: list[Stage]
    unlimited: list[Stage]
    place: int | None
    problem: str


class CardLineOut(BaseModel):
    """One stage on a cab card: its limit as it is read, and as it is said aloud in each language."""

    stage: Stage
    title: dict[Language, str]
    does: dict[Language, str]
    limit: str
    said: dict[Language, str]
    source: str


class CardOut(BaseModel):
    """One unit's order of work with its limits and words, for the cab."""

    unit: str
    kind: UnitKind
    rules: dict[Language, str]
    procedure: dict[Language, str]
    holding: dict[Language, str]
    lines: list[CardLineOut]
    caution: dict[Language, str]


def ordered_steps(found: Ordered, limit_of: Any, does_of: Any) -> list[OrderStepOut]:
    """The planned steps, with what each is and what it is held to."""
    return [
        OrderStepOut(
            step=step.step,
            place=place,
            seconds=step.seconds,
            refill=step.refill,
            start_psi=round(step.start_psi, 1),
            end_psi=round(step.end_psi, 1),
            does=does_of(step.step),
            limit=limit_of(step.step),
        )
        for step, place in zip(found.steps, found.places, strict=True)
    ]


def row_fields(row: Row) -> dict[str, Any]:
    """What a row goes out with beside its cells."""
    return {
        "stage": row.stage,
        "title": row.title,
        "unit": row.unit,
        "hold_s": row.hold_s,
        "window_psi": list(row.window_psi) if row.window_psi else None,
        "scale": list(row.scale),
    }
