"""Units: what can be tested, and the script that leads a device through a test of one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import CoreError, RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.procedure import Procedure
from lowhiss.core.procedure.script import compile_script
from lowhiss.core.record import read_unit
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import Unit
from lowhiss.service.errors import NotFoundError, RefusedError
from lowhiss.store.engine import Store
from lowhiss.store.models import SettingRow, UnitRow


@dataclass(frozen=True, slots=True)
class ListedUnit:
    """A unit as the yard lists it."""

    id: str
    unit: Unit
    rules: str
    resolution_psi: float
    demo: bool


def unit_of(table: dict[str, Any]) -> Unit:
    """The unit kept as ``table``. Raises RecordError."""
    return read_unit(Fields(table, "unit", RecordError))


def list_units(store: Store) -> list[ListedUnit]:
    """Every unit, by name."""
    with store.transaction() as session:
        return [_listed(row) for row in session.scalars(select(UnitRow).order_by(UnitRow.name))]


def find_unit(session: Session, unit_id: str) -> UnitRow:
    """The unit's row. Raises NotFoundError."""
    row = session.get(UnitRow, unit_id)
    if row is None:
        raise NotFoundError("unit_unknown", "There is no such unit: choose one from the yard.", "unit_id")
    return row


def script_for(store: Store, unit_id: str, procedure: str, rules: str | None) -> dict[str, Any]:
    """The unit and the run script of one procedure under one rule set (the unit's own unless named)."""
    with store.transaction() as session:
        row = find_unit(session, unit_id)
        listed = _listed(row)
    chosen_rules, chosen_procedure = choose(rules or listed.rules, procedure)
    return compile_script(chosen_procedure, chosen_rules, listed.unit)


def choose(rules: str, procedure: str) -> tuple[RuleSet, Procedure]:
    """A rule set and procedure by their ids. Raises RefusedError naming the field."""
    try:
        return rulebook.rule_set(rules), rulebook.procedure(procedure)
    except CoreError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error


def _listed(row: UnitRow) -> ListedUnit:
    return ListedUnit(row.id, unit_of(row.facts), row.rules, row.resolution_psi, row.demo)


def installation(store: Store) -> tuple[str, bool]:
    """Whose installation this is, and whether it holds demo data."""
    with store.transaction() as session:
        owner = session.get(SettingRow, "owner")
        demo = session.scalar(select(UnitRow.id).where(UnitRow.demo).limit(1)) is not None
        return (owner.value if owner else "", demo)
