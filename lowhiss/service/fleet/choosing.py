"""By which rules and in which order a unit is tested, and whose installation this is."""

from __future__ import annotations

from sqlalchemy import select

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.procedure import Procedure
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import Unit
from lowhiss.service.errors import RefusedError
from lowhiss.store.engine import Store
from lowhiss.store.models import SettingRow, UnitRow


def choose(rules: str, procedure: str | None, unit: Unit) -> tuple[RuleSet, Procedure]:
    """A rule set and procedure by their ids, the procedure that of the school unless named.

    Raises RefusedError naming the field.
    """
    try:
        chosen = rulebook.rule_set(rules)
        return chosen, rulebook.procedure(procedure) if procedure else rulebook.default_procedure(chosen, unit)
    except CoreError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error


def installation(store: Store) -> tuple[str, bool]:
    """Whose installation this is, and whether it holds demo data."""
    with store.transaction() as session:
        owner = session.get(SettingRow, "owner")
        demo = session.scalar(select(UnitRow.id).where(UnitRow.demo).limit(1)) is not None
        return (owner.value if owner else "", demo)
