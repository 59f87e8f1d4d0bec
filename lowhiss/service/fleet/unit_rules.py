"""By which rules and in which order a unit is tested, and whose installation this is."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.procedure import Procedure
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import UNIT_KINDS, Unit, UnitKind
from lowhiss.service.errors import RefusedError
from lowhiss.service.rules.editions import procedure_named, rules_named
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow
from lowhiss.store.installation_models import SettingRow

_DEFAULTS = "tested_by"


@dataclass(frozen=True, slots=True)
class TestedBy:
    """The names of a rule set and an order of work. ``procedure``: None for the one that the school is taught in."""

    rules: str
    procedure: str | None = None


@dataclass(frozen=True, slots=True)
class Given:
    """The very versions that a device was given before, by hash; None: what is in force."""

    rules: str | None = None
    procedure: str | None = None


def defaults_of(session: Session) -> dict[UnitKind, TestedBy]:
    """By what units of each kind are tested that have no rules of their own."""
    row = session.get(SettingRow, _DEFAULTS)
    kept = json.loads(row.value) if row is not None else {}
    usual = rulebook.rule_set_ids()[0]
    return {kind: TestedBy(**kept[kind]) if kind in kept else TestedBy(usual) for kind in UNIT_KINDS}


def save_defaults(session: Session, defaults: Mapping[UnitKind, TestedBy]) -> None:
    """Keep by what units of each kind are tested."""
    value = json.dumps({kind: asdict(one) for kind, one in defaults.items()})
    session.merge(SettingRow(name=_DEFAULTS, value=value))


def tested_by(
    rules: str | None, procedure: str | None, kind: UnitKind, defaults: Mapping[UnitKind, TestedBy]
) -> TestedBy:
    """By what a unit is tested that has these of its own, None where it has none."""
    if rules is not None:
        return TestedBy(rules, procedure)
    return TestedBy(defaults[kind].rules, procedure or defaults[kind].procedure)


def choose(
    session: Session, rules: str, procedure: str | None, unit: Unit, given: Given | None = None
) -> tuple[RuleSet, Procedure]:
    """A rule set and an order of work by their names, the order that of the school unless named.

    Raises RefusedError naming the field.
    """
    now = dt.datetime.now(dt.UTC)
    given = given or Given()
    try:
        chosen = rules_named(session, rules, now, given.rules)
        if procedure is None:
            return chosen, rulebook.default_procedure(chosen, unit)
        return chosen, procedure_named(session, procedure, now, given.procedure)
    except CoreError as error:
        raise RefusedError("choice_unknown", f"{error}.", error.field) from error


def installation(store: Store) -> tuple[str, bool]:
    """Whose installation this is, and whether it holds demo data."""
    with store.transaction() as session:
        owner = session.get(SettingRow, "owner")
        demo = session.scalar(select(UnitRow.id).where(UnitRow.demo).limit(1)) is not None
        return (owner.value if owner else "", demo)
