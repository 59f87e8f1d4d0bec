"""Copies of everything, made while it runs, and putting one back: whole or not at all, and never half of one served."""

from __future__ import annotations

import contextlib
import datetime as dt
import errno
import gzip
import hashlib
import json
import os
import shutil
import uuid
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import BinaryIO, NoReturn

from sqlalchemy import text

from lowhiss import __version__, sandbox
from lowhiss.core.errors import CoreError
from lowhiss.database.dump import dump, restore, rows_in
from lowhiss.database.server import DatabaseError
from lowhiss.exchange.keys import KeyFileError, KeyFiles, is_signed
from lowhiss.exchange.seals import canonical
from lowhiss.service.copies import EVERY, Copies, copies_of, save_copies
from lowhiss.service.seals import signing, verification
from lowhiss.store.engine import Store, current_revision, known_revisions
from lowhiss.upgrade import NOTE

FORMAT = "low-hiss-backup/1"
_SQL, _MANIFEST = "database.sql.gz", "manifest.json"
_PIECE = 1 << 20
_LOCK = "lowhiss_backup"
_DAYS, _WEEKS, _MONTHS = 7, 5, 12


class BackupError(RuntimeError):
    """A copy that cannot be made or put back; one clear sentence."""


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a copy says of itself.

    sha256 : of the packed database.  head : how far its chain of seals goes.  rows : by table, the fewest and the most
    rows that it had while it was copied.  key, signature : of the installation that made it, over all the rest.
    """

    format: str
    version: str
    revision: str
    made_at: str
    sha256: str
    head: str
    runs: int
    rows: dict[str, list[int]] = field(default_factory=dict)
    key: str = ""
    signature: str = ""

    @property
    def signed_text(self) -> str:
        """The text that is signed."""
        return canonical({**asdict(self), "signature": ""})


def back_up(store: Store, url: str, target: Path, keys: KeyFiles | None = None) -> Manifest:
    """Write a copy of everything to ``target`` while it runs; whole, or not at all.

    keys : the copy is signed with the one in use. Raises BackupError, DatabaseError, KeyFileError.
    """
    own = f".{target.name}.{uuid.uuid4().hex[:8]}"
    sql = target.with_name(f"{own}.sql")
    packed, partly = target.with_name(f"{own}.gz.part"), target.with_name(f"{own}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with store.engine.connect() as connection:
            runs = int(connection.execute(text("SELECT COUNT(*) FROM run")).scalar_one())
        before = rows_in(url)
        dump(url, sql)
        after = rows_in(url)
        with (
            sql.open("rb") as plain,
            os.fdopen(os.open(packed, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file,
            gzip.GzipFile(fileobj=file, mode="wb", compresslevel=6) as out,
        ):
            shutil.copyfileobj(plain, out, _PIECE)
        key = keys.in_use() if keys is not None else None
        manifest = Manifest(
            format=FORMAT,
            version=__version__,
            revision=str(current_revision(store.engine)),
            made_at=dt.datetime.now(dt.UTC).isoformat(),
            sha256=_hash(packed),
            head=signing.head(store)[1],
            runs=runs,
            rows={name: sorted((before.get(name, 0), after.get(name, 0))) for name in sorted({*before, *after})},
            key=key.id if key is not None else "",
        )
        if key is not None:
            manifest = replace(manifest, signature=key.sign(manifest.signed_text))
        descriptor = os.open(partly, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "wb") as file:
            with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as whole:
                whole.write(packed, _SQL)
                whole.writestr(_MANIFEST, json.dumps(asdict(manifest), indent=1))
            file.flush()
            os.fsync(file.fileno())
        _check_written(partly, manifest)
        partly.replace(target)
        return manifest
    except OSError as error:
        raise BackupError(f"{target} can't be written: {_reason(error)}. Earlier backups are unchanged.") from error
    finally:
        for left in (sql, sql.with_suffix(".part"), packed, partly):
            with contextlib.suppress(OSError):
                left.unlink(missing_ok=True)


def _check_written(path: Path, manifest: Manifest) -> None:
    """Whether the file that was just written holds what it should; it is our own. Raises BackupError."""
    digest = hashlib.sha256()
    with zipfile.ZipFile(path) as whole, whole.open(_SQL) as packed:
        while piece := packed.read(_PIECE):
            digest.update(piece)
    if digest.hexdigest() != manifest.sha256:
        raise BackupError(f"{path} was not written completely: check the disk, then try again")


def read_manifest(path: Path) -> Manifest:
    """What a copy says of itself, once its bytes were found to be those it was made of. Raises BackupError."""
    return _read(path, None)


def _read(path: Path, output: BinaryIO | None) -> Manifest:
    """The manifest; with ``output`` the SQL is unpacked into it. It is read in the sandbox. Raises BackupError."""
    asked = {"manifest": _MANIFEST, "sql": _SQL, "unpack": output is not None}
    try:
        answer = sandbox.read("backup", path, asked, suffix=".zip", output=output)
        manifest = Manifest(**answer.meta["manifest"])
        if not all(isinstance(one, str) for one in (manifest.format, manifest.revision, manifest.key)):
            raise TypeError
    except FileNotFoundError:
        raise BackupError(f"there is no file {path}") from None
    except OSError as error:
        raise BackupError(f"{path} can't be read: {_reason(error)}") from error
    except sandbox.SandboxMissingError as error:
        raise BackupError(str(error)) from error
    except (CoreError, TypeError):
        raise BackupError(f"{path} isn't a Low Hiss backup, or is incomplete") from None
    if manifest.format != FORMAT or answer.meta["sha256"] != manifest.sha256:
        raise BackupError(f"{path} is damaged: its content has changed since it was made")
    return manifest


def check_origin(manifest: Manifest, keys: KeyFiles, path: Path) -> None:
    """Whether a key of this installation signed the copy. Raises BackupError, KeyFileError."""
    public = keys.public_keys()
    if not public:
        raise BackupError(
            f"{keys.directory} has no keys, so {path} can't be verified. Restore the keys from their backup "
            "first; or give --foreign to restore it unchecked; new seals then get a new key."
        )
    if manifest.key not in public or not is_signed(manifest.signed_text, manifest.signature, public[manifest.key]):
        raise BackupError(
            f"{path} isn't signed by a key of this installation: it was made elsewhere or by an older version, "
            "or it was changed. Give --foreign to restore it anyway."
        )


def put_back(
    store: Store,
    url: str,
    copies: Path,
    path: Path,
    say: Callable[[str], None],
    keys: KeyFiles | None = None,
    *,
    foreign: bool = False,
) -> list[str]:
    """Make the database what it was when the copy was made; what its seals say is wrong with it.

    Until it is done a note lies beside the copies: whoever starts meanwhile puts the copy back first. What was there
    before is copied too, and is put back where the copy can't be loaded. keys : the copy must be signed by one of
    them, but for a ``foreign`` one. Raises BackupError, DatabaseError, KeyFileError.
    """
    manifest = read_manifest(path)
    if keys is not None and not foreign:
        check_origin(manifest, keys, path)
    if manifest.revision not in known_revisions():
        raise BackupError(f"{path} was made by version {manifest.version}, newer than this one: update Low Hiss first")
    stamp = dt.datetime.now(dt.UTC).strftime("%Y%m%dT%H%M%SZ")
    copy, note = copies / f"restore-{stamp}.sql", copies / NOTE
    before = copies / f"before-restore-{stamp}.sql"
    try:
        copies.mkdir(parents=True, exist_ok=True)
        copy.touch(mode=0o600)
        with copy.open("wb") as out:
            _read(path, out)
            out.flush()
            os.fsync(out.fileno())
        if current_revision(store.engine) is not None:
            say(f"Backing up the current data: {before}")
            dump(url, before)
        partly = note.with_suffix(".part")
        partly.write_text(f"{copy.name}\n{before.name if before.exists() else ''}\n", encoding="utf-8")
        partly.replace(note)
    except (OSError, BackupError) as error:
        copy.unlink(missing_ok=True)
        if isinstance(error, BackupError):
            raise
        raise BackupError(f"{copies} can't be written: {_reason(error)}. Nothing was changed.") from error
    say("Restoring the backup")
    store.engine.dispose()
    try:
        restore(url, copy)
        _check_rows(manifest, rows_in(url), path)
    except (DatabaseError, BackupError) as error:
        _undo(url, note, copy, before, error)
    note.unlink()
    copy.unlink()
    store.engine.dispose()
    if keys is not None:
        keys.note_restore(*signing.head(store)[:2])
    return [f"seal {one.place}: {one.sentence}" for one in verification.verify_all(store, keys) if not one.notice]


def _check_rows(manifest: Manifest, now: dict[str, int], path: Path) -> None:
    """Raises BackupError where a table or some of its rows did not come back."""
    for name, (fewest, most) in manifest.rows.items():
        if not fewest <= now.get(name, -1) <= most:
            came = f"{now[name]} rows" if name in now else "nothing"
            raise BackupError(f"{path} is damaged: table {name} has {came}, but should have {fewest} to {most} rows.")


def _undo(url: str, note: Path, copy: Path, before: Path, error: Exception) -> NoReturn:
    """Put back what was there before a copy that can't be loaded. Raises BackupError, DatabaseError."""
    if not before.exists():
        note.unlink()
        copy.unlink()
        raise BackupError(f"The backup can't be loaded: {error} The database was empty before: restore another backup.")
    restore(url, before)
    note.unlink()
    copy.unlink()
    raise BackupError(f"The backup can't be loaded: {error} The previous data was restored.")


def _reason(error: OSError) -> str:
    return "the disk is full" if error.errno in (errno.ENOSPC, errno.EDQUOT) else str(error.strerror)


# copies made by themselves


def clear_leftovers(*directories: Path) -> None:
    """Remove what copies that were killed left half made; only while nobody else makes one."""
    for directory in directories:
        for pattern in ("*.part", ".*.sql", ".*.part", "low-hiss-*.sql*"):
            for left in directory.glob(pattern):
                left.unlink(missing_ok=True)


def scheduled(store: Store, url: str, directory: Path, now: dt.datetime, keys: KeyFiles | None = None) -> Path | None:
    """Make the copy that is due, if one is; only one process does. What became of it is kept for the yard."""
    known = copies_of(store)
    if known.at is not None and now - known.at < EVERY:
        return None
    with store.engine.connect() as connection:
        if not connection.execute(text(f"SELECT GET_LOCK('{_LOCK}', 0)")).scalar():
            return None
        try:
            # what a process that was killed left half; nobody else makes one now
            clear_leftovers(directory)
            target = directory / f"low-hiss-{now:%Y-%m-%dT%H%M}.zip"
            back_up(store, url, target, keys)
            save_copies(store, Copies(at=now, file=target.name, tried_at=now))
            _thin(directory)
            return target
        except (BackupError, DatabaseError, KeyFileError) as error:
            save_copies(store, replace(known, why=str(error), tried_at=now))
            return None
        finally:
            connection.execute(text(f"SELECT RELEASE_LOCK('{_LOCK}')"))


def _thin(directory: Path) -> None:
    for old in outdated([path.name for path in directory.glob("low-hiss-*.zip")]):
        (directory / old).unlink(missing_ok=True)


def outdated(names: Sequence[str]) -> list[str]:
    """Which of these copies may go: kept are the last of each of the last days, weeks and months.

    >>> outdated([f"low-hiss-2026-11-{day:02d}T0300.zip" for day in range(1, 29)])[:3]
    ['low-hiss-2026-11-02T0300.zip', 'low-hiss-2026-11-03T0300.zip', 'low-hiss-2026-11-04T0300.zip']
    """
    dated = sorted((name for name in names if _day(name) is not None), reverse=True)
    keep: set[str] = set()
    for most, span in ((_DAYS, "%Y-%m-%d"), (_WEEKS, "%G-%V"), (_MONTHS, "%Y-%m")):
        last: dict[str, str] = {}
        for name in dated:
            day = _day(name)
            assert day is not None
            last.setdefault(day.strftime(span), name)
        keep |= set(list(last.values())[:most])
    return sorted(set(dated) - keep)


def _day(name: str) -> dt.date | None:
    try:
        return dt.date.fromisoformat(name.removeprefix("low-hiss-")[:10])
    except ValueError:
        return None


def _hash(path: Path) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            digest.update(piece)
    return digest.hexdigest()
