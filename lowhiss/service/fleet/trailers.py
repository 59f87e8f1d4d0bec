"""Trailers: listed, added, edited, retired."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError

from lowhiss import rulebook
from lowhiss.core.fleet import (
    ReservoirCheck,
    Trailer,
    as_table,
    check_reservoirs,
    read_trailer,
)
from lowhiss.service.fleet.rows import find_trailer, name_taken, plain_facts
from lowhiss.service.history import check_version, differences, note_change
from lowhiss.service.people.signin import Person, now
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, TrailerRow, UnitRow


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
        raise name_taken(trailer.name) from error


def edit_trailer(store: Store, by: Person, trailer_id: str, version: int, facts: dict[str, Any]) -> ListedTrailer:
    """Change a trailer. Raises as `add_trailer` does, and NotFoundError."""
    trailer = read_trailer(facts, rulebook.chambers().volumes_in3)
    try:
        with store.transaction() as session:
            row = find_trailer(session, trailer_id, lock=True)
            check_version(row.version, version)
            before = row.facts
            row.name, row.facts = trailer.name, as_table(trailer)
            row.version += 1
            note_change(session, "trailer", row.id, by.name, differences(before, plain_facts(row.facts)))
            session.flush()
            return _listed_trailer(row, None)
    except IntegrityError as error:
        raise name_taken(trailer.name) from error


def retire_trailer(store: Store, by: Person, trailer_id: str, version: int, *, retired: bool) -> ListedTrailer:
    """Take a trailer out of use, uncoupled, or back into it. Raises as `edit_trailer` does."""
    with store.transaction() as session:
        row = find_trailer(session, trailer_id, lock=True)
        check_version(row.version, version)
        before = row.retired_at is not None
        row.retired_at = now() if retired else None
        row.version += 1
        if retired:
            session.execute(delete(CouplingRow).where(CouplingRow.trailer_id == trailer_id))
        note_change(session, "trailer", row.id, by.name, differences({"retired": before}, {"retired": retired}))
        return _listed_trailer(row, None)


def _listed_trailer(row: TrailerRow, coupled_to: str | None) -> ListedTrailer:
    table = rulebook.chambers()
    trailer = read_trailer(row.facts, table.volumes_in3)
    check = check_reservoirs(trailer, table.volumes_in3, table.trailer_ratio)
    return ListedTrailer(row.id, trailer, check, coupled_to, row.version, row.retired_at is not None, row.demo)
