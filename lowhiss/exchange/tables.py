"""Tables as CSV (RFC 4180). No cell is ever taken for a formula by whoever opens the file."""

from __future__ import annotations

import csv
import datetime as dt
import io
import unicodedata
from collections.abc import Iterable, Sequence
from pathlib import Path

Cell = str | float | int | bool | dt.datetime | None
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def plain_cell(text: str) -> str:
    """A text that stays one; full-width signs and blanks before a sign begin formulas too.

    >>> plain_cell("=1+1"), plain_cell("MV-12"), plain_cell(" \uff1d1")
    ("'=1+1", 'MV-12', "' \uff1d1")
    """
    begins = unicodedata.normalize("NFKC", text.lstrip(" \u00a0\ufeff")[:1])
    return f"'{text}" if begins.startswith(_FORMULA) or text.startswith(_FORMULA) else text


def csv_text(rows: Iterable[Iterable[object]]) -> str:
    """Rows as CSV; texts stay texts, numbers are written as they are.

    >>> csv_text([("unit", 3), ("=x", -1)])
    "unit,3\\r\\n'=x,-1\\r\\n"
    """
    out = io.StringIO()
    writer = csv.writer(out)
    for row in rows:
        writer.writerow([plain_cell(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue()


def write_csv(path: Path, head: Sequence[str], rows: Iterable[Sequence[Cell]]) -> None:
    """Write a table row by row, with a mark of its encoding for spreadsheets; moments as RFC 3339."""
    with path.open("w", newline="", encoding="utf-8-sig") as file:
        writer = csv.writer(file)
        writer.writerow(head)
        writer.writerows([_plain(cell) for cell in row] for row in rows)


def _plain(cell: Cell) -> Cell:
    if isinstance(cell, dt.datetime):
        return cell.isoformat()
    return plain_cell(cell) if isinstance(cell, str) else "" if cell is None else cell
