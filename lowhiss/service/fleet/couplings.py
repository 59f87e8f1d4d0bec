"""What is coupled to what today."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import delete, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lowhiss.core.fleet import (
    MAX_TRAILERS,
)
from lowhiss.core.vehicle import KIND_TABLE
from lowhiss.service.errors import ConflictError, RefusedError
from lowhiss.service.fleet.rows import couplings_of, find_trailer, find_unit
from lowhiss.service.fleet.units import ListedUnit, assembled
from lowhiss.service.history import check_version, differences, note_change
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, UnitRow


def couple(store: Store, by: Person, unit_id: str, version: int, trailer_ids: Sequence[str]) -> ListedUnit:
    """Couple these trailers, the first directly behind; none uncouples.

    A trailer that stands behind another unit must be uncoupled there first. Raises RefusedError, ConflictError,
    NotFoundError.
    """
    if len(trailer_ids) > MAX_TRAILERS or len(set(trailer_ids)) != len(trailer_ids):
        raise RefusedError(
            "coupling_impossible", f"trailer_ids: choose up to {MAX_TRAILERS} different trailers.", "trailer_ids"
        )
    try:
        with store.transaction() as session:
            row = find_unit(session, unit_id, lock=True)
            check_version(row.version, version)
            if trailer_ids and (row.retired_at is not None or not KIND_TABLE[row.facts["kind"]].pulling):
                raise RefusedError("coupling_impossible", "Only an active tractor can pull trailers.", "unit_id")
            before = [name for _, name in couplings_of(session, unit_id).get(unit_id, [])]
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
            "trailer_elsewhere", "One of these trailers has just been coupled to another unit.", "trailer_ids"
        ) from error


def _coupled_trailer(session: Session, unit: UnitRow, position: int, trailer_id: str) -> str:
    trailer = find_trailer(session, trailer_id)
    if trailer.retired_at is not None:
        raise RefusedError("coupling_impossible", f"{trailer.name} is archived.", "trailer_ids")
    other = session.scalar(
        select(UnitRow.name)
        .join(CouplingRow, CouplingRow.unit_id == UnitRow.id)
        .where(CouplingRow.trailer_id == trailer_id, UnitRow.id != unit.id)
    )
    if other is not None:
        raise ConflictError(
            "trailer_elsewhere", f"{trailer.name} is coupled to {other}. Uncouple it there first.", "trailer_ids"
        )
    session.add(CouplingRow(unit_id=unit.id, position=position, trailer_id=trailer_id))
    return trailer.name
