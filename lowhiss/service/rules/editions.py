"""Which rule sets and orders of work there are: the built-in ones, and those of the fleet that are in force."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RuleError
from lowhiss.core.fields import choices_text
from lowhiss.core.procedure import Procedure, read_procedure
from lowhiss.core.rules import RuleSet
from lowhiss.engine.editor.overlay import InspectionTables, tables_under
from lowhiss.service.rules.saved_rules import saved_rules
from lowhiss.store.installation_models import EditionRow, RuleSetRow

EditionKind = Literal["rules", "procedure"]

_ORDERS: dict[str, Procedure] = {}
"""Orders of work read before, by hash; a hash never changes its content."""


def in_force(session: Session, kind: EditionKind, now: dt.datetime) -> dict[str, EditionRow]:
    """The version of each of the fleet's own that is used now, by name, in order of name."""
    query = (
        select(EditionRow)
        .where(EditionRow.kind == kind, EditionRow.state == "published", EditionRow.effective_from <= now)
        .order_by(EditionRow.name, EditionRow.version)
    )
    return {row.name: row for row in session.scalars(query)}


def fleet_rule_sets(session: Session, now: dt.datetime) -> list[RuleSet]:
    """The fleet's own rule sets in force."""
    return [saved_rules(session, str(row.hash)) for row in in_force(session, "rules", now).values()]


def rule_sets_now(session: Session, now: dt.datetime) -> list[RuleSet]:
    """Every rule set that a unit can be tested by now, the built-in ones first."""
    return [*rulebook.rule_sets(), *fleet_rule_sets(session, now)]


def procedures_now(session: Session, now: dt.datetime) -> list[Procedure]:
    """Every order of work that a unit can be tested in now, the built-in ones first."""
    return [*rulebook.procedures(), *(order_of(row) for row in in_force(session, "procedure", now).values())]


def rules_named(session: Session, name: str, now: dt.datetime, rules_hash: str | None = None) -> RuleSet:
    """The rule set of this name: as it is in force, or the very version that a device was given.

    Raises RuleError naming the known ones.
    """
    if name in rulebook.rule_set_ids():
        return rulebook.rule_set(name)
    if rules_hash is not None:
        kept = session.get(RuleSetRow, rules_hash)
        if kept is not None and kept.name == name:
            return saved_rules(session, rules_hash)
    known = in_force(session, "rules", now)
    if name not in known:
        there = choices_text((*rulebook.rule_set_ids(), *known))
        raise RuleError("rules", f"{name[:60]!r} isn't a rule set in force here; choose one of {there}")
    return saved_rules(session, str(known[name].hash))


def procedure_named(session: Session, name: str, now: dt.datetime, content_hash: str | None = None) -> Procedure:
    """The order of work of this name: as it is in force, or the very version that a device was given.

    Raises RuleError naming the known ones.
    """
    if name in rulebook.procedure_ids():
        return rulebook.procedure(name)
    if content_hash is not None:
        given = session.scalar(
            select(EditionRow).where(EditionRow.hash == content_hash, EditionRow.name == name).limit(1)
        )
        if given is not None:
            return order_of(given)
    known = in_force(session, "procedure", now)
    if name not in known:
        there = choices_text((*rulebook.procedure_ids(), *known))
        raise RuleError("procedure", f"{name[:60]!r} isn't a test order in force here; choose one of {there}")
    return order_of(known[name])


def order_of(row: EditionRow) -> Procedure:
    """The order of work that a published row holds."""
    content_hash = str(row.hash)
    if content_hash not in _ORDERS:
        _ORDERS[content_hash] = read_procedure(row.whole)
    return _ORDERS[content_hash]


def inspection_tables(session: Session) -> InspectionTables:
    """What inspections and their defects are judged by: every set that was ever published, as it was last."""
    query = (
        select(EditionRow.name, EditionRow.hash)
        .where(EditionRow.kind == "rules", EditionRow.hash.is_not(None))
        .order_by(EditionRow.version)
    )
    last: dict[str, str] = {row.name: row.hash for row in session.execute(query)}
    return tables_under(_parents_first([saved_rules(session, rules_hash) for rules_hash in last.values()]))


def _parents_first(sets: Sequence[RuleSet]) -> list[RuleSet]:
    """What comes from another is laid over after it."""
    return sorted(sets, key=lambda rules: (len(rules.lineage), rules.id))
