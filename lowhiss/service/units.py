"""Power units, trailers and how they are coupled; and the script that leads a device through a test of one."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lowhiss import rulebook
from lowhiss.core.errors import CoreError, RecordError
from lowhiss.core.fields import Fields
from lowhiss.core.fleet import (
    MOST_TRAILERS,
    PowerUnit,
    ReservoirCheck,
    Trailer,
    as_table,
    assemble,
    check_reservoirs,
    read_power_unit,
    read_trailer,
)
from lowhiss.core.procedure import Procedure
from lowhiss.core.record import read_unit
from lowhiss.core.rules import RuleSet
from lowhiss.core.vehicle import KIND_TABLE, Unit
from lowhiss.service.errors import ConflictError, NotFoundError, RefusedError
from lowhiss.service.failed_stages import FailedStage, failed_stages
from lowhiss.service.history import Change, check_version, differences, history_of, note_change
from lowhiss.service.signin import Person, now
from lowhiss.store.engine import Store
from lowhiss.store.models import CouplingRow, SettingRow, TrailerRow, UnitRow


@dataclass(frozen=True, slots=True)
class UnitEdit:
    """What a power unit is to be: its specification as plain values, and how it is tested."""

    facts: dict[str, Any]
    resolution_psi: float
    rules: str
    procedure: str | None


@dataclass(frozen=True, slots=True)
class ListedTrailer:
    """A trailer, its reservoirs against 8:1, and the unit it is coupled to."""

    id: str
    trailer: Trailer
    check: ReservoirCheck | None
    coupled_to: str | None
    version: int
    retired: bool
    demo: bool


@dataclass(frozen=True, slots=True)
class ListedUnit:
    """A power unit with its trailers, as it is assembled today."""

    id: str
    power: PowerUnit
    unit: Unit
    check: ReservoirCheck | None
    trailer_ids: tuple[str, ...]
    rules: str
    procedure: str | None
    resolution_psi: float
    version: int
    retired: bool
    demo: bool


def unit_of(table: dict[str, Any]) -> Unit:
    """The assembled unit kept as ``table`` with a run. Raises RecordError."""
    return read_unit(Fields(table, "unit", RecordError))


def list_units(store: Store, *, retired: bool = False) -> list[ListedUnit]:
    """Every unit in use, by name; ``retired`` adds those that are not."""
    query = select(UnitRow).order_by(UnitRow.name)
    if not retired:
        query = query.where(UnitRow.retired_at.is_(None))
    with store.transaction() as session:
        coupled = _couplings(session)
        return [_listed(row, coupled.get(row.id, [])) for row in session.scalars(query)]


def get_unit(store: Store, unit_id: str) -> tuple[ListedUnit, list[FailedStage], list[Change]]:
    """One unit with what stands failed and the history of its changes. Raises NotFoundError."""
    with store.transaction() as session:
        row = find_unit(session, unit_id)
        failed = failed_stages(session, [unit_id]).get(unit_id, [])
        return assembled(session, row), failed, history_of(session, unit_id)


def find_unit(session: Session, unit_id: str, *, lock: bool = False) -> UnitRow:
    """The unit's row. Raises NotFoundError."""
    row = session.get(UnitRow, unit_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("unit_unknown", "There is no such unit: choose one from the yard.", "unit_id")
    return row


def assembled(session: Session, row: UnitRow) -> ListedUnit:
    """The unit as it is coupled now."""
    return _listed(row, _couplings(session, row.id).get(row.id, []))


def add_unit(store: Store, by: Person, edit: UnitEdit, *, demo: bool = False) -> ListedUnit:
    """A new power unit. Raises RecordError naming the field, RefusedError, ConflictError for a name in use."""
    power = _checked(edit)
    try:
        with store.transaction() as session:
            row = _new_row(power, edit, str(uuid.uuid4()), demo=demo)
            session.add(row)
            note_change(session, "unit", row.id, by.name, {"added": [None, power.name]})
            session.flush()
            return assembled(session, row)
    except IntegrityError as error:
        raise _name_taken(power.name) from error


def edit_unit(store: Store, by: Person, unit_id: str, version: int, edit: UnitEdit) -> ListedUnit:
    """Change a power unit; ``version`` is the one that was looked at. Raises as `add_unit` does, and NotFoundError."""
    power = _checked(edit)
    try:
        with store.transaction() as session:
            row = find_unit(session, unit_id, lock=True)
            check_version(row.version, version)
            if not KIND_TABLE[power.kind].pulling and _couplings(session, unit_id):
                raise RefusedError("still_coupled", "kind: uncouple its trailers first; only a tractor pulls.", "kind")
            before = _edit_table(row)
            row.name, row.facts = power.name, as_table(power)
            row.rules, row.procedure, row.resolution_psi = edit.rules, edit.procedure, edit.resolution_psi
            row.version += 1
            note_change(session, "unit", row.id, by.name, differences(before, _edit_table(row)))
            session.flush()
            return assembled(session, row)
    except IntegrityError as error:
        raise _name_taken(power.name) from error


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


def couple(store: Store, by: Person, unit_id: str, version: int, trailer_ids: Sequence[str]) -> ListedUnit:
    """Couple these trailers, the first directly behind; none uncouples.

    A trailer that stands behind another unit must be uncoupled there first. Raises RefusedError, ConflictError,
    NotFoundError.
    """
    if len(trailer_ids) > MOST_TRAILERS or len(set(trailer_ids)) != len(trailer_ids):
        raise RefusedError(
            "coupling_impossible", f"trailer_ids: name up to {MOST_TRAILERS} trailers, each once.", "trailer_ids"
        )
    try:
        with store.transaction() as session:
            row = find_unit(session, unit_id, lock=True)
            check_version(row.version, version)
            if trailer_ids and (row.retired_at is not None or not KIND_TABLE[row.facts["kind"]].pulling):
                raise RefusedError("coupling_impossible", "Only a tractor in use pulls trailers.", "unit_id")
            before = [name for _, name in _couplings(session, unit_id).get(unit_id, [])]
            session.execute(delete(CouplingRow).where(CouplingRow.unit_id == unit_id))
            names: list[str] = []
            for place, trailer_id in enumerate(trailer_ids, start=1):
                names.append(_coupled_trailer(session, row, place, trailer_id))
            row.version += 1
            note_change(session, "unit", unit_id, by.name, differences({"trailers": before}, {"trailers": names}))
            session.flush()
            return assembled(session, row)
    except IntegrityError as error:
        raise ConflictError(
            "trailer_elsewhere", "One of these trailers was coupled to another unit meanwhile.", "trailer_ids"
        ) from error


def _coupled_trailer(session: Session, unit: UnitRow, position: int, trailer_id: str) -> str:
    trailer = _find_trailer(session, trailer_id)
    if trailer.retired_at is not None:
        raise RefusedError("coupling_impossible", f"{trailer.name} is retired.", "trailer_ids")
    other = session.scalar(
        select(UnitRow.name)
        .join(CouplingRow, CouplingRow.unit_id == UnitRow.id)
        .where(CouplingRow.trailer_id == trailer_id, UnitRow.id != unit.id)
    )
    if other is not None:
        raise ConflictError(
            "trailer_elsewhere", f"{trailer.name} is coupled to {other}: uncouple it there first.", "trailer_ids"
        )
    session.add(CouplingRow(unit_id=unit.id, position=position, trailer_id=trailer_id))
    return trailer.name


# trailers


def list_trailers(store: Store) -> list[ListedTrailer]:
    """Every trailer, the retired last, by name."""
    query = select(TrailerRow).order_by(TrailerRow.retired_at.is_not(None), TrailerRow.name)
    with store.transaction() as session:
        units = {row.id: row.name for row in session.scalars(select(UnitRow))}
        where = {row.trailer_id: units[row.unit_id] for row in session.scalars(select(CouplingRow))}
        return [_listed_trailer(row, where.get(row.id)) for row in session.scalars(query)]


def add_trailer(store: Store, by: Person, facts: dict[str, Any], *, demo: bool = False) -> ListedTrailer:
    """A new trailer. Raises RecordError naming the field, ConflictError for a name in use."""
    trailer = read_trailer(facts, rulebook.chambers().volumes_in3)
    row = TrailerRow(id=str(uuid.uuid4()), name=trailer.name, facts=as_table(trailer), version=1, demo=demo)
    try:
        with store.transaction() as session:
            session.add(row)
            note_change(session, "trailer", row.id, by.name, {"added": [None, trailer.name]})
            session.flush()
            return _listed_trailer(row, None)
    except IntegrityError as error:
        raise _name_taken(trailer.name) from error


def edit_trailer(store: Store, by: Person, trailer_id: str, version: int, facts: dict[str, Any]) -> ListedTrailer:
    """Change a trailer. Raises as `add_trailer` does, and NotFoundError."""
    trailer = read_trailer(facts, rulebook.chambers().volumes_in3)
    try:
        with store.transaction() as session:
            row = _find_trailer(session, trailer_id, lock=True)
            check_version(row.version, version)
            before = row.facts
            row.name, row.facts = trailer.name, as_table(trailer)
            row.version += 1
            note_change(session, "trailer", row.id, by.name, differences(before, _plain(row.facts)))
            session.flush()
            return _listed_trailer(row, None)
    except IntegrityError as error:
        raise _name_taken(trailer.name) from error


def retire_trailer(store: Store, by: Person, trailer_id: str, version: int, *, retired: bool) -> ListedTrailer:
    """Take a trailer out of use, uncoupled, or back into it. Raises as `edit_trailer` does."""
    with store.transaction() as session:
        row = _find_trailer(session, trailer_id, lock=True)
        check_version(row.version, version)
        before = row.retired_at is not None
        row.retired_at = now() if retired else None
        row.version += 1
        if retired:
            session.execute(delete(CouplingRow).where(CouplingRow.trailer_id == trailer_id))
        note_change(session, "trailer", row.id, by.name, differences({"retired": before}, {"retired": retired}))
        return _listed_trailer(row, None)


def _find_trailer(session: Session, trailer_id: str, *, lock: bool = False) -> TrailerRow:
    row = session.get(TrailerRow, trailer_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("trailer_unknown", "There is no such trailer.", "trailer_id")
    return row


# tests of a unit


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


# rows and objects


def new_unit_row(edit: UnitEdit, unit_id: str, *, demo: bool) -> UnitRow:
    """A row for a new unit, checked. Raises RecordError, RefusedError."""
    return _new_row(_checked(edit), edit, unit_id, demo=demo)


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
    power = read_power_unit(edit.facts, rulebook.chambers().volumes_in3)
    choose(edit.rules, edit.procedure, Unit(power.kind))
    return power


def _edit_table(row: UnitRow) -> dict[str, Any]:
    return {**_plain(row.facts), "rules": row.rules, "procedure": row.procedure, "resolution_psi": row.resolution_psi}


def _plain(facts: dict[str, Any]) -> dict[str, Any]:
    """Tuples as the lists that JSON gives back."""
    return {key: list(value) if isinstance(value, tuple) else value for key, value in facts.items()}


def _couplings(session: Session, unit_id: str | None = None) -> dict[str, list[tuple[str, str]]]:
    """Each unit's trailers as (id, name), in order."""
    query = (
        select(CouplingRow.unit_id, TrailerRow.id, TrailerRow.name)
        .join(TrailerRow, TrailerRow.id == CouplingRow.trailer_id)
        .order_by(CouplingRow.unit_id, CouplingRow.position)
    )
    if unit_id is not None:
        query = query.where(CouplingRow.unit_id == unit_id)
    coupled: dict[str, list[tuple[str, str]]] = {}
    for unit, trailer, name in session.execute(query):
        coupled.setdefault(unit, []).append((trailer, name))
    return coupled


_LISTED: dict[str, tuple[tuple[object, ...], ListedUnit]] = {}
"""Units as they were put together last: a fleet's list is looked at far more often than a unit changes."""
_MAX_LISTED = 20_000


def _listed(row: UnitRow, trailers: list[tuple[str, str]]) -> ListedUnit:
    state = (row.version, row.name, row.retired_at, row.rules, row.procedure, *trailers)
    known = _LISTED.get(row.id)
    if known is not None and known[0] == state:
        return known[1]
    if len(_LISTED) >= _MAX_LISTED:
        _LISTED.clear()
    listed = _put_together(row, trailers)
    _LISTED[row.id] = (state, listed)
    return listed


def _put_together(row: UnitRow, trailers: list[tuple[str, str]]) -> ListedUnit:
    table = rulebook.chambers()
    power = read_power_unit(row.facts, table.volumes_in3)
    check = check_reservoirs(power, table.volumes_in3, table.power_unit_ratio)
    return ListedUnit(
        id=row.id,
        power=power,
        unit=assemble(power, [name for _, name in trailers], check.ratio if check else 1.0),
        check=check,
        trailer_ids=tuple(trailer for trailer, _ in trailers),
        rules=row.rules,
        procedure=row.procedure,
        resolution_psi=row.resolution_psi,
        version=row.version,
        retired=row.retired_at is not None,
        demo=row.demo,
    )


def _listed_trailer(row: TrailerRow, coupled_to: str | None) -> ListedTrailer:
    table = rulebook.chambers()
    trailer = read_trailer(row.facts, table.volumes_in3)
    check = check_reservoirs(trailer, table.volumes_in3, table.trailer_ratio)
    return ListedTrailer(row.id, trailer, check, coupled_to, row.version, row.retired_at is not None, row.demo)


def _name_taken(name: str) -> ConflictError:
    return ConflictError("name_taken", f"name: there already is a {name}.", "name")
