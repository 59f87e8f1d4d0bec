"""One file of many: read and judged session by session. It asks no database, so that another process may do it."""

from __future__ import annotations

import contextlib
import datetime as dt
import json
import time
import zipfile
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from lowhiss import rulebook
from lowhiss.core.errors import CoreError
from lowhiss.core.procedure import read_procedure
from lowhiss.core.rules import RuleSet, read_rule_set
from lowhiss.core.vehicle import Unit
from lowhiss.engine.recorded import judge_recording
from lowhiss.sandbox import SandboxMissingError
from lowhiss.sandbox.recordings import read_member, read_upload, zip_members
from lowhiss.service.errors import RefusedError
from lowhiss.service.traces.samples import packed
from lowhiss.trace import find_sessions

_ZIPPED = ".zip"
_DESCRIPTION = ".dbc"
_MOST_MEMBERS = 5_000
_MOST_SESSIONS = 200
_TELL_EVERY_S = 0.5
_MOST_DBC_BYTES = 4 * 1024 * 1024
STOP = "stop"
"""A file of this name in a job's directory ends what is being read."""
READING = "reading"
"""How many bytes of the current file were read."""


class StoppedError(Exception):
    """Somebody stopped it."""


@dataclass(frozen=True, slots=True)
class FilePart:
    """One file to read. member : of a zip.  rules, orders : as JSON.  dbc : the description dropped beside it."""

    path: str
    name: str
    member: str | None
    unit: Unit
    rules: str
    orders: str
    dbc: str | None


@dataclass(frozen=True, slots=True)
class FileFound:
    """What came of a file: a line for the table, and its arrays, packed; without them nothing could be read."""

    line: dict[str, Any]
    samples: bytes = b""
    began_at: dt.datetime | None = None


def files_in(directory: Path, names: Mapping[str, str]) -> Iterator[tuple[Path, str, str | None]]:
    """Every recording of a job, zips opened: where it lies, what it is called, and its place in a zip.

    names : what each file was called when it came. Raises RefusedError for a zip of too many.
    """
    for stored, name in names.items():
        path = directory / stored
        if name.lower().endswith(_DESCRIPTION):
            continue
        if not name.lower().endswith(_ZIPPED) or not zipfile.is_zipfile(path):
            yield path, name, None
            continue
        try:
            members = [one for one, _ in zip_members(path, _MOST_MEMBERS) if _counts(one)]
        except CoreError as error:
            if "holds" in error.problem:
                raise RefusedError("too_many_files", f"file: {name[:60]!r} {error.problem}.", "file") from error
            yield path, name, None  # said of it when it is read
            continue
        yield from ((path, f"{name}/{member}", member) for member in members)


def _counts(member: str) -> bool:
    """No directories, no hidden files, no description of messages."""
    parts = PurePosixPath(member).parts
    hidden = any(part.startswith((".", "__MACOSX")) for part in parts)
    return not member.endswith("/") and not hidden and not member.lower().endswith(_DESCRIPTION)


def description_in(directory: Path, names: Mapping[str, str]) -> str | None:
    """The description of messages that was dropped beside the logs, by itself or in a zip."""
    for stored, name in names.items():
        path = directory / stored
        if name.lower().endswith(_DESCRIPTION):
            return path.read_bytes()[:_MOST_DBC_BYTES].decode("utf-8", errors="replace")
        if name.lower().endswith(_ZIPPED) and zipfile.is_zipfile(path):
            with contextlib.suppress(CoreError):
                for member, size in zip_members(path, _MOST_MEMBERS):
                    if member.lower().endswith(_DESCRIPTION) and size <= _MOST_DBC_BYTES:
                        return read_member(path, member, _MOST_DBC_BYTES).decode("utf-8", errors="replace")
    return None


def read_part(part: FilePart) -> FileFound:
    """Read a file and judge every session in it; what is wrong with it is a sentence, never an error.

    Raises StoppedError.
    """
    path = Path(part.path)
    told = _teller(path.parent)
    try:
        return _found(part, told)
    except StoppedError:
        raise
    except SandboxMissingError as error:
        return FileFound({"name": part.name, "error": str(error)})
    # whatever one file does, the others of its batch are read
    except Exception as error:
        sentence = f"{error}." if isinstance(error, CoreError) else "file: can't be read."
        return FileFound({"name": part.name, "error": sentence})


def _found(part: FilePart, told: Callable[[int], None]) -> FileFound:
    read = read_upload(part.name, Path(part.path), {"dbc": part.dbc} if part.dbc else None, told, part.member)
    rules = _rules_of(part.rules)
    orders = [read_procedure(one) for one in json.loads(part.orders)]
    sessions = find_sessions(read.recording)
    lines = []
    for span in sessions[:_MOST_SESSIONS]:
        try:
            judged = judge_recording(
                read.recording.between(span.from_s, span.to_s), rules, part.unit, None, None, orders
            )
        except CoreError as error:
            lines.append({"from_s": span.from_s, "to_s": span.to_s, "overall": None, "error": f"{error}."})
            continue
        stages = judged.found.stages
        lines.append(
            {
                "from_s": span.from_s,
                "to_s": span.to_s,
                "overall": judged.verdict.overall,
                "order": judged.found.procedure.id,
                "found": sum(one is not None for _, one in stages),
                "stages": len(stages),
            }
        )
    line = {
        "name": part.name,
        "id": read.sha256,
        "format": read.format,
        "columns": dict(read.columns),
        "sessions": lines,
        "error": None,
    }
    return FileFound(line, packed(read.recording), read.recording.began_at)


def _rules_of(text: str) -> RuleSet:
    return read_rule_set(json.loads(text), rulebook.judging(), rulebook.rule_set)


def _teller(directory: Path) -> Callable[[int], None]:
    latest = 0.0

    def write_progress(read: int) -> None:
        nonlocal latest
        now = time.monotonic()
        if now - latest < _TELL_EVERY_S:
            return
        latest = now
        if (directory / STOP).exists():
            raise StoppedError
        if read:
            (directory / READING).write_text(str(read))

    return write_progress
