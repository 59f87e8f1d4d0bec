"""What is asked of an installation on the command line: the status of its units, its seals, its copies, its health."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path

from lowhiss.backup import BackupError, back_up, put_back, read_manifest
from lowhiss.core.words import Words
from lowhiss.database import DatabaseError
from lowhiss.doctor import examine
from lowhiss.exchange.keys import KeyFileError
from lowhiss.exchange.status_files import last_day
from lowhiss.installation import CannotStartError, backups_of, data_directory, database, key_files, say, with_store
from lowhiss.service.fleet.unit_status import get_calendar
from lowhiss.service.inspections.papers import dated_papers
from lowhiss.service.people.accounts import manager_code
from lowhiss.service.runs import status
from lowhiss.service.seals import signing, verification
from lowhiss.store.engine import Store, StoreError, make_engine


def make_manager(data_dir: Path, name: str) -> int:
    """A one-time code for a manager of this name, made on the server itself; returns the exit code."""

    def make(store: Store) -> int:
        code = manager_code(store, name)
        print(f"{name} can now set a password with this one-time code (*I have a one-time code* on the page): {code}")
        return 0

    return with_store(data_dir, make)


def print_status(data_dir: Path, words: Words, *, as_csv: bool) -> int:
    """Print how every unit stands; returns the exit code, 1 where one must stay."""

    def tell(store: Store) -> int:
        now = dt.datetime.now(dt.UTC)
        found = status.statuses(store, words, now)
        if as_csv:
            print(status.as_csv(store, words, now), end="")
        for one in () if as_csv else found:
            print(f"{one.name:<12} {one.text}{f'. {one.why}' if one.why else ''}")
        return int(any(one.stays for one in found))

    return with_store(data_dir, tell)


def print_due(data_dir: Path, words: Words, ics: Path | None) -> int:
    """Print when each unit is due, or write it as iCalendar; returns the exit code."""

    def tell(store: Store) -> int:
        now = dt.datetime.now(dt.UTC)
        if ics is not None:
            try:
                ics.write_bytes(status.as_calendar(store, words, now, dated_papers(store, words.language)))
            except OSError as error:
                raise CannotStartError(f"{ics} can't be written: {error.strerror}.") from error
            return 0
        zone = get_calendar(store).zone
        for one in status.statuses(store, words, now):
            day = last_day(one.due_at, zone).isoformat() if one.due_at else "–"
            print(f"{day:<12} {one.name:<12} {one.text}")
        return 0

    return with_store(data_dir, tell)


def verify_all(data_dir: Path, head: str | None) -> int:
    """Check every seal and every row that it covers; returns the exit code, 1 where anything was changed."""

    def tell(store: Store) -> int:
        found = 0
        for one in verification.verify_all(store, key_files(data_dir.resolve())):
            found += not one.notice
            print(f"{f'seal {one.place}: ' if one.place else ''}{one.sentence}", flush=True)
        place, sha256, _ = signing.head(store)
        if head is not None and not signing.knows(store, head):
            found += 1
            print(f"the saved head, {head[:16]}, doesn't match any of these seals")
        if not found:
            print(f"{place} seals, no changes; the head is {sha256}")
        return int(found > 0)

    return with_store(data_dir, tell)


def make_backup(data_dir: Path, target: Path) -> int:
    """A copy of everything while it runs; returns the exit code."""

    def make(store: Store) -> int:
        url = store.engine.url.render_as_string(hide_password=False)
        manifest = back_up(store, url, target.resolve(), key_files(data_dir.resolve()))
        print(f"{target}: {manifest.runs} tests; the chain's head is {manifest.head}")
        return 0

    return with_store(data_dir, make)


def restore_backup(data_dir: Path, source: Path, *, foreign: bool) -> int:
    """Put a copy back; Low Hiss must not run. Returns the exit code, 1 where its seals say that it was changed.

    foreign : take a copy that no key of this installation signed.
    """
    try:
        read_manifest(source)
        with data_directory(data_dir) as directory, database(directory) as url:
            store = Store(make_engine(url))
            keys = key_files(directory)
            problems = put_back(store, url, directory / "copies", source, say, keys, foreign=foreign)
            if keys.in_use() is None:
                say(f"{keys.directory} has no key in use: restore the keys from their backup before the next start.")
            store.engine.dispose()
        for one in problems:
            print(one)
        if not problems:
            print(f"{source} was restored; its seals are unchanged")
        return int(bool(problems))
    except (CannotStartError, DatabaseError, StoreError, BackupError, KeyFileError) as error:
        print(f"lowhiss: {error}", file=sys.stderr)
        return 1


def print_health(data_dir: Path, certificate: Path | None) -> int:
    """Look at everything that an installation needs; returns the exit code, 1 where something is to be mended."""

    def tell(store: Store) -> int:
        directory = data_dir.resolve()
        now = dt.datetime.now(dt.UTC)
        bad = 0
        for one in examine(store, directory, backups_of(directory), key_files(directory), certificate, now):
            bad += bool(one.mend)
            print(one.line, flush=True)
        return int(bad > 0)

    return with_store(data_dir, tell)


def print_keys(data_dir: Path, do: str) -> int:
    """Show the signing keys, begin a new one, or tell the chain's head; returns the exit code."""

    def tell(store: Store) -> int:
        files = key_files(data_dir.resolve())
        if do == "rotate":
            print(f"New seals are signed with {signing.rotate(store, files).id} from now on")
        elif do == "head":
            place, sha256, sealed_at = signing.head(store)
            print(f"seal {place}  {sha256}  {sealed_at.isoformat() if sealed_at else '-'}")
        else:
            current = files.in_use()
            in_use = current.id if current is not None else ""
            for name, public in signing.keys_of(store).items():
                print(f"{name}  {public}{'  in use' if name == in_use else ''}")
        return 0

    return with_store(data_dir, tell)
