"""Units from a CSV file: every line checked first, then all of them kept or none."""

from __future__ import annotations

import csv
import io
import unicodedata
import uuid
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError

from lowhiss.core.errors import CoreError
from lowhiss.exchange.tables import Cell
from lowhiss.service.errors import RefusedError, ServiceError
from lowhiss.service.fleet.units import UnitEdit, new_unit_row
from lowhiss.service.history import note_change
from lowhiss.service.people.signin import Person
from lowhiss.store.engine import Store
from lowhiss.store.fleet_models import UnitRow

COLUMNS = (
    "name", "kind", "circuits", "cut_in_psi", "cut_out_psi", "chambers", "reservoirs_in3",
    "build_year", "gearbox", "trailer_knob", "holding", "fmvss_121", "rules", "procedure", "resolution_psi",
)  # fmt: skip
NEEDED = ("name", "kind")
MAX_LINES = 2_000


@dataclass(frozen=True, slots=True)
class BadLine:
    """A line that cannot be taken, and why."""

    line: int
    problem: str


@dataclass(frozen=True, slots=True)
class Imported:
    """What a file holds: the names that are good, and the lines that are not. ``kept``: the good ones were added."""

    names: list[str]
    bad: list[BadLine]
    kept: bool


def import_units(store: Store, by: Person, data: bytes, *, dry_run: bool) -> Imported:
    """Check every line; without ``dry_run`` and without a bad line, add all units in one transaction.

    Raises RefusedError where the file as a whole cannot be read.
    """
    try:
        return _import(store, by, data, dry_run=dry_run)
    except IntegrityError as error:
        raise RefusedError(
            "csv_names", "Two names are the same except for accents or case, in the file or with a unit already here. "
            "Change one of them.", "file",
        ) from error  # fmt: skip


def _alike(name: str) -> str:
    """A name as the database compares it: without accents, case or spaces at its end."""
    plain = unicodedata.normalize("NFKD", name)
    return "".join(c for c in plain if not unicodedata.combining(c)).casefold().rstrip()


def _import(store: Store, by: Person, data: bytes, *, dry_run: bool) -> Imported:
    edits: list[tuple[int, UnitEdit]] = []
    bad: list[BadLine] = []
    with store.transaction() as session:
        taken = {_alike(name) for name in session.scalars(select(UnitRow.name))}
        for line, row in _rows(data):
            try:
                edit = _edit(row)
                unit = new_unit_row(session, edit, str(uuid.uuid4()), demo=False)
            except (CoreError, ServiceError, ValueError) as error:
                bad.append(BadLine(line, str(error)))
                continue
            if _alike(unit.name) in taken:
                bad.append(BadLine(line, f"name: there is already a {unit.name}"))
                continue
            taken.add(_alike(unit.name))
            edits.append((line, edit))
            if not dry_run:
                session.add(unit)
                session.flush()
                note_change(session, "unit", unit.id, by.name, {"imported": [None, unit.name]})
        names = [str(edit.facts["name"]) for _, edit in edits]
        if bad or dry_run:
            session.rollback()
            return Imported(names, bad, kept=False)
    return Imported(names, bad, kept=True)


def _rows(data: bytes) -> list[tuple[int, dict[str, str]]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise RefusedError(
            "csv_encoding", f"The file isn't UTF-8 text (byte {error.start}): save it as CSV UTF-8.", "file"
        ) from error
    reader = csv.DictReader(io.StringIO(text, newline=""), strict=True)
    try:
        heads = [head.strip() for head in reader.fieldnames or []]
        unknown = [head for head in heads if head not in COLUMNS]
        missing = [head for head in NEEDED if head not in heads]
        if unknown or missing or len(set(heads)) != len(heads):
            raise RefusedError(
                "csv_columns",
                f"The first line must name columns from: {', '.join(COLUMNS)}. Each once; name and kind are required.",
                "file",
            )
        reader.fieldnames = heads
        rows: list[tuple[int, dict[str, str]]] = []
        for row in reader:
            if len(rows) >= MAX_LINES:
                raise RefusedError("csv_long", f"The file has more than {MAX_LINES} lines: split it.", "file")
            rows.append((reader.line_num, row))
    except csv.Error as error:
        raise RefusedError("csv_broken", f"Line {reader.line_num} is not CSV: {error}.", "file") from error
    if not rows:
        raise RefusedError("csv_empty", "The file holds no lines below its first one.", "file")
    return rows


def _edit(row: dict[str, Any]) -> UnitEdit:
    if None in row or None in row.values():
        raise ValueError("has another number of fields than the first line")
    cell = {key: value.strip() for key, value in row.items() if value.strip()}
    facts: dict[str, Any] = {key: cell[key] for key in ("name", "kind", "circuits") if key in cell}
    governor = {key: _number(cell, key) for key in ("cut_in_psi", "cut_out_psi") if key in cell}
    if governor:
        facts["governor"] = governor
    for key in ("chambers", "reservoirs_in3"):
        if key in cell:
            facts[key] = [_figure(key, part) for part in cell[key].split()]
    facts |= {key: cell[key] for key in ("gearbox", "holding") if key in cell}
    facts |= {key: _flag(key, cell[key]) for key in ("trailer_knob", "fmvss_121") if key in cell}
    if "build_year" in cell:
        facts["build_year"] = _number(cell, "build_year")
    resolution = _number(cell, "resolution_psi") if "resolution_psi" in cell else 1.0
    if not 0.1 <= resolution <= 20:
        raise ValueError(f"resolution_psi: must be from 0.1 to 20, not {resolution:g}")
    return UnitEdit(facts, resolution, cell.get("rules"), cell.get("procedure"))


def cells_of(row: UnitRow) -> list[Cell]:
    """A unit's line of such a file: taken in, it is the same unit."""
    facts = {**row.facts, **row.facts.get("governor", {})}
    given = {"name": row.name, "rules": row.rules, "procedure": row.procedure, "resolution_psi": row.resolution_psi}
    return [_cell({**facts, **given}.get(column)) for column in COLUMNS]


def _cell(value: Any) -> Cell:
    if isinstance(value, list | tuple):
        return " ".join(f"{one:g}" for one in value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value if value is None or isinstance(value, str | float | int) else str(value)


def _flag(key: str, text: str) -> bool:
    if text.casefold() not in ("yes", "no", "true", "false"):
        raise ValueError(f"{key}: must be yes or no, not {text[:40]!r}")
    return text.casefold() in ("yes", "true")


def _number(cell: dict[str, str], key: str) -> float:
    return _figure(key, cell[key])


def _figure(key: str, text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise ValueError(f"{key}: {text[:40]!r} isn't a number") from None
