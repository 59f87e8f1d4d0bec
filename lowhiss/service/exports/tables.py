"""The other tables of an installation, as rows for a file: units, trailers, how they stand, what is open on them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import defer

from lowhiss.core.words import Words
from lowhiss.exchange.tables import Cell, write_csv
from lowhiss.exchange.workbook import write_workbook
from lowhiss.service.fleet import unit_csv
from lowhiss.service.fleet.unit_status import every_hold
from lowhiss.service.runs.status import statuses, workshop
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import CouplingRow, TrailerRow, UnitRow
from lowhiss.store.inspection_models import InspectionRow
from lowhiss.store.people_models import PersonRow
from lowhiss.store.seal_models import SealRow

Name = Literal["units", "trailers", "status", "holds", "defects", "inspections", "seals", "people"]
Ending = Literal["csv", "xlsx"]
_AT_ONCE = 500
Rows = Iterator[Sequence[Cell]]


@dataclass(frozen=True, slots=True)
class TableRequest:
    """For whom a table is made, and when."""

    store: Store
    words: Words
    now: dt.datetime


def write_table(path: Path, name: Name, ending: Ending, asked: TableRequest) -> None:
    """Write a table as a file: texts, numbers in psi, moments and yes or no."""
    head, rows = _TABLES[name]
    if ending == "csv":
        write_csv(path, head, rows(asked))
    else:
        write_workbook(path, name, head, rows(asked))


def _units(asked: TableRequest) -> Rows:
    """As a file of units is taken in, so that another installation can take them over."""
    with asked.store.transaction() as session:
        rows = session.scalars(select(UnitRow).where(UnitRow.retired_at.is_(None)).order_by(UnitRow.name)).all()
        yield from (unit_csv.cells_of(row) for row in rows)


def _trailers(asked: TableRequest) -> Rows:
    pulled = select(CouplingRow.trailer_id, UnitRow.name).join(UnitRow, UnitRow.id == CouplingRow.unit_id)
    with asked.store.transaction() as session:
        by = {row.trailer_id: row.name for row in session.execute(pulled)}
        rows = session.scalars(select(TrailerRow).order_by(TrailerRow.name)).all()
        yield from ((row.name, by.get(row.id, ""), row.retired_at) for row in rows)


def _status(asked: TableRequest) -> Rows:
    for one in statuses(asked.store, asked.words, asked.now):
        yield one.name, one.text, one.stays, one.why, one.passed_at, one.due_at


def _holds(asked: TableRequest) -> Rows:
    for one in every_hold(asked.store, asked.words):
        hold = one.hold
        names = " ".join(name for _, name in one.parts)
        lifted = hold.lifted.at if hold.lifted else None
        stage = asked.words.stage(hold.stage) if hold.stage else ""
        yield hold.id, names, " ".join(one.held), stage, hold.opened_at, one.text, one.by, hold.repaired_at, lifted


def _defects(asked: TableRequest) -> Rows:
    for one in workshop(asked.store, asked.words, asked.now)[1]:
        defect = one.defect
        yield (
            *(defect.id, one.part, one.text, one.means, one.state, defect.seen_at, defect.by, defect.taken_by),
            *(defect.run_id, defect.inspection_id),
        )


def _inspections(asked: TableRequest) -> Rows:
    last: InspectionRow | None = None
    while True:
        query = select(InspectionRow).order_by(InspectionRow.started_at, InspectionRow.id).limit(_AT_ONCE)
        if last is not None:
            later = (InspectionRow.started_at > last.started_at) | (
                (InspectionRow.started_at == last.started_at) & (InspectionRow.id > last.id)
            )
            query = query.where(InspectionRow.started_at >= last.started_at, later)
        with asked.store.transaction() as session:
            rows = session.scalars(query).all()
        for row in rows:
            unit = str(row.unit.get("name", ""))
            yield (
                *(row.id, unit, row.driver, row.started_at, row.ended_at, row.ended_by, row.purpose, row.rules),
                *(row.way, len(row.defects or ()), row.run_id),
            )
        if len(rows) < _AT_ONCE:
            return
        last = rows[-1]


def _seals(asked: TableRequest) -> Rows:
    with asked.store.transaction() as session:
        query = select(SealRow).options(defer(SealRow.document)).order_by(SealRow.place)
        for row in session.scalars(query.execution_options(yield_per=_AT_ONCE)):
            yield row.place, row.run_id, row.sealed_at, row.sha256, row.key_id, row.signature


def _people(asked: TableRequest) -> Rows:
    with asked.store.transaction() as session:
        rows = session.scalars(select(PersonRow).order_by(PersonRow.name)).all()
        yield from ((row.name, row.role, row.language, row.pressure_unit, row.retired_at) for row in rows)


_Made = tuple[tuple[str, ...], Callable[[TableRequest], Iterable[Sequence[Cell]]]]
_TABLES: Mapping[Name, _Made] = {
    "units": (unit_csv.COLUMNS, _units),
    "trailers": (("name", "pulled_by", "retired_at"), _trailers),
    "status": (("unit", "status", "stays", "why", "last_passed", "due_before"), _status),
    "holds": (
        ("hold", "parts", "still_held", "stage", "opened_at", "why", "by", "repaired_at", "lifted_at"),
        _holds,
    ),
    "defects": (
        ("defect", "on", "what", "means", "state", "seen_at", "by", "taken_by", "run", "inspection"),
        _defects,
    ),
    "inspections": (
        (
            *("inspection", "unit", "driver", "started_at", "ended_at", "ended_by", "purpose", "rules"),
            *("way", "defects", "run"),
        ),
        _inspections,
    ),
    "seals": (("place", "run", "sealed_at", "sha256", "key", "signature"), _seals),
    "people": (("name", "role", "language", "pressure_unit", "retired_at"), _people),
}
