"""Whole copies of a database, with MariaDB's own tools; and putting one back."""

from __future__ import annotations

import contextlib
import errno
import itertools
import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from sqlalchemy import make_url

from lowhiss.database.server import DatabaseError

_CONFINED = ("--sandbox", "--binary-mode", "--local-infile=0")
"""A dump is text that somebody may have written: no shell, no files of ours, no commands of the client."""
_PIECE = 1 << 20
_EMPTIED = """
SELECT GET_LOCK(LEFT(CONCAT('lowhiss_restore.', DATABASE()), 64), 3600);
SET FOREIGN_KEY_CHECKS = 0, group_concat_max_len = 1000000;
SELECT IFNULL(CONCAT('DROP TABLE ', GROUP_CONCAT('`', table_name, '`')), 'DO 0') INTO @drops
  FROM information_schema.tables WHERE table_schema = DATABASE();
EXECUTE IMMEDIATE @drops;
"""
"""What a copy is put into. The lock is the client's own: one whose Low Hiss was killed may still be at its last
statement, and the next one waits until it is gone."""


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
    with source.open("rb") as sql:
        pieces = iter(lambda: sql.read(_PIECE), b"")
        _run("mariadb", url, _CONFINED, given=itertools.chain([_EMPTIED.encode()], pieces))


def _run(
    program: str,
    url: str,
    arguments: Sequence[str],
    *,
    stdout: int | BinaryIO = subprocess.PIPE,
    given: Iterable[bytes] = (),
) -> bytes:
    """Run one of MariaDB's programs; what it printed. given : its standard input, through a pipe that ends with us."""
    path = shutil.which(program)
    if path is None:
        raise DatabaseError(f"'{program}' was not found: install the Debian package mariadb-client.")
    database = make_url(url).database or ""
    with _credentials(url) as defaults:
        command = [path, f"--defaults-file={defaults}", *arguments, database]
        with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=stdout, stderr=subprocess.PIPE) as running:
            assert running.stdin is not None
            with contextlib.suppress(BrokenPipeError):  # it says below why it ended
                for piece in given:
                    running.stdin.write(piece)
            printed, errors = running.communicate()
    if running.returncode != 0:
        reason = errors.decode(errors="replace").strip().splitlines()
        last = reason[-1] if reason else "no reason given"
        if os.strerror(errno.ENOSPC) in last or f"Errcode: {errno.ENOSPC}" in last:
            raise DatabaseError("The disk is full: free some space on it, then try again.")
        raise DatabaseError(f"'{program}' failed: {last}")
    return printed or b""


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
