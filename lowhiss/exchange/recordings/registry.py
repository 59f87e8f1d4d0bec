"""The formats of recordings: each with its reader, found by what a file is called and what it begins with."""

from __future__ import annotations

import csv
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TextIO

from lowhiss.exchange.recordings.columns import Table
from lowhiss.exchange.recordings.source import Source, of_bytes, of_path
from lowhiss.trace.recording import Recording, TraceError

_MOST_BYTES = 8 * 1024**3
_BROKEN = (
    *(zipfile.BadZipFile, KeyError, ValueError, OSError, EOFError, SyntaxError),
    *(TypeError, AttributeError, IndexError, zlib.error),
)
"""What a cut spreadsheet makes its reader raise."""
_CAN_LOGS = (".log", ".asc", ".blf", ".trc")
_MOST_UNPACKED = 256 * 1024 * 1024
"""A spreadsheet is a zip: what it unpacks to is bounded before it is opened."""
_NETWORK = ("sender", "dbc")
"""What is chosen of a network's log alone."""
_HEAD_BYTES = 4096
_LONGEST_LINE = 1 << 18
_MOST_NAMES_FROM = 10_000


@dataclass(frozen=True, slots=True)
class Read:
    """A file that was read: its recording, format and hash, what each column was taken for, and what all are called."""

    recording: Recording
    format: str
    sha256: str
    columns: Mapping[str, str]
    names: Sequence[str] = ()


Chosen = Mapping[str, str] | None
Told = tuple[Recording, dict[str, str], list[str]]
"""A recording, what its columns were taken for, and what all of them are called."""
Reader = Callable[[Source, Chosen], Told]
"""From a file and the columns that were chosen."""


def read_recording(path: Path, chosen: Chosen = None, told: Callable[[int], None] | None = None) -> Read:
    """The recording in a file, read in pieces. Raises TraceError naming the column, OSError where it cannot be read."""
    return read_source(of_path(path, told) if told else of_path(path), chosen)


def read_bytes(file_name: str, data: bytes, chosen: Chosen = None) -> Read:
    """The recording in the bytes of a file. Raises TraceError naming the column."""
    return read_source(of_bytes(file_name, data), chosen)


def read_source(source: Source, chosen: Chosen = None, *, hashed: bool = True) -> Read:
    """The recording in a source. hashed : whether its hash is wanted. Raises TraceError naming the column."""
    if source.size > _MOST_BYTES:
        raise TraceError("file", f"is {source.size // 2**20} MB large; the maximum is {_MOST_BYTES // 2**20} MB")
    head = source.head(_HEAD_BYTES)
    if not head.strip():
        raise TraceError("file", "is empty")
    name = _format_of(source, head)
    # a description of messages may lie beside a whole folder: only a network's log is read by it
    wanted = chosen if name == "can" else {what: one for what, one in (chosen or {}).items() if what not in _NETWORK}
    recording, columns, names = READERS[name](source, wanted)
    return Read(recording, name, source.sha256() if hashed else "", columns, names)


def _format_of(source: Source, head: bytes) -> str:
    if head[:2] == b"PK":
        return "xlsx"
    if head[:3] == b"MDF" or source.suffix in (".mf4", ".mdf"):
        return "mdf"
    if source.suffix in _CAN_LOGS:
        return "can"
    if source.suffix in (".jsonl", ".ndjson") or head.lstrip()[:1] == b"{":
        return "feed"
    if b"\x00" in head:
        raise TraceError("file", "isn't a known kind of recording")
    return "csv"


def _read_csv(source: Source, chosen: Chosen) -> Told:
    for encoding in ("utf-8-sig", "latin-1"):
        try:
            with source.open() as raw, io.TextIOWrapper(raw, encoding, newline="") as text:
                return _csv_table(text, chosen)
        except UnicodeDecodeError:
            continue
        except csv.Error as broken:
            raise TraceError("file", f"isn't a table of columns ({broken})") from broken
    raise AssertionError("latin-1 reads any bytes")  # pragma: no cover


def _csv_table(text: TextIO, chosen: Chosen) -> Told:
    lines = _lines(text)
    first = next((line for line in lines if line.strip()), "")
    separator = max(";\t,", key=first.count)
    (names,) = csv.reader([first], delimiter=separator)
    names = [name.strip() for name in names]
    if not any(any(letter.isalpha() for letter in name) for name in names):
        raise TraceError("file", "has no header: name the columns in the first line, such as t_s, primary_psi")
    rows = (row for row in csv.reader(lines, delimiter=separator) if any(cell.strip() for cell in row))
    return _table(names, rows, chosen, commas=separator != ",")


def _lines(text: TextIO) -> Iterator[str]:
    """Its lines, none of them without end. Raises TraceError."""
    while line := text.readline(_LONGEST_LINE):
        if len(line) == _LONGEST_LINE and not line.endswith("\n"):
            raise TraceError("file", "isn't a table of columns (it has a line without end)")
        yield line


def _table(names: list[str], rows: Iterator[list[str]], chosen: Chosen, *, commas: bool) -> Told:
    """commas : a comma in a number is its decimal point."""
    table: Table | None = None
    counted = 0
    for row in rows:
        counted += 1
        if table is None:
            table = Table(names, chosen, "," if commas and any("," in cell for cell in row) else ".")
        table.add(row)
    if table is None or counted < _FEWEST_ROWS:
        raise TraceError("file", f"has {counted + 1} lines: that isn't a recording")
    return table.recording(), table.taken, table.names


_FEWEST_ROWS = 3


def _read_xlsx(source: Source, chosen: Chosen) -> Told:
    import openpyxl  # each reader loads what it needs: one file is of one format

    try:
        with source.open() as file, zipfile.ZipFile(file) as packed:
            unpacked = sum(one.file_size for one in packed.infolist())
    except zipfile.BadZipFile as broken:
        raise TraceError("file", "is a cut or broken spreadsheet") from broken
    if unpacked > _MOST_UNPACKED:
        raise TraceError("file", "unpacks to more data than a spreadsheet of this kind can hold")
    with source.open() as file:
        try:
            book = openpyxl.load_workbook(file, read_only=True, data_only=True)
            sheets = book.worksheets[:1]  # rows are read as they are asked for: what is broken shows only then
            cells = (
                ["" if cell is None else _cell(cell) for cell in row] for row in sheets[0].iter_rows(values_only=True)
            )
            rows = (row for row in cells if any(row))
            return _table(next(rows, []), rows, chosen, commas=False)
        except TraceError:
            raise
        except _BROKEN as broken:
            raise TraceError("file", "is a cut or broken spreadsheet") from broken


def _cell(value: object) -> str:
    isoformat = getattr(value, "isoformat", None)
    return str(isoformat()) if isoformat is not None else str(value)


def _read_feed(source: Source, chosen: Chosen) -> Told:
    with source.open() as raw, io.TextIOWrapper(raw, "utf-8", errors="replace") as text:
        names = _names_of(text)
        text.seek(0)
        rows = ([_text(frame.get(name)) for name in names] for frame in _frames(text))
        return _table(names, rows, chosen, commas=False)


def _names_of(text: TextIO) -> list[str]:
    """What a feed's frames tell, from the first of them."""
    firsts = (frame for frame, _ in zip(_frames(text), range(_MOST_NAMES_FROM), strict=False))
    names = [name for name in dict.fromkeys(name for frame in firsts for name in frame) if name != "seq"]
    if "at_s" in names and "t_s" in names:
        names.remove("t_s")
    return names


def _frames(text: TextIO) -> Iterator[dict[str, Any]]:
    for place, line in enumerate(_lines(text), 1):
        if not line.strip():
            continue
        try:
            frame = json.loads(line)
        except json.JSONDecodeError:
            raise TraceError("file", f"line {place} isn't JSON: a live-feed file has one frame per line") from None
        if not isinstance(frame, dict):
            raise TraceError("file", f"line {place} isn't a frame")
        yield frame


def _text(value: object) -> str:
    return "" if value is None else str(value).lower() if isinstance(value, bool) else str(value)


def _read_can(source: Source, chosen: Chosen) -> Told:
    from lowhiss.exchange.recordings.network import read_network

    return read_network(source, chosen)


def _read_mdf(source: Source, chosen: Chosen) -> Told:
    from lowhiss.exchange.recordings.measured import read_measured

    return read_measured(source, chosen)


READERS: dict[str, Reader] = {
    "csv": _read_csv,
    "xlsx": _read_xlsx,
    "feed": _read_feed,
    "can": _read_can,
    "mdf": _read_mdf,
}
