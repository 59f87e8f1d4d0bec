"""What the rule desk asks of units and runs: sets side by side, an order's cost, a cab card, what was measured."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.fields import Fields
from lowhiss.core.procedure import Procedure, holding_of, read_procedure
from lowhiss.core.rules import Limit, RuleSet, read_limit
from lowhiss.core.stages import LimitedStage, Stage, Step, is_limited, is_stage
from lowhiss.core.status.quantities import measured, quantities_of
from lowhiss.core.vehicle import UNIT_KINDS, Circuits, Holding, Unit, UnitKind
from lowhiss.core.words import Words
from lowhiss.engine.editor.comparison import (
    Convention,
    GroupLine,
    InspectionLine,
    Row,
    conventions,
    group_lines,
    inspection_lines,
    side_by_side,
)
from lowhiss.engine.editor.limit_impact import Weighed, weigh
from lowhiss.engine.editor.orders import Ordered, order
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.rows import find_unit
from lowhiss.service.fleet.unit_rules import TestedBy as TestedBy
from lowhiss.service.fleet.unit_rules import choose, defaults_of, save_defaults
from lowhiss.service.fleet.units import assembled
from lowhiss.service.history import differences, note_change
from lowhiss.service.people.signin import Person
from lowhiss.service.rules.editions import procedures_now, rule_sets_now
from lowhiss.service.rules.editor import Edition, sets_named
from lowhiss.service.runs.scripts import own_pace
from lowhiss.store.engine import Store
from lowhiss.store.run_models import RunRow, VerdictRow

MAX_SIDE_BY_SIDE = 12
LATEST = 3_000
"""So many runs, the latest, are looked through for what they measured."""


@dataclass(frozen=True, slots=True)
class SideBySide:
    """Rule sets side by side, each with its version where it is the fleet's own."""

    sets: list[tuple[RuleSet, Edition | None]]
    rows: list[Row]
    conventions: list[Convention]


def _unit(session: Session, kind: UnitKind, circuits: Circuits, unit_id: str | None) -> Unit:
    if unit_id is not None:
        return assembled(session, find_unit(session, unit_id)).unit
    return Unit(kind, circuits=circuits)


def compare(
    store: Store, names: Sequence[str], kind: UnitKind, circuits: Circuits, unit_id: str | None, words: Words
) -> SideBySide:
    """Rule sets side by side for a kind of unit, or for one unit; every set in force where none is named.

    Raises NotFoundError, RefusedError naming the field.
    """
    if len(names) > MAX_SIDE_BY_SIDE:
        raise RefusedError("too_many", f"sets: you can compare up to {MAX_SIDE_BY_SIDE} rule sets at once.", "sets")
    now = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        unit = _unit(session, kind, circuits, unit_id)
        wanted = list(names) or [rules.id for rules in rule_sets_now(session, now)[:MAX_SIDE_BY_SIDE]]
        sets = sets_named(session, wanted, now)
    rules = [one for one, _ in sets]
    return SideBySide(sets, side_by_side(rules, unit, words), conventions(rules, words))


def inspection_rules(store: Store, name: str, words: Words) -> tuple[list[InspectionLine], list[GroupLine]]:
    """What a set holds of an inspection: its numbers, and what a defect means. Raises RefusedError, NotFoundError."""
    with store.transaction() as session:
        ((rules, _),) = sets_named(session, [name], dt.datetime.now(dt.UTC))
    return inspection_lines(rules, words), group_lines(rules, words)


def plan_order(
    store: Store, table: dict[str, Any], rules: str, kind: UnitKind | None, unit_id: str | None
) -> tuple[Ordered, Procedure, RuleSet, Unit]:
    """What an order takes on a unit at its own pace, or on a usual one of its kind. Raises RuleError, RefusedError."""
    procedure = read_procedure(table)
    now = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        ((chosen, _),) = sets_named(session, [rules], now)
        if unit_id is None:
            unit = Unit(kind or UNIT_KINDS[0])
            return order(procedure, unit, chosen), procedure, chosen, unit
        unit = assembled(session, find_unit(session, unit_id)).unit
        planning, _ = own_pace(session, unit_id, unit)
        return order(procedure, unit, chosen, planning), procedure, chosen, unit


@dataclass(frozen=True, slots=True)
class CardLine:
    """A stage of a cab card; ``limit`` is None where the rules have none."""

    stage: Stage
    limit: Limit | None


@dataclass(frozen=True, slots=True)
class Card:
    """One unit's order of work with its limits."""

    unit: Unit
    rules: RuleSet
    procedure: Procedure
    holding: Holding
    lines: list[CardLine]


def card(store: Store, unit_id: str) -> Card:
    """What stands on a unit's cab card: as it is coupled and tested now. Raises NotFoundError."""
    with store.transaction() as session:
        listed = assembled(session, find_unit(session, unit_id))
        rules, procedure = choose(session, listed.rules, listed.procedure, listed.unit)
    unit = listed.unit
    steps = dict.fromkeys(step for step in procedure.steps_on(unit) if is_stage(step))
    lines = [CardLine(step, rules.limit_for(step, unit) if is_limited(step) else None) for step in steps]
    return Card(unit, rules, procedure, holding_of(unit, procedure, rules), lines)


def does_of(unit: Unit, words: Words, step: Step) -> str:
    """What is done in a step on this unit."""
    return words.step(step, unit)


@dataclass(frozen=True, slots=True)
class Measured:
    """What the latest runs of a kind measured in a stage, against a limit as it was and as it would be."""

    values: list[Weighed]
    runs: int


def measured_in(store: Store, stage: LimitedStage, kind: UnitKind, was: object, now: object) -> Measured:
    """What ended runs of units of this kind validly measured in a stage, the latest so many.

    was, now : limits as they stand in a file, None for no limit. Raises RuleError naming the key.
    """
    old, new = (None if one is None else read_limit(Fields(one, "limit", RuleError)) for one in (was, now))
    latest = select(RunRow.id).order_by(RunRow.started_at.desc(), RunRow.id.desc()).limit(LATEST)
    counts: Counter[float] = Counter()
    runs = 0
    asked = [one for one in quantities_of(Unit(kind)) if one.stage == stage]
    with store.transaction() as session:
        ids = list(session.scalars(latest))
        query = (
            select(RunRow.unit, VerdictRow.figures)
            .join(VerdictRow, (VerdictRow.run_id == RunRow.id) & (VerdictRow.rules_hash == RunRow.rules_hash))
            .where(RunRow.id.in_(ids))
        )
        for row in session.execute(query):
            if row.unit["kind"] != kind:
                continue
            values = [got[0] for one in asked if (got := measured(one, row.figures)) is not None]
            counts.update(round(value, 1) for value in values)
            runs += bool(values)
    return Measured(weigh(counts.items(), old, new, Unit(kind)), runs)


def set_defaults(store: Store, by: Person, chosen: dict[UnitKind, TestedBy]) -> None:
    """By what units of each kind are tested that have no rules of their own. Raises RefusedError naming the field."""
    with store.transaction() as session:
        before = defaults_of(session)
        for kind, one in chosen.items():
            choose(session, one.rules, one.procedure, Unit(kind))
        after = {**before, **chosen}
        save_defaults(session, after)
        told = [{str(kind): _named(one) for kind, one in way.items()} for way in (before, after)]
        note_change(session, "defaults", "tested_by", by.name, differences(*told))


def _named(one: TestedBy) -> str:
    return f"{one.rules}, {one.procedure}" if one.procedure else one.rules


@dataclass(frozen=True, slots=True)
class Book:
    """Every rule set and order of work in force, and by what units of each kind are tested."""

    rules: list[RuleSet]
    procedures: list[Procedure]
    tested_by: dict[UnitKind, TestedBy]


def book(store: Store) -> Book:
    """The rule book as it is in force now: the built-in ones, then the fleet's."""
    now = dt.datetime.now(dt.UTC)
    with store.transaction() as session:
        return Book(rule_sets_now(session, now), procedures_now(session, now), defaults_of(session))


def is_built_in(rules: RuleSet | Procedure) -> bool:
    """Whether it ships with the app."""
    known = rulebook.rule_set_ids() if isinstance(rules, RuleSet) else rulebook.procedure_ids()
    return rules.id in known
