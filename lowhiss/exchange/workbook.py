"""Tables as XLSX: numbers are numbers, moments are moments, and a text is never a formula."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from pathlib import Path

from lowhiss.exchange.tables import Cell

_MOMENT = "yyyy-mm-dd hh:mm:ss"


def write_workbook(path: Path, title: str, head: Sequence[str], rows: Iterable[Sequence[Cell]]) -> int:
    """Write one sheet, row by row; how many rows there were. Moments are UTC, as a spreadsheet knows no zones."""
    from openpyxl import Workbook  # a third of a second to load, and only here
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    book = Workbook(write_only=True)
    sheet = book.create_sheet(title[:31])
    sheet.freeze_panes = "A2"
    bold = Font(bold=True)
    first = [WriteOnlyCell(sheet, value=name) for name in head]
    for cell in first:
        cell.font = bold
    sheet.append(first)
    written = 0
    for written, row in enumerate(rows, 1):  # noqa: B007
        sheet.append([_cell(sheet, value) for value in row])
    book.save(path)
    return written


def _cell(sheet: object, value: Cell) -> object:
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

    if isinstance(value, dt.datetime):
        cell = WriteOnlyCell(sheet, value=value.astimezone(dt.UTC).replace(tzinfo=None))
        cell.number_format = _MOMENT
        return cell
    if isinstance(value, str):
        cell = WriteOnlyCell(sheet, value=ILLEGAL_CHARACTERS_RE.sub("", value))
        cell.data_type = "s"  # whatever it begins with
        return cell
    return WriteOnlyCell(sheet, value=value)
