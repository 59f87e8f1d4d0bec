"""Power units, trailers and how they are coupled; and the script that leads a device through a test of one."""

from __future__ import annotations

import json
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.fleet import (
    PowerUnit,
    ReservoirCheck,
    as_table,
    assemble,
    check_reservoirs,
    read_power_unit,
)
from lowhiss.core.record import read_unit
from lowhiss.core.vehicle import KIND_TABLE, Unit, UnitKind
from lowhiss.service.errors import RefusedError
from lowhiss.service.fleet.rows import couplings_of, find_unit, name_taken, plain_facts
from lowhiss.service.fleet.unit_rules import TestedBy, choose, defaults_of, tested_by
from lowhiss.service.history import check_version, differences, note_change
from lowhiss.service.people.signin import Person, now
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, UnitRow


@dataclass(frozen=True, slots=True)
class UnitEdit:
    """What a power unit is to be: its specification as plain values, and how it is tested, None: as its kind is."""

    facts: dict[str, Any]
    resolution_psi: float
    rules: str | None
    procedure: str | None


@dataclass(frozen=True, slots=True)
class ListedUnit:
    """A power unit with its trailers, as it is assembled today.

    rules, procedure : by what it is tested; ``own_rules``, ``own_procedure``: None where that is as its kind is.
    """

    id: str
    power: PowerUnit
    unit: Unit
    check: ReservoirCheck | None
    trailer_ids: tuple[str, ...]
    rules: str
    procedure: str | None
    own_rules: str | None
    own_procedure: str | None
    resolution_psi: float
    version: int
    retired: bool
    demo: bool

    def order_under(self, rules: str | None) -> str | None:
        """The order of work that it is tested in under these rules, None: the one that the school is taught in."""
        return self.procedure if rules in (None, self.rules) else None


def unit_of(table: dict[str, Any]) -> Unit:
    """The assembled unit kept as ``table`` with a run. Raises RecordError."""
    return _read_once(json.dumps(table, sort_keys=True))


@lru_cache(4096)
def _read_once(text: str) -> Unit:
    """Runs are many, and the sets of a fleet few: each is read once."""
    return read_unit(Fields(json.loads(text), "unit", RecordError))


def list_units(store: Store, *, retired: bool = False) -> list[ListedUnit]:
    """Every unit in use, by name; ``retired`` adds those that are not."""
    query = select(UnitRow).order_by(UnitRow.name)
    if not retired:
        query = query.where(UnitRow.retired_at.is_(None))
    with store.transaction() as session:
        coupled = couplings_of(session)
        defaults = defaults_of(session)
        return [listed_unit(row, coupled.get(row.id, []), defaults) for row in session.scalars(query)]


def get_unit(store: Store, unit_id: str) -> ListedUnit:
    """One unit. Raises NotFoundError."""
    with store.transaction() as session:
        return assembled(session, find_unit(session, unit_id))


def assembled(session: Session, row: UnitRow) -> ListedUnit:
    """The unit as it is coupled now."""
    return listed_unit(row, couplings_of(session, row.id).get(row.id, []), defaults_of(session))


def add_unit(store: Store, by: Person, edit: UnitEdit, *, demo: bool = False) -> ListedUnit:
    """A new power unit. Raises RecordError naming the field, RefusedError, ConflictError for a name in use."""
    power = _checked(edit)
    try:
        with store.transaction() as session:
            _check_choice(session, edit, power)
            row = _new_row(power, edit, str(uuid.uuid4()), demo=demo)
            session.add(row)
            note_change(session, "unit", row.id, by.name, {"added": [None, power.name]})
            session.flush()
            return assembled(session, row)
    except IntegrityError as error:
        raise name_taken(power.name) from error


def edit_unit(store: Store, by: Person, unit_id: str, version: int, edit: UnitEdit) -> ListedUnit:
    """Change a power unit; ``version`` is the one that was looked at. Raises as `add_unit` does, and NotFoundError."""
    power = _checked(edit)
    try:
        with store.transaction() as session:
            row = find_unit(session, unit_id, lock=True)
            check_version(row.version, version)
            _check_choice(session, edit, power)
            if not KIND_TABLE[power.kind].pulling and couplings_of(session, unit_id):
                raise RefusedError(
                    "still_coupled", "kind: uncouple its trailers first; only a tractor can pull trailers.", "kind"
                )
            before = _edit_table(row)
            row.name, row.facts = power.name, as_table(power)
            row.rules, row.procedure, row.resolution_psi = edit.rules, edit.procedure, edit.resolution_psi
            row.version += 1
            note_change(session, "unit", row.id, by.name, differences(before, _edit_table(row)))
            session.flush()
            return assembled(session, row)
    except IntegrityError as error:
        raise name_taken(power.name) from error


def retire_unit(store: Store, by: Person, unit_id: str, version: int, *, retired: bool) -> ListedUnit:
    """Take a unit out of use, its trailers uncoupled, or back into it; its runs stay. Raises as `edit_unit` does."""
    with store.transaction() as session:
        row = find_unit(session, unit_id, lock=True)
        check_version(row.version, version)
        before = row.retired_at is not None
        row.retired_at = now() if retired else None
        row.version += 1
        if retired:
            session.execute(delete(CouplingRow).where(CouplingRow.unit_id == unit_id))
        note_change(session, "unit", row.id, by.name, differences({"retired": before}, {"retired": retired}))
        return assembled(session, row)


def new_unit_row(session: Session, edit: UnitEdit, unit_id: str, *, demo: bool) -> UnitRow:
    """A row for a new unit, checked. Raises RecordError, RefusedError."""
    power = _checked(edit)
    _check_choice(session, edit, power)
    return _new_row(power, edit, unit_id, demo=demo)


def _new_row(power: PowerUnit, edit: UnitEdit, unit_id: str, *, demo: bool) -> UnitRow:
    return UnitRow(
        id=unit_id,
        name=power.name,
        facts=as_table(power),
        resolution_psi=edit.resolution_psi,
        rules=edit.rules,
        procedure=edit.procedure,
        version=1,
        demo=demo,
    )


def _checked(edit: UnitEdit) -> PowerUnit:
    return read_power_unit(edit.facts, rulebook.chambers().volumes_in3)


def _check_choice(session: Session, edit: UnitEdit, power: PowerUnit) -> None:
    """Raises RefusedError where the rules or the order of work are none."""
    way = tested_by(edit.rules, edit.procedure, power.kind, defaults_of(session))
    choose(session, way.rules, way.procedure, Unit(power.kind))


def _edit_table(row: UnitRow) -> dict[str, Any]:
    return {
        **plain_facts(row.facts),
        "rules": row.rules,
        "procedure": row.procedure,
        "resolution_psi": row.resolution_psi,
    }


_LISTED: dict[str, tuple[tuple[object, ...], ListedUnit]] = {}
"""Units as they were put together last: a fleet's list is looked at far more often than a unit changes."""
_MAX_LISTED = 20_000


def listed_unit(row: UnitRow, trailers: list[tuple[str, str]], defaults: Mapping[UnitKind, TestedBy]) -> ListedUnit:
    """The unit of a row with these trailers, as (id, name)."""
    usual = tuple(defaults.values())
    state = (row.version, row.name, row.retired_at, row.rules, row.procedure, usual, *trailers)
    known = _LISTED.get(row.id)
    if known is not None and known[0] == state:
        return known[1]
    if len(_LISTED) >= _MAX_LISTED:
        _LISTED.clear()
    listed = _put_together(row, trailers, defaults)
    _LISTED[row.id] = (state, listed)
    return listed


def _put_together(row: UnitRow, trailers: list[tuple[str, str]], defaults: Mapping[UnitKind, TestedBy]) -> ListedUnit:
    table = rulebook.chambers()
    power = read_power_unit(row.facts, table.volumes_in3)
    check = check_reservoirs(power, table.volumes_in3, table.power_unit_ratio)
    unit = assemble(power, [name for _, name in trailers], check.ratio if check else 1.0)
    way = tested_by(row.rules, row.procedure, unit.kind, defaults)
    return ListedUnit(
        id=row.id,
        power=power,
        unit=unit,
        check=check,
        trailer_ids=tuple(trailer for trailer, _ in trailers),
        rules=way.rules,
        procedure=way.procedure,
        own_rules=row.rules,
        own_procedure=row.procedure,
        resolution_psi=row.resolution_psi,
        version=row.version,
        retired=row.retired_at is not None,
        demo=row.demo,
    )
