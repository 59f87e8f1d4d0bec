"""What the confined children do: each reads one kind of foreign file into plain texts, numbers and bytes."""

from __future__ import annotations

import functools
import gzip
import hashlib
import json
import os
import socket
import subprocess
import threading
import zipfile
import zlib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, BinaryIO

from lowhiss.core.errors import CoreError
from lowhiss.exchange.photographs import PictureError, saved_jpeg
from lowhiss.exchange.rule_toml import tables_of
from lowhiss.sandbox.wire import Blob, send_progress

Result = tuple[Mapping[str, Any], Mapping[str, Blob]]
REFUSALS = (CoreError, PictureError)
"""What readers raise with a sentence about the file."""
_PIECE = 1 << 20
_BROKEN_ZIP = (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, KeyError, OSError)


class FileError(CoreError):
    """What is wrong with a file."""


class Progress:
    """Tells whoever asked how many bytes were read."""

    def __init__(self, out: BinaryIO) -> None:
        self._out = out

    def __call__(self, done: int) -> None:
        """Send how many bytes were read."""
        send_progress(self._out, done)


def recording(path: Path, args: dict[str, Any], told: Progress, _: int | None) -> Result:
    """A recording's times, needles and flags as arrays, and what its columns were taken for."""
    from lowhiss.exchange.recordings.registry import read_source
    from lowhiss.exchange.recordings.source import of_path

    read = read_source(of_path(path, told, str(args["name"])), args["chosen"], hashed=False)
    one = read.recording
    arrays: dict[str, Blob] = {"t_s": one.t_s}
    for prefix, series in (("needle", one.needles), ("flag", one.flags), ("other", one.others)):
        arrays.update({f"{prefix}:{name}": values for name, values in series.items()})
    began = one.began_at.isoformat() if one.began_at is not None else None
    meta = {"format": read.format, "columns": dict(read.columns), "names": list(read.names), "began_at": began}
    return meta, arrays


def photograph(path: Path, _args: dict[str, Any], _told: Progress, _: int | None) -> Result:
    """A photograph made anew as a JPEG."""
    return {}, {"jpeg": saved_jpeg(path.read_bytes())}


def zip_list(path: Path, args: dict[str, Any], _told: Progress, _: int | None) -> Result:
    """Name and unpacked size of each file of a zip."""
    try:
        with zipfile.ZipFile(path) as packed:
            members = [[one.filename, one.file_size] for one in packed.infolist() if not one.is_dir()]
    except _BROKEN_ZIP:
        raise FileError("file", "is a damaged or incomplete zip") from None
    if len(members) > int(args["most"]):
        raise FileError("file", f"holds {len(members)} files; the maximum is {args['most']}")
    return {"members": members}, {}


def zip_member(path: Path, args: dict[str, Any], told: Progress, output: int | None) -> Result:
    """One file of a zip, unpacked into the file that was handed over."""
    assert output is not None
    done = 0
    try:
        with zipfile.ZipFile(path) as packed, packed.open(str(args["member"])) as member:
            while piece := member.read(_PIECE):
                done += len(piece)
                if done > int(args["most"]):
                    raise FileError("file", f"unpacks to more than {int(args['most']) // 2**20} MB")
                _write(output, piece)
                told(0)
    except _BROKEN_ZIP:
        raise FileError("file", "can't be unpacked: it is incomplete or has a password") from None
    return {"size": done}, {}


def zip_texts(path: Path, args: dict[str, Any], _told: Progress, _: int | None) -> Result:
    """The manifest of a zip and every file that it names; counted as it unpacks.

    args : ``manifest``, its name; ``list``, the key of its list; ``most``, files; ``each``, ``total``, bytes.
    """
    texts: dict[str, Blob] = {}
    missing: dict[str, str] = {}
    total = 0
    try:
        with zipfile.ZipFile(path) as packed:
            manifest = json.loads(_bounded(packed, str(args["manifest"]), int(args["each"])))
            listed = [str(one["file"]) for one in manifest[str(args["list"])]]
            if len(listed) > int(args["most"]):
                raise FileError("file", f"holds {len(listed)} records; the maximum is {args['most']} at once")
            for name in dict.fromkeys(listed):
                try:
                    texts[name] = _bounded(packed, name, int(args["each"]))
                except FileError as problem:
                    missing[name] = str(problem)
                    continue
                except _BROKEN_ZIP:
                    missing[name] = "file: isn't in the zip as its manifest says."
                    continue
                total += len(texts[name])
                if total > int(args["total"]):
                    raise FileError("file", f"unpacks to more than {int(args['total']) // 2**20} MB")
    except (*_BROKEN_ZIP, ValueError, TypeError, AttributeError) as error:
        if isinstance(error, FileError):
            raise
        raise FileError("file", "isn't a zip of records, or is incomplete") from None
    return {"manifest": manifest, "missing": missing}, texts


def _bounded(packed: zipfile.ZipFile, name: str, most: int) -> bytes:
    with packed.open(name) as member:
        data = member.read(most + 1)
    if len(data) > most:
        raise FileError("file", f"{name[:60]} is larger than {most // 2**20} MB")
    return data


def toml(path: Path, _args: dict[str, Any], _told: Progress, _: int | None) -> Result:
    """A TOML document's tables as JSON. Dates and times become texts."""
    return {"table": json.loads(json.dumps(tables_of(path.read_bytes()), default=str))}, {}


def backup(path: Path, args: dict[str, Any], _told: Progress, output: int | None) -> Result:
    """A backup's manifest and the hash of its packed SQL; the SQL itself, unpacked, goes to the output.

    args : ``manifest`` and ``sql``, their names; ``unpack``, whether the SQL is wanted.
    """
    try:
        with zipfile.ZipFile(path) as whole:
            manifest = json.loads(_bounded(whole, str(args["manifest"]), _PIECE))
            digest = hashlib.sha256()
            with whole.open(str(args["sql"])) as packed:
                while piece := packed.read(_PIECE):
                    digest.update(piece)
            if args["unpack"] and output is not None:
                with whole.open(str(args["sql"])) as packed, gzip.open(packed) as plain:
                    while piece := plain.read(_PIECE):
                        _write(output, piece)
    except (*_BROKEN_ZIP, ValueError, TypeError):
        raise FileError("file", "isn't a Low Hiss backup, or is incomplete") from None
    return {"manifest": manifest, "sha256": digest.hexdigest()}, {}


def _write(output: int, piece: bytes) -> None:
    view = memoryview(piece)
    while view:
        view = view[os.write(output, view) :]


def self_check(_path: Path, args: dict[str, Any], _told: Progress, _: int | None) -> Result:
    """Which of the things that a hostile file might try are possible from here; none must be.

    args : ``secrets``, paths that must not be readable; ``memory_mb``, more than may be taken.
    """
    attempts: dict[str, Callable[[], object]] = {
        "open a socket": lambda: socket.socket(socket.AF_INET, socket.SOCK_STREAM).close(),
        "open a local socket": lambda: socket.socket(socket.AF_UNIX, socket.SOCK_STREAM).close(),
        "fork": _fork,
        "run a program": lambda: subprocess.run(["/bin/true"], check=True),
        "start a thread": lambda: threading.Thread(target=int).start(),
        "signal another process": lambda: os.kill(os.getppid(), 0),
        "write outside the scratch": lambda: Path("/var-written").write_bytes(b"1"),
        "change the program": lambda: Path(__file__).with_name("written").write_bytes(b"1"),
        "take too much memory": lambda: bytearray(int(args["memory_mb"]) * 2**20),
        "open a terminal": lambda: os.openpty(),
    }
    for place, secret in enumerate(args["secrets"]):
        attempts[f"read secret {place}"] = functools.partial(Path(str(secret)).read_bytes)
    return {"possible": [name for name, attempt in attempts.items() if _works(attempt)], "tried": len(attempts)}, {}


def _works(attempt: Callable[[], object]) -> bool:
    try:
        attempt()
    except (OSError, RuntimeError, MemoryError, ValueError):
        return False
    return True


def _fork() -> None:
    if (child := os.fork()) == 0:
        os._exit(0)
    os.waitpid(child, 0)
