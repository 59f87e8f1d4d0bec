"""Tables as CSV (RFC 4180). No cell is ever taken for a formula by whoever opens the file."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def plain_cell(text: str) -> str:
    """A text that stays one.

    >>> plain_cell("=1+1"), plain_cell("MV-12")
    ("'=1+1", 'MV-12')
    """
    return f"'{text}" if text.startswith(_FORMULA) else text


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
