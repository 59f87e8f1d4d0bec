"""Recordings read in the sandbox: the same answer as ``exchange.recordings`` gives, checked again on this side."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path, PurePath
from typing import Any

from lowhiss.exchange.recordings.registry import Read
from lowhiss.sandbox.host import Answer, RefusedFileError, moment, read
from lowhiss.trace.recording import Recording, TraceError

_PIECE = 1 << 20
_MAX_MEMBER_BYTES = 4 * 1024**3
_MAX_NAME = 300
_MAX_NAMES = 10_000


def read_upload(
    name: str,
    file: Path | bytes,
    chosen: Mapping[str, str] | None = None,
    told: Callable[[int], None] | None = None,
    member: str | None = None,
) -> Read:
    """The recording in a file, or in the member of a zip.

    told : hears how many bytes were read; what it raises ends the reading.
    Raises TraceError naming the column, SandboxError, SandboxMissingError, OSError.
    """
    if member is None:
        return _read(name, file, chosen, told)
    with tempfile.NamedTemporaryFile(suffix=PurePath(member).suffix) as unpacked:
        args = {"member": member, "most": _MAX_MEMBER_BYTES}
        _request("zip_member", file, args, ".zip", told, unpacked)
        return _read(PurePath(member).name, Path(unpacked.name), chosen, told)


def _read(name: str, file: Path | bytes, chosen: Mapping[str, str] | None, told: Callable[[int], None] | None) -> Read:
    args = {"name": name, "chosen": dict(chosen) if chosen is not None else None}
    answer = _request("recording", file, args, PurePath(name).suffix.lower(), told, None)
    parts: dict[str, dict[str, Any]] = {"needle": {}, "flag": {}, "other": {}}
    for key, values in answer.numbers.items():
        kind, _, what = key.partition(":")
        if kind in parts:
            parts[kind][what] = values
    t_s = answer.numbers["t_s"]
    if any(values.shape != t_s.shape for kind in parts.values() for values in kind.values()):
        raise TraceError("file", "is damaged or incomplete")
    recording = Recording(t_s, parts["needle"], parts["flag"], parts["other"], moment(answer.meta["began_at"]))
    columns = {str(role)[:_MAX_NAME]: str(one)[:_MAX_NAME] for role, one in dict(answer.meta["columns"]).items()}
    names = [str(one)[:_MAX_NAME] for one in answer.meta["names"][:_MAX_NAMES]]
    return Read(recording, str(answer.meta["format"])[:20], _sha256(file), columns, names)


def _request(
    reader: str, file: Path | bytes, args: dict[str, Any], suffix: str, told: Callable[[int], None] | None, output: Any
) -> Answer:
    try:
        return read(reader, file, args, suffix=suffix, told=told, output=output)
    except RefusedFileError as error:
        raise TraceError(error.field, error.problem) from None


def read_member(file: Path, member: str, most: int) -> bytes:
    """A small file of a zip. Raises TraceError, SandboxError, SandboxMissingError, OSError."""
    with tempfile.TemporaryFile() as unpacked:
        _request("zip_member", file, {"member": member, "most": most}, ".zip", None, unpacked)
        unpacked.seek(0)
        return unpacked.read(most)


def _sha256(file: Path | bytes) -> str:
    """The file's hash, made here: a recording is known by it, and nothing that read the file may choose it."""
    if isinstance(file, bytes):
        return hashlib.sha256(file).hexdigest()
    digest = hashlib.sha256()
    with file.open("rb") as open_file:
        while piece := open_file.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()


def zip_members(file: Path, most: int) -> list[tuple[str, int]]:
    """Name and unpacked size of each file of a zip. Raises TraceError, SandboxError, SandboxMissingError, OSError."""
    answer = _request("zip_list", file, {"most": most}, ".zip", None, None)
    return [(str(name), int(size)) for name, size in answer.meta["members"]]
