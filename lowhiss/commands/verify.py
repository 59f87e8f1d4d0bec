"""``lowhiss verify FILE``: sealed reports checked without a database."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from lowhiss.commands.common import FAIL, PASS, refuse
from lowhiss.exchange.seals import SealError, check, read_file


def verify_files(paths: Sequence[Path], head: str | None, trusted: Sequence[str]) -> int:
    """Say everything that is wrong, one line each; returns the gravest exit code.

    head : the hash of the last seal as it was kept elsewhere; it must be among them.  trusted : published key ids.
    """
    return max(_file(path, head, trusted) for path in paths)


def _file(path: Path, head: str | None, trusted: Sequence[str]) -> int:
    try:
        seals, keys, whole = read_file(path.read_bytes())
    except OSError as error:
        return refuse(f"{path}: can't be read: {error.strerror}")
    except SealError as error:
        return refuse(f"{path}: {error}")
    problems = check(seals, keys, whole=whole, head=head, trusted=trusted)
    for one in problems:
        print(f"{path}: {f'seal {one.place}: ' if one.place else ''}{one.sentence}")
    if not problems:
        print(f"{path}: {len(seals)} seals, no changes; the head is {seals[-1].sha256 if seals else '-'}")
    if not trusted and not problems:
        used = ", ".join(sorted({one.key for one in seals})) or "none"
        print(
            f"{path}: signed by the key {used}. That shows only that one key made them all: hold it against the key id "
            "that the fleet published or that a printed report names, and give it as --key."
        )
    return FAIL if problems else PASS
