"""Whole copies of a database, with MariaDB's own tools; and putting one back."""

from __future__ import annotations

import errno
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import make_url

from lowhiss.database.server import DatabaseError

_CONFINED = ("--sandbox", "--binary-mode", "--local-infile=0")
"""A dump is text that somebody may have written: no shell, no files of ours, no commands of the client."""


def rows_in(url: str) -> dict[str, int]:
    """How many rows each table of the database at ``url`` has. Raises DatabaseError."""
    tables = _run("mariadb", url, ["--batch", "--skip-column-names", "--execute=SHOW TABLES"]).decode().split()
    if not tables:
        return {}
    query = " UNION ALL ".join(f"SELECT '{table}', COUNT(*) FROM `{table}`" for table in tables)
    lines = _run("mariadb", url, ["--batch", "--skip-column-names", f"--execute={query}"]).decode().splitlines()
    return {name: int(count) for name, count in (line.split("\t") for line in lines)}


def dump(url: str, target: Path) -> None:
    """Write every table of the database at ``url`` to ``target``; whole, or not at all. Raises DatabaseError."""
    partly = target.with_suffix(".part")
    target.parent.mkdir(parents=True, exist_ok=True)
    partly.unlink(missing_ok=True)
    partly.touch(mode=0o600)  # it holds what passwords are checked against
    with partly.open("wb") as out:
        _run("mariadb-dump", url, ["--single-transaction", "--skip-lock-tables", "--hex-blob"], stdout=out)
        out.flush()
        os.fsync(out.fileno())
    partly.replace(target)


def restore(url: str, source: Path) -> None:
    """Make the database at ``url`` what it was when ``source`` was written. Raises DatabaseError."""
    tables = _run("mariadb", url, ["--batch", "--skip-column-names", "--execute=SHOW TABLES"]).decode().split()
    drops = "".join(f"DROP TABLE IF EXISTS `{table}`;" for table in tables)
    _run("mariadb", url, [f"--execute=SET FOREIGN_KEY_CHECKS=0;{drops}"])
    with source.open("rb") as given:
        _run("mariadb", url, _CONFINED, stdin=given)


def _run(program: str, url: str, arguments: Sequence[str], **streams: object) -> bytes:
    path = shutil.which(program)
    if path is None:
        raise DatabaseError(f"'{program}' was not found: install the Debian package mariadb-client.")
    database = make_url(url).database or ""
    with _credentials(url) as defaults:
        command = [path, f"--defaults-file={defaults}", *arguments, database]
        options = {"stdout": subprocess.PIPE, **streams}
        done = subprocess.run(command, stderr=subprocess.PIPE, check=False, **options)  # type: ignore[call-overload]
    if done.returncode != 0:
        reason = done.stderr.decode(errors="replace").strip().splitlines()
        last = reason[-1] if reason else "it gave no reason"
        if os.strerror(errno.ENOSPC) in last or f"Errcode: {errno.ENOSPC}" in last:
            raise DatabaseError("The disk is full: make room on it, then try again.")
        raise DatabaseError(f"'{program}' failed: {last}")
    return done.stdout or b""


@contextmanager
def _credentials(url: str) -> Iterator[Path]:
    """Name and password in a file only we can read: on a command line everybody could."""
    parts = make_url(url)
    lines = [
        "[client]",
        f"host={parts.host or '127.0.0.1'}",
        f"port={parts.port or 3306}",
        f"user={parts.username or ''}",
        f'password="{parts.password or ""}"',
        "protocol=tcp",
        "default-character-set=utf8mb4",
    ]
    with tempfile.TemporaryDirectory(prefix="lowhiss-") as folder:
        path = Path(folder) / "client.cnf"
        path.touch(mode=0o600)
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        yield path
