"""Units and trailers as they lie in their rows: found, and what is coupled to what."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lowhiss.service.errors import ConflictError, NotFoundError
from lowhiss.store.fleet_models import CouplingRow, TrailerRow, UnitRow


def couplings_of(session: Session, unit_id: str | None = None) -> dict[str, list[tuple[str, str]]]:
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


def find_unit(session: Session, unit_id: str, *, lock: bool = False) -> UnitRow:
    """The unit's row. Raises NotFoundError."""
    row = session.get(UnitRow, unit_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("unit_unknown", "This unit doesn't exist. Choose one from the list.", "unit_id")
    return row


def find_trailer(session: Session, trailer_id: str, *, lock: bool = False) -> TrailerRow:
    row = session.get(TrailerRow, trailer_id, with_for_update=lock)
    if row is None:
        raise NotFoundError("trailer_unknown", "This trailer doesn't exist.", "trailer_id")
    return row


def plain_facts(facts: dict[str, Any]) -> dict[str, Any]:
    """Tuples as the lists that JSON gives back."""
    return {key: list(value) if isinstance(value, tuple) else value for key, value in facts.items()}


def name_taken(name: str) -> ConflictError:
    return ConflictError("name_taken", f"name: {name} already exists. Choose another name.", "name")
