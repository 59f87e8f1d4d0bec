"""Copies of everything, made while it runs, and putting one back: whole or not at all, and never half of one served."""

from __future__ import annotations

import contextlib
import datetime as dt
import gzip
import hashlib
import json
import os
import shutil
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from sqlalchemy import text

from lowhiss import __version__
from lowhiss.database.dump import dump, restore
from lowhiss.database.server import DatabaseError
from lowhiss.service.copies import EVERY, Copies, copies_of, keep_copies
from lowhiss.service.seals import sealing, verifying
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
    """What a copy says of itself. sha256 : of the packed database.  head : how far its chain of seals goes."""

    format: str
    version: str
    revision: str
    made_at: str
    sha256: str
    head: str
    runs: int


def back_up(store: Store, url: str, target: Path) -> Manifest:
    """Write a copy of everything to ``target`` while it runs; whole, or not at all.

    Raises BackupError, DatabaseError.
    """
    sql = target.with_suffix(".sql")
    packed, partly = target.with_suffix(".gz.part"), target.with_suffix(".part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with store.engine.connect() as connection:
            runs = int(connection.execute(text("SELECT COUNT(*) FROM run")).scalar_one())
        dump(url, sql)
        with sql.open("rb") as plain, gzip.open(packed, "wb", compresslevel=6) as out:
            shutil.copyfileobj(plain, out, _PIECE)
        manifest = Manifest(
            format=FORMAT,
            version=__version__,
            revision=str(current_revision(store.engine)),
            made_at=dt.datetime.now(dt.UTC).isoformat(),
            sha256=_hash(packed),
            head=sealing.head(store)[1],
            runs=runs,
        )
        descriptor = os.open(partly, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "wb") as file:
            with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as whole:
                whole.write(packed, _SQL)
                whole.writestr(_MANIFEST, json.dumps(asdict(manifest), indent=1))
            file.flush()
            os.fsync(file.fileno())
        read_manifest(partly)
        partly.replace(target)
        return manifest
    except OSError as error:
        raise BackupError(
            f"{target} cannot be written: {error.strerror}. The copies before it are untouched."
        ) from error
    finally:
        for left in (sql, sql.with_suffix(".part"), packed, partly):
            with contextlib.suppress(OSError):
                left.unlink(missing_ok=True)


def read_manifest(path: Path) -> Manifest:
    """What a copy says of itself, once its bytes were found to be those it was made of. Raises BackupError."""
    try:
        with zipfile.ZipFile(path) as whole:
            manifest = Manifest(**json.loads(whole.read(_MANIFEST)))
            digest = hashlib.sha256()
            with whole.open(_SQL) as packed:
                while piece := packed.read(_PIECE):
                    digest.update(piece)
    except FileNotFoundError:
        raise BackupError(f"there is no file {path}") from None
    except OSError as error:
        raise BackupError(f"{path} cannot be read: {error.strerror}") from error
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, EOFError):
        raise BackupError(f"{path} is no copy of Low Hiss, or was cut") from None
    if manifest.format != FORMAT or digest.hexdigest() != manifest.sha256:
        raise BackupError(f"{path} is not whole: its content is not the one that it was made of")
    return manifest


def put_back(store: Store, url: str, copies: Path, path: Path, say: Callable[[str], None]) -> list[str]:
    """Make the database what it was when the copy was made; what its seals say is wrong with it.

    Until it is done a note lies beside the copies: whoever starts meanwhile puts the copy back first. What was there
    before is copied too. Raises BackupError, DatabaseError.
    """
    manifest = read_manifest(path)
    if manifest.revision not in known_revisions():
        raise BackupError(
            f"{path} was made by version {manifest.version}, newer than this one: bring Low Hiss up to date first"
        )
    stamp = dt.datetime.now(dt.UTC).strftime("%Y%m%dT%H%M%SZ")
    copy, note = copies / f"restore-{stamp}.sql", copies / NOTE
    try:
        copies.mkdir(parents=True, exist_ok=True)
        with zipfile.ZipFile(path) as whole, whole.open(_SQL) as packed, gzip.open(packed) as plain:
            copy.touch(mode=0o600)
            with copy.open("wb") as out:
                shutil.copyfileobj(plain, out, _PIECE)
                out.flush()
                os.fsync(out.fileno())
        if current_revision(store.engine) is not None:
            say(f"Copying what is there now: {copies / f'before-restore-{stamp}.sql'}")
            dump(url, copies / f"before-restore-{stamp}.sql")
        partly = note.with_suffix(".part")
        partly.write_text(copy.name, encoding="utf-8")
        partly.replace(note)
    except OSError as error:
        copy.unlink(missing_ok=True)
        raise BackupError(f"{copies} cannot be written: {error.strerror}. Nothing was changed.") from error
    say("Putting the copy back")
    store.engine.dispose()
    restore(url, copy)
    note.unlink()
    copy.unlink()
    store.engine.dispose()
    return [f"seal {one.place}: {one.sentence}" for one in verifying.verify_all(store)]


# copies made by themselves


def scheduled(store: Store, url: str, directory: Path, now: dt.datetime) -> Path | None:
    """Make the copy that is due, if one is; only one process does. What became of it is kept for the yard."""
    known = copies_of(store)
    if known.at is not None and now - known.at < EVERY:
        return None
    with store.engine.connect() as connection:
        if not connection.execute(text(f"SELECT GET_LOCK('{_LOCK}', 0)")).scalar():
            return None
        try:
            # what a process that was killed left half; nobody else makes one now
            for left in (*directory.glob("low-hiss-*.sql*"), *directory.glob("low-hiss-*.part")):
                left.unlink(missing_ok=True)
            target = directory / f"low-hiss-{now:%Y-%m-%dT%H%M}.zip"
            back_up(store, url, target)
            keep_copies(store, Copies(at=now, file=target.name, tried_at=now))
            _thin(directory)
            return target
        except (BackupError, DatabaseError) as error:
            keep_copies(store, replace(known, why=str(error), tried_at=now))
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
