"""The formats of recordings: each with its reader, found by what a file is called and what it begins with."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import Any

from lowhiss.exchange.recordings.columns import recording_of
from lowhiss.trace.recording import Recording, TraceError

MOST_BYTES = 512 * 1024 * 1024
_MOST_ROWS = 4_000_000
_BROKEN = (
    *(zipfile.BadZipFile, KeyError, ValueError, OSError, EOFError, SyntaxError),
    *(TypeError, AttributeError, IndexError, zlib.error),
)
"""What a cut spreadsheet makes its reader raise."""
_CAN_LOGS = (".log", ".asc", ".blf", ".trc")
_MOST_UNPACKED = 256 * 1024 * 1024
"""A spreadsheet is a zip: what it unpacks to is bounded before it is opened."""


@dataclass(frozen=True, slots=True)
class Read:
    """A file that was read: its recording, its format, its hash, and what each column was taken for."""

    recording: Recording
    format: str
    sha256: str
    columns: Mapping[str, str]


Reader = Callable[[bytes, str, Mapping[str, str] | None], tuple[Recording, dict[str, str]]]
"""From the bytes, what the file's name ends in, and the columns that were chosen."""


def read_recording(path: Path, chosen: Mapping[str, str] | None = None) -> Read:
    """The recording in a file. Raises TraceError naming the column, OSError where it cannot be read."""
    size = path.stat().st_size
    if size > MOST_BYTES:
        raise TraceError("file", f"is {size // 2**20} MB large; at most {MOST_BYTES // 2**20} MB are read")
    return read_bytes(path.name, path.read_bytes(), chosen)


def read_bytes(file_name: str, data: bytes, chosen: Mapping[str, str] | None = None) -> Read:
    """The recording in the bytes of a file. Raises TraceError naming the column."""
    path = PurePath(file_name)
    if not data.strip():
        raise TraceError("file", "is empty")
    name = _format_of(path, data)
    recording, columns = READERS[name](data, path.suffix.lower(), chosen)
    return Read(recording, name, hashlib.sha256(data).hexdigest(), columns)


def _format_of(path: PurePath, data: bytes) -> str:
    if data[:2] == b"PK":
        return "xlsx"
    if data[:3] == b"MDF" or path.suffix.lower() in (".mf4", ".mdf"):
        return "mdf"
    if path.suffix.lower() in _CAN_LOGS:
        return "can"
    if path.suffix.lower() in (".jsonl", ".ndjson") or data.lstrip()[:1] == b"{":
        return "feed"
    if b"\x00" in data[:4096]:
        raise TraceError("file", "is no text, and no recording that is known here")
    return "csv"


def _read_csv(data: bytes, _: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    head = text[:4096]
    separator = max(";\t,", key=lambda one: head.split("\n", 1)[0].count(one))
    try:
        rows = [row for row in csv.reader(io.StringIO(text), delimiter=separator) if any(cell.strip() for cell in row)]
    except csv.Error as broken:
        raise TraceError("file", f"is no table of columns ({broken})") from broken
    if len(rows) < 4:
        raise TraceError("file", f"has {len(rows)} lines: that is no recording")
    names = [cell.strip() for cell in rows[0]]
    if not any(any(letter.isalpha() for letter in name) for name in names):
        raise TraceError("file", "has no header: name its columns in the first line, such as t_s, primary_psi")
    decimal = "," if separator != "," and any("," in cell for cell in rows[1]) else "."
    return recording_of(names, rows[1 : _MOST_ROWS + 1], chosen, decimal)


def _read_xlsx(data: bytes, _: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    import openpyxl  # each reader loads what it needs: one file is of one format

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            unpacked = sum(one.file_size for one in packed.infolist())
    except zipfile.BadZipFile as broken:
        raise TraceError("file", "is a cut or broken spreadsheet") from broken
    if unpacked > _MOST_UNPACKED:
        raise TraceError("file", "unpacks to more than a spreadsheet of this kind ever holds")
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
        sheets = book.worksheets[:1]  # rows are read as they are asked for: what is broken shows only then
        rows = [["" if cell is None else _cell(cell) for cell in row] for row in sheets[0].iter_rows(values_only=True)]
    except _BROKEN as broken:
        raise TraceError("file", "is a cut or broken spreadsheet") from broken
    rows = [row for row in rows if any(row)][: _MOST_ROWS + 1]
    if len(rows) < 4:
        raise TraceError("file", f"has {len(rows)} rows: that is no recording")
    return recording_of(rows[0], rows[1:], chosen)


def _cell(value: object) -> str:
    isoformat = getattr(value, "isoformat", None)
    return str(isoformat()) if isoformat is not None else str(value)


def _read_feed(data: bytes, _: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    frames: list[dict[str, Any]] = []
    for place, line in enumerate(data.decode("utf-8", errors="replace").splitlines(), 1):
        if not line.strip():
            continue
        try:
            frame = json.loads(line)
        except json.JSONDecodeError:
            raise TraceError("file", f"line {place} is no JSON: a feed has one frame a line") from None
        if not isinstance(frame, dict):
            raise TraceError("file", f"line {place} is no frame")
        frames.append(frame)
    names = [name for name in dict.fromkeys(name for frame in frames for name in frame) if name != "seq"]
    if "at_s" in names and "t_s" in names:
        names.remove("t_s")
    rows = [[_text(frame.get(name)) for name in names] for frame in frames]
    return recording_of(names, rows, chosen)


def _text(value: object) -> str:
    return "" if value is None else str(value).lower() if isinstance(value, bool) else str(value)


def _read_can(data: bytes, suffix: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    from lowhiss.exchange.recordings.network import read_network

    return read_network(data, suffix, chosen)


def _read_mdf(data: bytes, _: str, chosen: Mapping[str, str] | None) -> tuple[Recording, dict[str, str]]:
    from lowhiss.exchange.recordings.measured import read_measured

    return read_measured(data, chosen)


READERS: dict[str, Reader] = {
    "csv": _read_csv,
    "xlsx": _read_xlsx,
    "feed": _read_feed,
    "can": _read_can,
    "mdf": _read_mdf,
}
